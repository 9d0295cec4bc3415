"""Rules about calls: a far end that hears itself, and one that is heard, or hears, too late."""

import math
from fractions import Fraction
from functools import partial

from iskelo.core.edits.edit import SetValues
from iskelo.core.levels.units import db_to_ratio, ratio_to_db
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.mix_minus import FarPlace, far_places, mix_minus, own_routes
from iskelo.core.routes.route import Route
from iskelo.core.snags.arrivals import smaller_buffers
from iskelo.core.snags.rule import Remedy, Severity, Snag, if_so, rule
from iskelo.core.timing.delays import Delay, delay_of, latest

FINE_MS = 150.0
NOTICED_MS = 400.0
"""One way of a call up to which it is fine, and up to which it is only noticed. ITU-T G.114, from memory."""

ECHO_CONTROL_MS = 25.0
"""One way of a call above which its echo wants to be controlled. ITU-T G.131, from memory."""


@rule("call", symptoms=("echo",))
def far_end_hears_itself(reading: Reading) -> list[Snag]:
    """What a far end says comes back to its own ear, though no line wants that: there is no mix-minus."""
    snags = []
    for place in far_places(reading):
        routes = [route for route in own_routes(reading, place) if not _wanted(reading, route)]
        if not routes:
            continue
        delays = [delay_of(route.edges, reading.found) for route in routes]
        first = routes[delays.index(min(delays, key=lambda each: each.ms))]
        low_ms, high_ms = min(each.ms for each in delays), max(each.most_ms for each in delays)
        ears = {ear.id for ear in place.ears}
        name = place.voice.name
        times = len({each.seconds for each in delays})
        again = f", {times} times" if times > 1 else ""
        snags.append(
            Snag(
                key=f"far-end-hears-itself:{place.voice.id}",
                rule="far-end-hears-itself",
                severity="trouble",
                title=f"What {name} says comes back to {name}, {_span(low_ms, high_ms)} later{again}",
                evidence=f"{_hops(reading, first)}: {_together_db(routes, delays):+.1f} dB, and "
                f"{_local_ms(reading, first):.1f} ms of it here.",
                consequence=_echo(low_ms, high_ms),
                items=(place.voice.id, *(ear.id for ear in place.ears)),
                lines=tuple(line.id for line in reading.rig.lines if any(port.owner in ears for port in line.to_ports)),
                mend=partial(_mend, reading, place),
            )
        )
    return snags


def _wanted(reading: Reading, route: Route) -> bool:
    ends = (route.edges[0].start, route.edges[-1].end)
    return any(ends in line.pairs() for line in reading.rig.lines)


def _mend(reading: Reading, place: FarPlace) -> tuple[Remedy, ...]:
    return tuple(Remedy(act.words, act.edits) for act in mix_minus(reading, place))


def _hops(reading: Reading, route: Route) -> str:
    """A way from one piece of gear to the next: 'Farline, Gully 1, Gangway, Gully 2, Farline'."""
    found = reading.found
    names = [found.owner(port).name for port in route.ports]
    return " → ".join(name for at, name in enumerate(names) if at == 0 or name != names[at - 1])


def _together_db(routes: list[Route], delays: list[Delay]) -> float:
    """How loud the loudest of what comes back is; what comes back at once adds up."""
    sums: dict[Fraction, float] = {}
    for route, delay in zip(routes, delays, strict=True):
        sums[delay.seconds] = sums.get(delay.seconds, 0.0) + route.sign * db_to_ratio(route.gain_db)
    return ratio_to_db(max(map(abs, sums.values())) or db_to_ratio(-144))


def _local_ms(reading: Reading, route: Route) -> float:
    terms = [term for term in delay_of(route.edges, reading.found).terms if not term.label.endswith("the far end")]
    return sum(1000 * term.samples / term.rate_hz for term in terms)


