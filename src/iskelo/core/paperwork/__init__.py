"""Sheets for paper, as data: what has to be done in the room, in which order."""
