"""Rigs that were written by earlier versions, brought up to the present one."""

from typing import Any


def brought_up(document: Any) -> Any:
    """A rig's document as the present version writes it; anything else is given back as it is.

    Version 1 knew one driver a box (``driver``), and no origins: its figures count as typed.
    """
    if not isinstance(document, dict) or document.get("version") != 1:
        return document
    gear = document.get("gear", [])
    if isinstance(gear, list):
        gear = [_interface(each) for each in gear]
    return {**document, "version": 2, "gear": gear}


def _interface(gear: Any) -> Any:
    if not isinstance(gear, dict) or gear.get("kind") != "interface" or "driver" not in gear:
        return gear
    kept = {name: value for name, value in gear.items() if name != "driver"}
    driver = gear["driver"]
    if isinstance(driver, dict):
        figures = ("safety_in_samples", "safety_out_samples")
        driver = {**driver, "origins": {each: "typed" for each in figures if each in driver}}
    typed = [name for name in kept if name.endswith(("_samples", "_dbu"))]
    return {**kept, "drivers": [driver], "origins": dict.fromkeys(typed, "typed")}
