"""What the twin hears measures nothing: it played what is assumed."""

from pydantic import TypeAdapter

from iskelo.api.long_work import measured_in
from iskelo.api.views import InsertMeasured
from iskelo.core.edits.edit import SetValues, TypeProgramInsert
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.insert_view import insert_views
from iskelo.core.lines.context import read
from iskelo.core.rig.index import index
from rigs import heard, two_voices


def test_what_the_twin_hears_is_computed_and_leaves_every_figure_as_uncertain_as_it_was() -> None:
    bench = heard(two_voices(), "Alma").do(*gear_phrase("compressor Anvil press"))
    item, press = bench.track("T Alma"), bench.id("Anvil press")
    bench.do(SetValues(item=item, values={"monitored": True}), TypeProgramInsert(item=item, text="Anvil press"))
    before = index(bench.rig).gear[press]
    run = TypeAdapter(InsertMeasured).validate_json(measured_in(bench.rig, item))
    assert run.words.startswith("Came back after ")
    bench.do(*run.edits)
    assert index(bench.rig).gear[press] == before
    program = index(bench.rig).items[item].program
    trip = next(view.trip for view in insert_views(read(bench.rig), program) if view.id == item)
    assert trip is not None
    assert (trip.held_origin, trip.held_samples) == ("computed", round(run.heard.samples))
    assert trip.known == "right"
    assert trip.assumed
