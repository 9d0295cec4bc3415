"""When a known total makes up for parts that nobody knows."""

import pytest

from iskelo.core.rig.drivers import Offsets
from iskelo.core.timing.doubt import Side, in_doubt

IN, OUT, PAST = ("b1", "in"), ("b1", "out"), ("b1", "elsewhere")


def offsets(origin: str, out_samples: int = 2) -> Offsets:
    return Offsets.model_validate(
        {"rate_hz": 48_000, "buffer_samples": 64, "in_samples": 1, "out_samples": out_samples, "origin": origin}
    )


MEASURED, REPORTED = offsets("measured"), offsets("described")


@pytest.mark.parametrize(
    ("assumed", "known", "doubt"),
    [
        ({}, {}, False),
        ({IN: False, OUT: False}, {}, False),
        ({IN: True}, {}, True),
        ({IN: True}, {IN: REPORTED}, False),
        ({IN: True}, {IN: MEASURED}, True),
        ({IN: True, OUT: True}, {IN: MEASURED, OUT: MEASURED}, False),
        ({IN: True, OUT: False}, {IN: MEASURED, OUT: MEASURED}, False),
        # Two measurements by two drivers of one box are no round trip.
        ({IN: True, OUT: True}, {IN: MEASURED, OUT: offsets("measured", 3)}, True),
        ({IN: True, OUT: True}, {IN: MEASURED, OUT: REPORTED}, True),
        ({IN: False, OUT: True}, {IN: MEASURED, OUT: REPORTED}, False),
        ({IN: True, OUT: True}, {IN: REPORTED}, True),
        ({IN: True, PAST: True}, {IN: REPORTED}, True),
        ({IN: True, ("b2", "in"): True}, {IN: REPORTED}, True),
        ({IN: True, ("b2", "out"): True}, {IN: MEASURED, ("b2", "out"): MEASURED}, True),
    ],
)
def test_what_is_in_doubt(assumed: dict[Side, bool], known: dict[Side, Offsets], doubt: bool) -> None:
    assert in_doubt(assumed, known) is doubt
