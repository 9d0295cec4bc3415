"""Two states of a rig beside each other: every setting that differs, in words."""

from iskelo.core.compare import Change, compare_rigs
from iskelo.core.edits.additions import AddSources
from iskelo.core.edits.edit import EnableChannels, Remove, SetDirect, SetTrim, SetValues
from rigs import two_voices


def test_every_changed_setting_is_told_with_what_it_is_on() -> None:
    bench = two_voices()
    earlier = bench.rig
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 64}),
        SetValues(item=bench.track("T Bertil"), values={"input": bench.id("In Alma"), "monitored": True}),
        SetTrim(interface=bench.id("Box"), jack_in=2, trim_db=20),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2, gain_db=-6),
        EnableChannels(program=bench.id("Recorder"), channels=(7, 8), on=False),
        SetValues(item=bench.id("L Alma"), values={"longest_delay_ms": 12, "notes": "soft"}),
        AddSources(names=("Cassia",)),
        Remove(items=(bench.id("L Bertil"), earlier.patches[0].id)),
    )
    told = compare_rigs(earlier, bench.rig, "").settings
    assert set(told) == {
        Change("Box, vendor driver, buffer (samples)", "128", "64"),
        Change("Recorder, track T Bertil, input", "In Bertil", "In Alma"),
        Change("Recorder, track T Bertil, monitored", "off", "on"),
        Change("Box, trim (dB) of jack in 2", "38", "20"),
        Change("Box, direct", "none", "jack in 1 jack out 2 gain db -6 muted off"),
        Change("Recorder, enabled inputs", "1; 2; 3; 4; 5; 6; 7; 8", "1; 2; 3; 4; 5; 6"),
        Change("line L Alma, longest delay (ms)", "none", "12"),
        Change("line L Alma, notes", "changed", "changed"),
        Change("Cassia", "not there", "there"),
        Change("line L Bertil", "there", "gone"),
        Change("lead from Alma to Box jack in 1", "there", "gone"),
    }


def test_the_same_rig_has_no_changed_setting() -> None:
    rig = two_voices().rig
    assert compare_rigs(rig, rig, "").settings == ()
