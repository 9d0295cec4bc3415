"""What is done aside (see ``aside.py``): each function is given all that it needs, and answers with JSON.

The server itself does not load this: it names what is to be done.
"""

from collections.abc import Mapping

from pydantic import TypeAdapter

from iskelo.api.settings import quiet_collector
from iskelo.api.views import InsertMeasured, PlanView
from iskelo.core.compare import trial
from iskelo.core.edits.base import Refused
from iskelo.core.edits.input_list import InputRow, plan_rows
from iskelo.core.linecheck.faults import Fault, faults_of
from iskelo.core.lines.context import read
from iskelo.core.plan import Plan, plan
from iskelo.core.planner.insert_figures import InsertFigureRequest, settle_insert
from iskelo.core.remedies import Remedies, remedies_of
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey_again

Checked = Mapping[str, tuple[str, bool]]

_plan: TypeAdapter[Plan | None] = TypeAdapter(Plan | None)
_remedies: TypeAdapter[Remedies] = TypeAdapter(Remedies)
_faults: TypeAdapter[list[Fault]] = TypeAdapter(list[Fault])
_measured: TypeAdapter[InsertMeasured] = TypeAdapter(InsertMeasured)
_rows: TypeAdapter[PlanView] = TypeAdapter(PlanView)

# Processes that begin here share what is loaded, as long as nobody's collector writes to it.
quiet_collector()


def plan_of(rig: Rig, rest: bool) -> bytes:
    """One plan for everything; see ``core.plan``."""
    return _plan.dump_json(plan(survey_again(rig, None), rest=rest))


def remedies_for(rig: Rig, snag: str) -> bytes:
    """The remedies of a snag, each tried; none if there is no such snag."""
    known = survey_again(rig, None)
    found = next((each for each in known.snags if each.key == snag), None)
    return _remedies.dump_json(remedies_of(rig, found, known) if found else Remedies(()))


def faults_in(rig: Rig) -> bytes:
    """What could go wrong with a rig."""
    return _faults.dump_json(list(faults_of(read(rig))))


def measured_in(rig: Rig, item: str) -> bytes:
    """A run of an insert on the twin, and the edits after which its program counts with what is computed."""
    # The twin, and the library of its filters, which nothing else here needs.
    from iskelo.core.linecheck.measuring import measure_insert  # noqa: PLC0415
    from iskelo.core.linecheck.run import CannotCheck  # noqa: PLC0415

    try:
        heard = measure_insert(rig, item)
    except CannotCheck as cannot:
        raise Refused("measuring run", str(cannot)) from None
    wanted = InsertFigureRequest(item=item, origin="computed")
    return _measured.dump_json(InsertMeasured(heard, heard.words, settle_insert(read(rig), wanted)))


def rows_planned(rig: Rig, rows: tuple[InputRow, ...]) -> bytes:
    """What the good rows of an input list would do, and why each bad one is refused."""
    planned = plan_rows(rig, rows)
    tried = trial(rig, planned.edits) if planned.edits else None
    return _rows.dump_json(PlanView(planned.edits, planned.rows, tried))
