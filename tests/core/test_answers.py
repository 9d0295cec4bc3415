"""The answer for any port of any rig, against the routes and the lines themselves."""

from hypothesis import given, settings

from drawn import drawn
from iskelo.core.answers import REACHES_AT_MOST, answer_for, port_uses
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Remove
from iskelo.core.lines.context import read
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.possible import possible_routes
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.timing.delays import delay_of
from iskelo.demo.orrin_point import orrin_point
from mixers import full_desk
from rigs import any_rig, two_voices


@given(any_rig(boxes_at_most=1))
@settings(max_examples=drawn(40))
def test_what_arrives_and_goes_on_is_what_the_routes_say_at_every_port(rig: Rig) -> None:
    reading = read(rig)
    starts = set(reading.found.starts())
    for port in reading.graph.ports():
        answer = answer_for(reading, port)
        assert answer.said == reading.found.say(port)
        for reaches, forwards in ((answer.arrives, False), (answer.goes, True)):
            assert [each.passes for each in reaches] == sorted((each.passes for each in reaches), reverse=True)
            for reach in reaches:
                start, end = (port, reach.port) if forwards else (reach.port, port)
                routes = passing_routes(reading.graph, start, end)
                assert reach.passes == bool(routes)
                assert bool(reach.stopped) != reach.passes
                assert (reach.steps[0].port, reach.steps[-1].port) == (start, end)
                if routes:
                    assert reach.delay_samples in {
                        delay.samples if delay.rate_hz else None
                        for delay in (delay_of(route.edges, reading.found) for route in routes)
                    }
        heard = {reach.port for reach in answer.arrives if reach.passes}
        assert heard == {start for start in starts - {port} if passing_routes(reading.graph, start, port)} or (
            len(heard) >= REACHES_AT_MOST
        )


def test_what_a_line_wants_and_does_not_get_is_told_at_both_of_its_ends() -> None:
    """A source that a line wanted was once said to be wanted by none, for it went nowhere."""
    bench = two_voices()
    alma, track = bench.out("Alma"), Port(bench.track("T Alma"), "track", 1)
    bench.do(Remove(items=tuple(patch.id for patch in bench.rig.patches if patch.from_port == alma)))
    reading = read(bench.rig)
    at_start, at_end = answer_for(reading, alma), answer_for(reading, track)
    assert (at_start.goes, at_start.fails) == ((), ("line L Alma wants it at Recorder track 1 T Alma",))
    assert at_end.missed == ("line L Alma wants Alma here",)
    assert not answer_for(reading, bench.out("Bertil")).fails


@given(any_rig(back=True) | full_desk())
@settings(max_examples=drawn(40))
def test_what_could_arrive_does_once_its_switches_are_set(rig: Rig) -> None:
    """Every way that there could be, made: sound passes there by the ports it names."""
    reading = read(rig)
    for port in sorted(reading.graph.ports())[:40]:
        answer = answer_for(reading, port)
        for ways, forwards in ((answer.could_arrive[:2], False), (answer.could_go[:2], True)):
            for way in ways:
                start, end = (port, way.port) if forwards else (way.port, port)
                named = tuple(step.port for step in way.steps)
                assert way.switches
                after = read(apply(rig, way.edits).rig)
                routes = passing_routes(after.graph, start, end)
                assert named in {route.ports for route in routes} or len(routes) >= ROUTES_AT_MOST


@given(any_rig())
@settings(max_examples=drawn(60))
def test_every_joined_port_has_one_use_that_names_its_neighbours_and_its_lines(rig: Rig) -> None:
    reading = read(rig)
    uses = {use.port: use for use in port_uses(reading)}
    assert uses.keys() == reading.graph.ports()
    for port, use in uses.items():
        assert len(use.feeds) == len(reading.graph.leaving.get(port, ()))
        assert len(use.fed_by) == len(reading.graph.into(port))
    passed: dict[str, set[Port]] = {}
    for port, use in uses.items():
        for line in use.lines:
            passed.setdefault(line, set()).add(port)
    for state in reading.lines:
        ports = {port for leg in state.legs for arrival in leg.arrivals for port in arrival.route.ports}
        assert passed.get(state.line.id, set()) == ports


def test_no_more_ways_are_told_than_were_asked_for_and_they_are_the_first() -> None:
    reading = read(orrin_point())
    starts, ends = reading.found.starts(), sorted(reading.graph.ports())
    several = []
    for start, end in ((start, end) for start in starts for end in ends):
        ways = possible_routes(reading.graph, start, end, 3)
        if len(ways) == 3:
            several.append((start, end, ways))
            if len(several) == 5:
                break
    assert several
    for start, end, ways in several:
        for most in (0, 1, 2):
            assert possible_routes(reading.graph, start, end, most) == ways[:most]
