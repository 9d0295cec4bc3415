"""What an edit makes keeps every limit of the model: whatever is acknowledged can be written, read, and kept again."""

import json

import pytest

from drawn import drawn
from iskelo.core.edits.additions import AddInterface, AddLine, AddProgram, AddSources, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import IDS_AHEAD, Refused, checked
from iskelo.core.edits.edit import Plug, SetValues
from iskelo.core.rig.check import ITEMS_MAX, NOTES_MAX
from iskelo.core.rig.delta import delta, patched
from iskelo.core.rig.drivers import Driver, Offsets
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.survey import survey_again
from iskelo.demo.orrin_point import orrin_point
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer
from iskelo.formats.rig_file import read_rig, write_rig
from rigs import two_voices
from walks import KINDS, walk


def refused(rig: Rig, *edits) -> Refused:
    with pytest.raises(Refused) as caught:
        apply(rig, edits)
    return caught.value


@pytest.mark.parametrize("seed", range(drawn(12, 4)))
def test_whatever_a_walk_of_edits_acknowledges_can_be_exported_imported_and_kept(seed: int) -> None:
    start = (orrin_point, voices_on_a_mixer)[seed % 2]() if seed % 3 else two_voices().rig if seed else Rig()
    document = json.loads(start.model_dump_json())
    kinds = set()
    for before, edit, after in walk(seed, start, 250):
        document = patched(document, json.loads(json.dumps(delta(before, after))))
        assert document == json.loads(after.model_dump_json())
        assert Rig.model_validate(document) == after
        kinds.add(type(edit))
    assert read_rig(write_rig(after)) == after
    assert len(kinds) > 8, "the walk goes somewhere"


def test_walks_reach_nearly_every_kind_of_edit() -> None:
    """As many walks as it takes, and not very many."""
    seen: set[type] = set()
    for seed in range(12):
        rig = (orrin_point, voices_on_a_mixer)[seed % 2]()
        seen |= {type(edit) for _, edit, _ in walk(seed, rig, 450)}
        if len(seen) > 0.7 * len(KINDS):
            return
    raise AssertionError(f"only {len(seen)} of {len(KINDS)} kinds of edits were met")


def full(**many: tuple) -> Rig:
    return Rig(next_number=900_000, **many)


def test_there_are_so_many_lines_leads_and_pieces_of_gear_and_no_more() -> None:
    line = AddLine(name="One more")
    lines = full(lines=tuple(Line(id=f"l{n}", name=f"L {n}") for n in range(1, 1025)))
    assert str(refused(lines, line)) == "New rig, lines: there can be 1024 at most"
    gear = full(gear=tuple(Source(id=f"s{n}", name=f"S {n}", level_dbu=0) for n in range(1, 4097)))
    assert refused(gear, AddSources(names=("One more",))).reason == "there can be 4096 at most"
    boxes = tuple(
        Interface(id=f"b{n}", name=f"B {n}", jack_in=128, drivers=(Driver(id=f"d{n}"),)) for n in range(1, 34)
    )
    source = Source(id="s5000", name="Mic", level_dbu=0)
    leads = tuple(
        Patch(
            id=f"w{10_000 + n}",
            from_port=Port("s5000", "out", 1),
            to_port=Port(f"b{n // 128 + 1}", "jack_in", n % 128 + 1),
        )
        for n in range(4096)
    )
    rig = full(gear=(*boxes, source), patches=leads)
    plug = Plug(from_port=Port("s5000", "out", 1), to_port=Port("b33", "jack_in", 1))
    assert refused(rig, plug).reason == "there can be 4096 at most"


