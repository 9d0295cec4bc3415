"""What copies of one sound do to it over frequency, as screens draw it."""

from iskelo.core.lines.state import LineState
from iskelo.core.timing.copies import Heard, heard_as, response_db
from iskelo.core.values import light

RESPONSE_HZ = tuple(round(20 * 10 ** (step / 40), 1) for step in range(121))
"""Where the response of copies is told: 20 Hz to 20 kHz, forty steps a decade."""


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
    apart_ms = 1000 * max(delay for delay, _ in copies)
    return ResponseView(RESPONSE_HZ, tuple(response_db(copies, RESPONSE_HZ)), heard_as(apart_ms))
