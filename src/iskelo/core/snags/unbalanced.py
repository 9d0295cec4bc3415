"""Balanced outputs into unbalanced inputs."""

from functools import partial

from iskelo.core.edits.edit import Edit, SetOutputTrim, SetValues
from iskelo.core.levels.headroom import TOLERANCE_DB
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.units import HALF_DB, say_figure
from iskelo.core.snags.rule import Remedy, Snag, one_remedy, rule


@rule("level", symptoms=("too quiet",))
def unbalanced_loses_half(reading: Reading) -> list[Snag]:
    """An output drives both legs of its lead, and an unbalanced input hears half of what it gives."""
    snags = []
    for patch in reading.found.leads("audio"):
        gear = reading.found.gear[patch.from_port.owner]
        if not patch.unbalanced or not isinstance(gear, Interface | Outboard) or not gear.drives_both_legs:
            continue
        jack = patch.from_port.number
        trim_db = gear.output_trims_db[jack - 1] if isinstance(gear, Interface) else gear.gain_db
        if trim_db >= -HALF_DB - TOLERANCE_DB:
            continue
        start, end = reading.found.say(patch.from_port), reading.found.say(patch.to_port)
        snags.append(
            Snag(
                key=f"unbalanced-loses-half:{patch.id}",
                rule="unbalanced-loses-half",
                severity="note",
                title=f"{end} hears {start} 6.0 dB softer: it takes one of two driven legs",
                evidence=f"{start} drives both legs of the lead against ground; {end} is unbalanced.",
                consequence="Two meters that should read alike are 6 dB apart.",
                items=(gear.id, patch.to_port.owner),
                mend=partial(_made_up, gear, jack, trim_db, start),
            )
        )
    return snags


def _made_up(gear: Interface | Outboard, jack: int, trim_db: float, start: str) -> tuple[Remedy, ...]:
    to_db = round(trim_db - HALF_DB, 1)
    if isinstance(gear, Outboard):
        return one_remedy(f"Turn {gear.name} up to {say_figure(to_db)} dB", _gain(gear, to_db))
    edit = SetOutputTrim(interface=gear.id, jack_out=jack, trim_db=to_db)
    return one_remedy(f"Set the trim of {start} to {say_figure(to_db)} dB", edit)


def _gain(outboard: Outboard, to_db: float) -> Edit:
    return SetValues(item=outboard.id, values={"gain_db": to_db})