def test_the_parts_of_a_program_are_counted_by_themselves_and_together() -> None:
    rig = apply(Rig(), (AddProgram(name="Rec"),)).rig
    program = rig.gear[0]
    for first in range(0, 512, 256):
        rig = apply(rig, (AddTracks(program=program.id, names=tuple(f"T {first + n}" for n in range(256))),)).rig
    assert refused(rig, AddTracks(program=program.id, names=("One more",))).reason == "there can be 512 at most"
    tracks = [
        tuple(Track(id=f"t{40_000 + 512 * p + n}", name="T") for n in range(512)) for p in range(ITEMS_MAX // 512 + 1)
    ]
    programs = tuple(Program(id=f"p{n}", name=f"P {n}", tracks=some) for n, some in enumerate(tracks, start=1))
    with pytest.raises(Refused, match=f"there can be {ITEMS_MAX} at most"):
        checked(Rig(), full(gear=programs))


def test_notes_are_bounded_together() -> None:
    sources = tuple(
        Source(id=f"s{n}", name=f"S {n}", level_dbu=0, notes="n" * 4000) for n in range(1, NOTES_MAX // 4000 + 2)
    )
    with pytest.raises(Refused, match=f"there can be {NOTES_MAX} at most"):
        checked(Rig(), full(gear=sources))


def test_a_value_that_was_put_together_beyond_its_bounds_is_refused_with_its_place() -> None:
    bench = two_voices()
    box = bench.box()
    wrong = Offsets(rate_hz=48_000, buffer_samples=128, in_samples=5, out_samples=5, origin="described")
    over = wrong.model_copy(update={"in_samples": 100_001})
    beyond = box.model_copy(update={"drivers": (box.drivers[0].model_copy(update={"offsets": (over,)}),)})
    after = bench.rig.model_copy(update={"gear": tuple(beyond if g is box else g for g in bench.rig.gear)})
    with pytest.raises(Refused) as caught:
        checked(bench.rig, after)
    assert caught.value.place.startswith("Box, drivers")
    assert caught.value.reason == "it must be 100000 or less"


def test_an_offset_that_an_edit_would_push_over_its_bound_is_refused() -> None:
    """A known total is kept when a part of it is corrected, so the rest of it grows by as much."""
    bench = two_voices()
    box = bench.box()
    known = Offsets(rate_hz=48_000, buffer_samples=128, in_samples=99_990, out_samples=5, origin="described")
    driver = box.drivers[0].model_copy(update={"offsets": (known,)})
    with_known = box.model_copy(update={"drivers": (driver,)})
    rig = bench.rig.model_copy(update={"gear": tuple(with_known if g is box else g for g in bench.rig.gear)})
    lower = SetValues(item=box.id, values={"mixer_samples": 0, "converter_in_samples": 0})
    assert "100000" in refused(rig, lower).reason


def test_ids_from_outside_cannot_use_up_the_counter() -> None:
    far = AddSources(names=("Alma",), ids=("s999999999",))
    assert "far beyond the next free number" in refused(Rig(), far).reason
    near = apply(Rig(), (AddSources(names=("Alma",), ids=(f"s{IDS_AHEAD - 5}",)),)).rig
    assert near.next_number == IDS_AHEAD - 4
    used_up = Rig(next_number=1_000_000_000)
    assert "used up its numbers" in refused(used_up, AddInterface(name="Box")).reason


def test_a_rig_too_large_to_be_a_file_is_refused() -> None:
    origins = dict.fromkeys([f"figure {n}" + "x" * 25 for n in range(32)], "typed")
    boxes = tuple(
        Interface(id=f"b{n}", name=f"B {n}", jack_in=128, jack_out=128, origins=origins, drivers=(Driver(id=f"d{n}"),))
        for n in range(1, 4000)
    )
    with pytest.raises(Refused, match="too large to be kept"):
        checked(Rig(), full(gear=boxes))


@pytest.mark.parametrize("seed", range(4))
def test_a_mixer_read_again_after_any_edit_is_read_as_from_nothing(seed: int) -> None:
    known = survey_again(voices_on_a_mixer(), None)
    for _, _, after in walk(100 + seed, known.reading.rig, 120):
        known = survey_again(after, known)
        assert known.survey == survey_again(after, None).survey
