"""Iskelo: plans, checks and proves the audio set-up of a computer."""
