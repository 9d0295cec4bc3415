"""The twin's memory: what was written is read back at its place in time, however it is cut up."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.twin.program import Processor
from iskelo.core.twin.stream import Stream


@given(keep=st.integers(1, 60), blocks=st.lists(st.integers(1, 90), min_size=1, max_size=30), data=st.data())
def test_anything_not_too_far_back_is_read_as_it_was_written(keep: int, blocks: list[int], data: st.DataObject) -> None:
    stream = Stream(2, keep)
    sound = np.arange(1, sum(blocks) + 1, dtype=np.float32)
    for count in blocks:
        at = stream.written
        stream.write(np.stack([sound[at : at + count], -sound[at : at + count]]))
        end = stream.written
        start = data.draw(st.integers(end - keep, end))
        wanted = np.array([sound[n] if n >= 0 else 0 for n in range(start, end)], np.float32)
        assert np.array_equal(stream.read(start, end - start), np.stack([wanted, -wanted]))


@pytest.mark.parametrize(
    ("work", "told"),
    [
        (0.5, [(True, True)] * 6),
        (1.0, [(True, True)] * 6),
        # One and a half periods: each is late, and every third cannot even be begun before it is due.
        (1.5, [(True, False), (True, False), (False, False)] * 2),
        # Two and a half: busy through the next two calls.
        (2.5, [(True, False), (False, False), (True, False), (False, False), (False, False), (True, False)]),
    ],
)
def test_a_core_that_is_late_loses_blocks(work: float, told: list[tuple[bool, bool]]) -> None:
    """Worked by hand: block n is called at n and due at n + 1; a core that is free later begins later."""
    core = Processor(work, 0.0, 1)
    assert [core.handle(float(n), float(n + 1)) for n in range(6)] == told
    assert (core.blocks, core.missed) == (6, sum(not ready for _, ready in told))


@given(st.integers(0, 1000))
def test_calls_are_never_later_than_the_jitter_and_the_same_seed_is_as_late_again(seed: int) -> None:
    one, other = Processor(0.5, 0.4999, seed), Processor(0.5, 0.4999, seed)
    runs = [[core.handle(float(n), float(n + 1)) for n in range(200)] for core in (one, other)]
    assert runs[0] == runs[1] == [(True, True)] * 200
