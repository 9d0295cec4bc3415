"""What steps of the set-up list say, whatever things are called: gear by id, settings, values.

A tick belongs to that: renaming loses none, and undo that brings a step back brings its tick back.
"""

import hashlib
from collections.abc import Iterable

from iskelo.core.paperwork.steps import SetUpStep
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import AnyGear, Rig


def nameless(rig: Rig) -> Rig:
    """The rig with every name in it replaced by the id of what is called so."""
    return rig.model_copy(update={"gear": tuple(map(_gear, rig.gear))})


def _gear(gear: AnyGear) -> AnyGear:
    update: dict[str, object] = {"name": gear.id}
    if isinstance(gear, Program):
        for field in ("inputs", "outputs", "tracks", "voices", "buses"):
            update[field] = tuple(item.model_copy(update={"name": item.id}) for item in getattr(gear, field))
    if isinstance(gear, Interface) and gear.mixer is not None:
        update["mixer"] = gear.mixer.model_copy(
            update={
                field: tuple(item.model_copy(update={"name": item.id}) for item in getattr(gear.mixer, field))
                for field in ("strips", "mixes")
            }
        )
    return gear.model_copy(update=update)


def digests(steps: Iterable[SetUpStep]) -> dict[str, str]:
    """By each step's key a short digest of what it says; of steps whose names are ids."""
    return {
        step.key: hashlib.sha256("\n".join((step.words, *step.settings)).encode()).hexdigest()[:16] for step in steps
    }
