"""The graph of ports: what joins them, why sound does not pass, and that what is offered opens the way."""

import graphlib

import pytest
from hypothesis import given, settings

from drawn import drawn
from iskelo.core.edits.additions import AddBuses, AddDriver, AddProgram
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import EnableChannels, SetDirect, SetLeg, SetValues
from iskelo.core.rig.index import index
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import STAGE, Port
from iskelo.core.rig.rig import Rig
from iskelo.core.wiring.blocks import buses_in_circles
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph, compile_graph
from iskelo.core.words.say import say, say_unblock
from rigs import Bench, any_rig, two_voices


def graph_of(rig: Rig) -> Graph:
    return compile_graph(index(rig))


def edge(graph: Graph, start: Port, end: Port, kind: str) -> Edge:
    (found,) = [each for each in graph.leaving.get(start, []) if each.end == end and each.kind == kind]
    return found


@given(any_rig())
@settings(max_examples=drawn(80))
def test_what_is_offered_takes_the_block_away(rig: Rig) -> None:
    for blocked in graph_of(rig).edges():
        if blocked.block is None or not blocked.block.unblock:
            continue
        assert say(blocked.block, index(rig))
        assert say_unblock(blocked.block, index(rig))
        after = graph_of(apply(rig, blocked.block.unblock).rig)
        still = [
            each
            for each in after.leaving.get(blocked.start, [])
            if each.end == blocked.end and each.kind == blocked.kind and each.owner == blocked.owner
        ]
        assert all(each.block is None or each.block.fact != blocked.block.fact for each in still)


@given(any_rig())
@settings(max_examples=drawn(80))
def test_the_graph_of_any_rig_leads_onward_and_never_in_circles_but_for_blocked_buses(rig: Rig) -> None:
    """Outside check: Python's graphlib finds an order for what passes; it raises if there is a circle."""
    graph = graph_of(rig)
    sorter: graphlib.TopologicalSorter[Port] = graphlib.TopologicalSorter()
    for each in graph.edges():
        if each.block is None:
            sorter.add(each.end, each.start)
    sorter.prepare()
    found = index(rig)
    for each in graph.edges():
        assert found.exists(each.start)
        assert found.exists(each.end)
        assert STAGE[each.start.bank] < STAGE[each.end.bank] or each.end.bank == "bus" or each.start.bank == "bus_out"
        assert each in graph.into(each.end)
    assert sum(map(len, graph.leaving.values())) == sum(len(graph.into(port)) for port in graph.ports())


@pytest.mark.parametrize(
    ("width", "into", "legs"),
    [(1, 1, [(1, 1)]), (2, 2, [(1, 1), (2, 2)]), (1, 2, [(1, 1), (1, 2)]), (2, 1, [(1, 1), (2, 1)])],
)
def test_which_leg_goes_to_which(width: int, into: int, legs: list[tuple[int, int]]) -> None:
    """Common practice, no published source: mono to both, both to mono, stereo leg by leg."""
    assert [(leg, end) for leg, end, _ in legs_into(width, into)] == legs


def taken(bench: Bench) -> Edge:
    """The hop by which the recorder takes Alma's channel."""
    item = next(item for item in bench.program().inputs if item.name == "In Alma")
    return edge(graph_of(bench.rig), Port(bench.id("Box"), "capture", 1), Port(item.id, "input", 1), "from device")


def test_a_driver_that_is_not_installed_stops_everything_and_says_which() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().drivers[0].id, values={"installed": False}))
    block = taken(bench).block
    assert block is not None
    assert say(block, index(bench.rig)) == "the vendor driver of Box is not installed"
    assert say_unblock(block, index(bench.rig)) == "Install the vendor driver of Box"


