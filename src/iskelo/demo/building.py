"""How examples are built: by the same edits a technician would make, and by names."""

from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig


def do(rig: Rig, *edits: Edit) -> Rig:
    """The rig after these edits."""
    return apply(rig, edits).rig


def program_named(rig: Rig, name: str) -> Program:
    """The program of this name as it is now."""
    return next(program for program in index(rig).programs() if program.name == name)