def _echo(low_ms: float, high_ms: float) -> str:
    """What comes back so late, and whether control is wanted; G.131 tells from which delay on, by one way."""
    low, high = low_ms / 2, high_ms / 2
    if high <= ECHO_CONTROL_MS:
        return f"So soon it is hardly heard: one way, half of it, is {_span(low, high)}."
    asked = "is" if low > ECHO_CONTROL_MS else "may be"
    return (
        f"Who speaks there hears every word twice. One way, half of it, is {_span(low, high)}; above "
        f"{ECHO_CONTROL_MS:g} ms echo control {asked} wanted. Headphones do not help: it is a way through programs."
    )


def _span(low_ms: float, high_ms: float) -> str:
    return f"{low_ms:.0f} ms" if round(low_ms) == round(high_ms) else f"{low_ms:.0f} to {high_ms:.0f} ms"


@rule("call", symptoms=("late",))
def far_end_late(reading: Reading) -> list[Snag]:
    """What passes a call takes longer one way than published guidance allows, and no line says how long it may."""
    late: dict[tuple[str, Severity], list[tuple[LineState, Delay]]] = {}
    voices = [voice.id for program in reading.found.programs() for voice in program.voices if voice.far is not None]
    calls = {*voices, *reading.found.ears}
    for state in reading.lines if calls else ():
        far = next((port.owner for port in (*state.line.from_ports, *state.line.to_ports) if port.owner in calls), None)
        if far is None or state.line.longest_delay_ms is not None:
            continue
        delay = latest(state.delays())
        if delay is None or delay.most_ms <= FINE_MS:
            continue
        late.setdefault((far, "risk" if delay.most_ms > NOTICED_MS else "note"), []).append((state, delay))
    return [_late(reading, far, severity, states) for (far, severity), states in late.items()]


def _late(reading: Reading, far: str, severity: Severity, late: list[tuple[LineState, Delay]]) -> Snag:
    state, delay = max(late, key=lambda each: each[1].most_ms)
    more = f" and {len(late) - 1} more" if len(late) > 1 else ""
    title, consequence = _judged(f"{state.line.name}{more}", delay)
    return Snag(
        key=f"far-end-late:{far}:{severity}",
        rule="far-end-late",
        severity=severity,
        title=title,
        evidence=f"One way {_span(delay.ms, delay.most_ms)}: up to {FINE_MS:g} ms is fine, up to {NOTICED_MS:g} is "
        f"noticed{'; what lies outside is assumed' if delay.assumed else ''}.",
        consequence=consequence,
        items=(far,),
        lines=tuple(each.line.id for each, _ in late),
        mend=partial(_sooner_or_so, reading, late),
    )


def _judged(name: str, delay: Delay) -> tuple[str, str]:
    low, high = delay.ms, delay.most_ms
    if high > NOTICED_MS:
        sure, may = low > NOTICED_MS, "" if low > NOTICED_MS else "may "
        return (
            f"{name}: {_span(low, high)}, {'' if sure else 'perhaps '}too late to talk",
            f"They {may}speak into each other's words.",
        )
    sure = low > FINE_MS
    return (
        f"{name}: {_span(low, high)}, which {'is' if sure else 'may be'} noticed",
        f"Answers {'' if sure else 'may '}come after a pause.",
    )


def _sooner_or_so(reading: Reading, late: list[tuple[LineState, Delay]]) -> tuple[Remedy, ...]:
    """Smaller buffers, where those bring it under; else it is said how long it may take."""
    state, delay = max(late, key=lambda each: each[1].most_ms)
    limit_ms = FINE_MS if delay.most_ms <= NOTICED_MS else NOTICED_MS
    so = tuple(
        SetValues(item=each.line.id, values={"longest_delay_ms": float(math.ceil(took.most_ms))}) for each, took in late
    )
    who = state.line.name if len(late) == 1 else f"These {len(late)} lines"
    return (*smaller_buffers(reading, state, limit_ms), if_so(f"{who} may take up to {delay.most_ms:.0f} ms", *so))
