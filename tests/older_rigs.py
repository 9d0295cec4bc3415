"""Rigs as earlier versions wrote them, for tests."""

from typing import Any

NEW_IN_3 = ("sends", "pan_law", "mute_kills_pre", "pan", "effects")


def of_version_2(document: Any) -> Any:
    """A rig as it was written before there were sends and pans."""
    if isinstance(document, dict):
        kept = {name: of_version_2(value) for name, value in document.items() if name not in NEW_IN_3}
        return {**kept, "version": 2} if "version" in kept else kept
    return [of_version_2(each) for each in document] if isinstance(document, list) else document


def of_version_4(document: Any) -> Any:
    """A rig as it was written before there were mixers and wanted taps."""
    if isinstance(document, dict):
        kept = {name: of_version_4(value) for name, value in document.items() if name != "mixer"}
        if "purpose" in kept:
            kept.pop("tap", None)
        return {**kept, "version": 4} if kept.get("format") == "iskelo rig" else kept
    return [of_version_4(each) for each in document] if isinstance(document, list) else document


NEW_IN_6 = ("insert", "unbalanced", "drives_both_legs")


def of_version_5(document: Any) -> Any:
    """A rig as it was written before programs had inserts."""
    if isinstance(document, dict):
        kept = {name: of_version_5(value) for name, value in document.items() if name not in NEW_IN_6}
        return {**kept, "version": 5} if kept.get("format") == "iskelo rig" else kept
    return [of_version_5(each) for each in document] if isinstance(document, list) else document


NEW_IN_10 = ("default_output", "solo_output", "audition_output", "colour")


def of_version_9(document: Any) -> Any:
    """A rig as it was written before programs had outputs of choice and lines colours."""
    if isinstance(document, dict):
        kept = {name: of_version_9(value) for name, value in document.items() if name not in NEW_IN_10}
        return {**kept, "version": 9} if kept.get("format") == "iskelo rig" else kept
    return [of_version_9(each) for each in document] if isinstance(document, list) else document
