"""What copies of one sound do to it over frequency, as screens draw it."""

from iskelo.core.lines.state import LineState
from iskelo.core.timing.copies import HEARING_TOP_HZ, Heard, response_db
from iskelo.core.values import light

STEPS = 240
TEETH_TOLD = 8
"""The response of copies is told evenly from nought to so many of its notches' distances, 20 kHz at most."""


@light
class ResponseView:
    """What copies of one sound do to it over frequency, at the leg that has them; empty where there are none."""

    frequencies_hz: tuple[float, ...]
    levels_db: tuple[float, ...]
    heard: Heard | None


def line_response(state: LineState) -> ResponseView:
    """The sum of a line's copies, at its first leg that has several."""
    leg = next((each for each in state.legs if len(each.arrivals) > 1), None)
    if leg is None:
        return ResponseView((), (), None)
    first = leg.arrivals[0]
    copies = [
        (float(each.delay.seconds - first.delay.seconds), each.sign * 10 ** ((each.level_dbfs - first.level_dbfs) / 20))
        for each in leg.arrivals
    ]
    apart_s = max(delay for delay, _ in copies)
    top_hz = min(HEARING_TOP_HZ, TEETH_TOLD / apart_s) if apart_s else HEARING_TOP_HZ
    frequencies = tuple(top_hz * step / STEPS for step in range(STEPS + 1))
    return ResponseView(frequencies, tuple(response_db(copies, frequencies)), leg.comb.heard if leg.comb else None)
