"""Every rule: it finds its snag, its first remedy mends it, and a sound rig has none."""

from collections.abc import Callable

import pytest

from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import (
    AddTracks,
    Edit,
    EnableChannels,
    Remove,
    SetDevice,
    SetDirect,
    SetLeg,
    SetTrim,
    SetValues,
)
from iskelo.core.lines.context import read
from iskelo.core.snags.registry import RULES, find_snags
from rigs import Bench, heard, two_voices


def monitored(bench: Bench, on: bool = True) -> SetValues:
    return SetValues(item=bench.track("T Alma"), values={"monitored": on})


Break = Callable[[Bench], tuple[Edit, ...]]
BREAKS: dict[str, Break] = {
    "program-without-device": lambda b: (SetDevice(program=b.id("Recorder"), device=None),),
    "two-inputs-on-one-channel": lambda b: (SetLeg(item=b.id("In Bertil"), channel=1),),
    "leg-without-channel": lambda b: (SetLeg(item=b.id("In Alma"), channel=None),),
    "channel-not-enabled": lambda b: (EnableChannels(program=b.id("Recorder"), channels=(1, 2), on=False),),
    "output-nowhere": lambda b: (
        monitored(b),
        SetValues(item=b.track("T Alma"), values={"output": None}),
    ),
    "armed-without-input": lambda b: (SetValues(item=b.track("T Alma"), values={"input": None}),),
    "one-side-silent": lambda b: (
        AddTracks(program=b.id("Recorder"), names=("Wide",), width=2, inputs=(b.id("In Alma"),)),
    ),
    "line-silent": lambda b: (Remove(items=(b.rig.patches[0].id,)),),
    "line-blocked": lambda b: (SetValues(item=b.track("T Alma"), values={"armed": False}),),
    "line-crossed": lambda b: (
        SetLeg(item=b.id("In Alma"), channel=2),
        SetLeg(item=b.id("In Bertil"), channel=1),
    ),
    "line-doubled": lambda b: (
        monitored(b),
        SetDirect(interface=b.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=b.id("Box"), jack_in=1, jack_out=2),
    ),
    "line-crowded": lambda b: (SetLeg(item=b.id("In Bertil"), channel=1),),
    "line-late": lambda b: (monitored(b), SetValues(item=b.box().driver.id, values={"buffer_samples": 512})),
    "line-hot": lambda b: (SetTrim(interface=b.id("Box"), jack_in=1, trim_db=60),),
}


def sound_rig() -> Bench:
    """Two voices recorded, one of them heard within 10 ms, nothing wrong."""
    bench = heard(two_voices(), "Alma", within_ms=10)
    return bench.do(monitored(bench))


def test_a_sound_rig_has_no_snag() -> None:
    assert find_snags(read(sound_rig().rig)) == []


def test_every_rule_is_broken_here() -> None:
    names = {rule.__name__ for _, rules in RULES for rule in rules}
    assert {name.replace("-", "_") for name in BREAKS} == names


@pytest.mark.parametrize("rule", BREAKS)
def test_a_rule_finds_its_snag_and_its_first_remedy_mends_it(rule: str) -> None:
    bench = sound_rig()
    bench.do(*BREAKS[rule](bench))
    found = bench.snags(rule)
    assert found
    snag = found[0]
    assert snag.title
    assert snag.evidence
    assert snag.consequence
    remedies = snag.mend()
    assert 1 <= len(remedies) <= 3
    mended = apply(bench.rig, remedies[0].edits).rig
    assert snag.key not in {each.key for each in find_snags(read(mended))}


def test_every_remedy_offered_can_be_made() -> None:
    for broken in BREAKS.values():
        bench = sound_rig()
        bench.do(*broken(bench))
        for snag in find_snags(read(bench.rig)):
            for remedy in snag.mend():
                apply(bench.rig, remedy.edits)


def test_the_remedy_for_a_late_line_is_the_largest_buffer_that_does() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["line-late"](bench))
    (snag,) = bench.snags("line-late")
    first = snag.mend()[0]
    assert "buffer of Box to 128: 7.73 ms" in first.words
    assert "directly" in snag.mend()[1].words
    directly = apply(bench.rig, snag.mend()[1].edits).rig
    assert [s.headline for s in read(directly).lines] == ["arrives"] * 3


def test_two_inputs_on_one_channel_are_parted_so_that_the_silent_line_arrives() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["two-inputs-on-one-channel"](bench))
    (snag,) = bench.snags("two-inputs-on-one-channel")
    assert snag.title == "In Alma and In Bertil share channel 1"
    assert snag.mend()[0].words == "Set input In Bertil to channel 2"


def test_snags_come_worst_first() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["line-silent"](bench), *BREAKS["one-side-silent"](bench), *BREAKS["line-hot"](bench))
    order = [snag.severity for snag in find_snags(read(bench.rig))]
    assert order == sorted(order, key=["stop", "trouble", "risk", "note"].index)
