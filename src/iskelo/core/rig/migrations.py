"""Rigs that were written by earlier versions, brought up to the present one."""

from typing import Any

PRESENT = 13


def brought_up(document: Any) -> Any:
    """A rig's document as the present version writes it; anything else is given back as it is.

    Version 12 knew no lines of several sources.
    Version 11 knew no lines that name what they pass.
    Version 10 let what a mixer can never do name strips and mixes that had been removed; such rows mean nothing.
    Version 9 knew no choices of outputs in programs and no colours; version 8 no solo in programs; version 7 no far
    ends; version 6 no cables; version 5 no inserts in programs;
    version 4 no mixers; version 3 no outboard gear and no leads from output jacks to input jacks; version 2 no sends,
    no pan and no effects mixes.
    Version 1 knew one driver a box (``driver``), no origins and no switches: its figures count as typed, and where a
    microphone that needs a supply was plugged in, the supply was on.
    """
    if isinstance(document, dict) and document.get("version") in range(2, PRESENT):
        gear = document.get("gear")
        if isinstance(gear, list):
            document = {**document, "gear": [_without_lost(each) for each in gear]}
        return {**document, "version": PRESENT}
    if not isinstance(document, dict) or document.get("version") != 1:
        return document
    gear = document.get("gear", [])
    if isinstance(gear, list):
        supplied = _supplied(gear, document.get("patches"))
        gear = [_brought_up(each, supplied) for each in gear]
    return {**document, "version": PRESENT, "gear": gear}


def _without_lost(gear: Any) -> Any:
    """A box whose mixer names no strip and no mix that it does not have in what it can never do."""
    mixer = gear.get("mixer") if isinstance(gear, dict) else None
    never = mixer.get("never") if isinstance(mixer, dict) else None
    if not isinstance(mixer, dict) or not isinstance(never, list) or not never:
        return gear
    items = [each for name in ("strips", "mixes") if isinstance(given := mixer.get(name), list) for each in given]
    there = [None, *(each.get("id") for each in items if isinstance(each, dict))]
    kept = [
        each
        for each in never
        if not isinstance(each, dict) or (each.get("start") in there and each.get("end") in there)
    ]
    return {**gear, "mixer": {**mixer, "never": kept}}


def _brought_up(gear: Any, supplied: dict[str, list[int]]) -> Any:
    if not isinstance(gear, dict):
        return gear
    if gear.get("kind") == "source" and "level_dbu" in gear:
        return {**gear, "origins": {"level_dbu": "typed"}}
    if gear.get("kind") != "interface" or "driver" not in gear:
        return gear
    kept = {name: value for name, value in gear.items() if name != "driver"}
    driver = gear["driver"]
    if isinstance(driver, dict):
        figures = ("safety_in_samples", "safety_out_samples")
        driver = {**driver, "origins": {each: "typed" for each in figures if each in driver}}
    typed = [name for name in kept if name.endswith(("_samples", "_dbu"))]
    return {
        **kept,
        "drivers": [driver],
        "origins": dict.fromkeys(typed, "typed"),
        "phantom_on": supplied.get(str(gear.get("id")), []),
    }


def _supplied(gear: list[Any], patches: Any) -> dict[str, list[int]]:
    """The jacks, by box, into which a microphone is plugged that needs a supply. Anything malformed is passed over."""
    needing = {str(each.get("id")) for each in gear if isinstance(each, dict) and each.get("needs_phantom") is True}
    found: dict[str, list[int]] = {}
    for patch in patches if isinstance(patches, list) else ():
        match patch:
            case {"from_port": [str(source), "out", _], "to_port": [str(box), "jack_in", int(jack)]}:
                if source in needing:
                    found.setdefault(box, []).append(jack)
    return found
