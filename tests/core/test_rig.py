"""What holds a rig together, and the words for what does not."""

import pytest
from pydantic import ValidationError

from iskelo.core.rig.check import check
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import DirectMonitor, Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Broken, Line, Patch, Rig
from iskelo.core.rig.text import clean_name, clean_notes
from rigs import two_voices


def broken(rig: Rig) -> Broken:
    with pytest.raises(Broken) as caught:
        check(rig)
    return caught.value


def test_two_equal_rigs_are_equal_and_cannot_be_changed() -> None:
    one, other = two_voices().rig, two_voices().rig
    assert one == other
    with pytest.raises(ValidationError):
        one.name = "else"


def test_names_of_gear_differ_whatever_their_case() -> None:
    rig = two_voices().rig
    twin = rig.gear[0].model_copy(update={"id": f"s{rig.next_number}", "name": "BERTIL"})
    found = broken(rig.model_copy(update={"gear": (*rig.gear, twin), "next_number": rig.next_number + 1}))
    assert "taken by another piece of gear" in found.reason


def test_ids_are_used_once_and_stay_below_the_counter() -> None:
    rig = two_voices().rig
    again = rig.gear[0].model_copy(update={"name": "Other"})
    assert "used twice" in broken(rig.model_copy(update={"gear": (*rig.gear, again)})).reason
    assert "not below next_number" in broken(rig.model_copy(update={"next_number": 3})).reason


@pytest.mark.parametrize(
    ("start", "end", "reason"),
    [
        (("out", 1), ("jack_in", 9), "there is no jack in 9 on Box; it has 8"),
        (("out", 1), ("jack_in", 1), "already takes Alma; unplug that first"),
        (("out", 1), ("capture", 3), "a lead cannot join"),
        (("out", 2), ("jack_in", 4), "there is no out 2 on Bertil; it has 1"),
    ],
)
def test_a_lead_that_cannot_be_says_why(start, end, reason: str) -> None:
    bench = two_voices()
    lead = Patch(
        id=f"w{bench.rig.next_number}",
        from_port=Port(bench.id("Bertil"), *start),
        to_port=Port(bench.id("Box"), *end),
    )
    changed = bench.rig.model_copy(
        update={"patches": (*bench.rig.patches, lead), "next_number": bench.rig.next_number + 1}
    )
    assert reason in broken(changed).reason


def test_a_line_ends_where_its_purpose_says() -> None:
    bench = two_voices()
    wrong = Line(
        id=f"l{bench.rig.next_number}", name="Wrong", from_ports=(bench.out("Alma"),), to_ports=(bench.out("Alma"),)
    )
    changed = bench.rig.model_copy(update={"lines": (wrong,), "next_number": bench.rig.next_number + 1})
    assert broken(changed).place == "line Wrong"
    assert "a record line ends at a track" in broken(changed).reason


def test_a_driver_offers_the_buffer_it_has_and_a_box_its_rate() -> None:
    with pytest.raises(ValidationError, match="not offered by this driver; it offers 64, 128"):
        Driver(id="d1", buffers_samples=(128, 64), buffer_samples=256)
    with pytest.raises(ValidationError, match="22050 Hz is not offered"):
        Interface(id="b1", name="Box", drivers=(Driver(id="d2"),), rate_hz=22_050)


def test_direct_monitoring_stays_inside_the_box_and_is_said_once() -> None:
    beyond = (DirectMonitor(jack_in=3, jack_out=1),)
    with pytest.raises(ValidationError, match="this box has 2 in and 2 out"):
        Interface(id="b1", name="Box", drivers=(Driver(id="d2"),), direct=beyond)
    twice = (DirectMonitor(jack_in=1, jack_out=1), DirectMonitor(jack_in=1, jack_out=1, gain_db=-3))
    with pytest.raises(ValidationError, match="said twice"):
        Interface(id="b1", name="Box", drivers=(Driver(id="d2"),), direct=twice)


def test_a_box_with_more_jacks_gets_trims_for_them() -> None:
    assert len(Interface(id="b1", name="Box", drivers=(Driver(id="d2"),), jack_in=5).trims_db) == 5


@pytest.mark.parametrize(
    ("text", "reason"),
    [("", "at least one character"), ("  ", "at least one"), ("x" * 81, "at most 80"), ("a\x00b", "control character")],
)
def test_what_is_no_name(text: str, reason: str) -> None:
    with pytest.raises(ValueError, match=reason):
        clean_name(text)


def test_white_space_in_names_is_folded_and_kept_in_notes() -> None:
    assert clean_name("  Alma \t Vane ") == "Alma Vane"
    assert clean_notes("one\r\ntwo") == "one\ntwo"
    with pytest.raises(ValueError, match="control character"):
        clean_notes("\ud800")
    with pytest.raises(ValueError, match="at most 4000"):
        clean_notes("x" * 4001)