def test_a_driver_for_one_program_is_held_by_the_first_and_another_driver_is_offered_before_taking_it_away() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().drivers[0].id, values={"clients": "one"}))
    assert taken(bench).block is None
    second = bench.do(AddProgram(name="Player", program_kind="player", voices=("Music",), device=bench.id("Box")))
    player = next(program for program in index(second.rig).programs() if program.name == "Player")
    sent = next(each for each in graph_of(bench.rig).edges() if each.kind == "to device" and each.owner == player.id)
    assert sent.block is not None
    assert (
        say(sent.block, index(bench.rig))
        == "Recorder holds the vendor driver of Box, which takes one program at a time"
    )
    # Taking it away from who has it would silence that one.
    assert sent.block.unblock == ()
    bench.do(AddDriver(interface=bench.id("Box")))
    sent = next(each for each in graph_of(bench.rig).edges() if each.kind == "to device" and each.owner == player.id)
    assert sent.block is not None
    assert say_unblock(sent.block, index(bench.rig)) == "Let Player open Box by its system, shared driver"


def test_a_channel_beyond_what_the_driver_shows_and_one_that_is_not_enabled_are_told_apart() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().drivers[0].id, values={"capture": 0}))
    shown = taken(bench).block
    assert shown is not None
    assert say(shown, index(bench.rig)) == "the vendor driver of Box shows 0 capture channels, not 1"
    assert shown.unblock == ()
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"capture": None}),
        EnableChannels(program=bench.id("Recorder"), channels=(1,), on=False),
    )
    enabled = taken(bench).block
    assert enabled is not None
    assert say_unblock(enabled, index(bench.rig)) == "Enable input channel 1 in Recorder"


def test_an_optical_channel_that_the_rate_cuts_says_at_which_it_is_there() -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.id("Box"), values={"optical_in": 8, "rate_hz": 192_000}),
        SetLeg(item=bench.id("In Alma"), channel=3),
    )
    item = next(item for item in bench.program().inputs if item.name == "In Alma")
    block = edge(
        graph_of(bench.rig), Port(bench.id("Box"), "capture", 3), Port(item.id, "input", 1), "from device"
    ).block
    assert block is not None
    assert say(block, index(bench.rig)) == "at 192 kHz Box has 2 capture channels, not 3"
    assert say_unblock(block, index(bench.rig)) == "Run Box at 96 kHz"


def test_a_muted_crosspoint_and_a_muted_lead_say_what_to_unmute() -> None:
    bench = two_voices()
    lead = bench.rig.patches[0]
    bench.do(
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2, gain_db=-3, muted=True),
        SetValues(item=lead.id, values={"muted": True}),
    )
    graph = graph_of(bench.rig)
    direct = edge(graph, Port(bench.id("Box"), "jack_in", 1), Port(bench.id("Box"), "jack_out", 2), "direct").block
    plugged = edge(graph, lead.from_port, lead.to_port, "lead in").block
    assert direct is not None
    assert plugged is not None
    assert say_unblock(direct, index(bench.rig)) == "Unmute direct monitoring from jack in 1 to jack out 2 of Box"
    assert say(plugged, index(bench.rig)) == "the lead into Box jack in 1 is muted"


def test_buses_that_feed_each_other_are_in_a_circle_and_one_beside_them_is_not() -> None:
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(AddBuses(program=recorder, names=("A", "B", "C")))
    a, b, c = (bus.id for bus in bench.program().buses)
    bench.do(
        SetValues(item=a, values={"output": b}),
        SetValues(item=b, values={"output": a}),
        SetValues(item=c, values={"output": a}),
    )
    assert buses_in_circles(bench.program()) == {a, b}
    words = {
        each.owner: say(each.block, index(bench.rig))
        for each in graph_of(bench.rig).edges()
        if each.kind == "fader" and each.block
    }
    assert words == {a: "bus A feeds itself", b: "bus B feeds itself"}


@given(any_rig(back=True))
@settings(max_examples=drawn(60))
def test_edges_that_one_switch_shuts_have_one_code_and_say_the_same(rig: Rig) -> None:
    found, said = index(rig), dict[tuple[str, str], str]()
    for each in graph_of(rig).edges():
        if each.block is not None:
            words = say(each.block, found)
            assert said.setdefault((each.block.code, each.block.about), words) == words
