"""First remedies, made one after the other as a technician would who trusts them."""

from iskelo.core.edits.apply import apply
from iskelo.core.lines.context import read
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey_again


def arriving(rig: Rig) -> int:
    """How many lines arrive as they are wanted."""
    return sum(state.headline == "arrives" for state in read(rig).lines)


def first_mended(rig: Rig, steps: int) -> tuple[Rig, list[str]]:
    """The rig after so many first remedies of the worst snag that has any, and what was done in words."""
    said: list[str] = []
    for _ in range(steps):
        known = survey_again(rig, None)
        if known.survey.vitals.arriving == len(rig.lines):
            break
        acts = (each for snag in known.snags for each in tried_remedies(rig, snag, known) if not each.fact)
        act = next(acts, None)
        if act is None:
            break
        rig = apply(rig, act.edits).rig
        said.append(act.words)
    return rig, said
