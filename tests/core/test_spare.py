"""Time to spare, several programs on one computer, and what a link and a file hold, against outside figures."""

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.edits.additions import AddProgram
from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.ladder import Ladder, ladders, say_touched
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.links import LINK_LIMITS, frame_bytes, link_overload
from iskelo.core.rig.programs import LoadReading, Program, Track, Voice
from iskelo.core.rig.value import BUFFERS_SAMPLES
from iskelo.core.timing.budgets import FILE_LIMIT_BYTES, recording_bytes_per_s, seconds_to_limit
from iskelo.core.timing.spare import (
    MARGIN,
    Task,
    Work,
    response_times_s,
    smallest_safe,
    to_spare,
    together,
    work_of,
)
from rigs import Bench, heard, two_voices


def reading(buffer: int, percent: float) -> LoadReading:
    return LoadReading(buffer_samples=buffer, percent=percent)


@given(
    fixed_ms=st.floats(0, 1),
    share=st.floats(0, 0.7),
    sizes=st.lists(st.sampled_from(BUFFERS_SAMPLES), min_size=2, max_size=2, unique=True),
)
def test_two_readings_give_back_the_work_they_were_made_of(fixed_ms: float, share: float, sizes: list[int]) -> None:
    work = Work(fixed_ms / 1000, share / 48_000)
    readings = [reading(size, 100 * work.seconds(size) * 48_000 / size) for size in sizes if work.seconds(size) > 0]
    if len(readings) == 2 and all(each.percent <= 400 for each in readings):
        (found,) = work_of(readings, 48_000)
        assert found.fixed_s == pytest.approx(work.fixed_s, abs=1e-9)
        assert found.per_sample_s == pytest.approx(work.per_sample_s, abs=1e-9)


def test_the_worked_example_of_two_readings() -> None:
    """By hand: a = 0.1 / (48000 (1/128 - 1/256)) = 0.5333 ms; b fs = 0.5 - 0.2 = 0.3."""
    (work,) = work_of([reading(128, 50), reading(256, 40)], 48_000)
    assert 1000 * work.fixed_s == pytest.approx(0.53333, abs=1e-4)
    assert 48_000 * work.per_sample_s == pytest.approx(0.3)
    # At 64 the fixed part weighs double: 0.4 + 0.3.
    assert to_spare(work, 0, 64, 48_000) == pytest.approx(0.3)


def test_one_reading_gives_a_range_and_none_gives_nothing() -> None:
    works = work_of([reading(128, 40)], 48_000)
    spare = sorted(to_spare(work, 0, 64, 48_000) for work in works)
    assert spare == pytest.approx([1 - 0.8, 1 - 0.4])
    assert [to_spare(work, 0, 128, 48_000) for work in works] == pytest.approx([0.6, 0.6])
    assert work_of([], 48_000) == ()


@given(
    fixed_ms=st.floats(0, 5), share=st.floats(0, 1.2), jitter_ms=st.floats(0, 2), rate=st.sampled_from([44_100, 96_000])
)
def test_the_smallest_safe_buffer_is_the_first_that_leaves_the_margin(
    fixed_ms: float, share: float, jitter_ms: float, rate: int
) -> None:
    """Against trying every size; a rounding at the very edge may fall either way."""
    work = Work(fixed_ms / 1000, share / rate)
    spare = {size: to_spare(work, jitter_ms / 1000, size, rate) for size in BUFFERS_SAMPLES}
    found = smallest_safe([work], jitter_ms / 1000, rate, BUFFERS_SAMPLES)
    if found is None:
        assert max(spare.values()) < MARGIN + 1e-9
    else:
        assert spare[found] >= MARGIN - 1e-9
        assert all(left < MARGIN + 1e-9 for size, left in spare.items() if size < found)


def test_response_times_of_the_handbook() -> None:
    """Burns and Wellings, *Real-Time Systems and Programming Languages* (from memory; recomputed here by hand)."""
    tasks = [Task(3, 7), Task(3, 12), Task(5, 20)]
    assert response_times_s(tasks) == [3, 6, 20]
    assert response_times_s(list(reversed(tasks))) == [20, 6, 3]
    assert response_times_s([Task(3, 7), Task(3, 12), Task(6, 20)])[2] is None


@given(st.lists(st.tuples(st.integers(1, 6), st.integers(2, 14)), min_size=1, max_size=3))
def test_response_times_equal_a_run_of_the_processor_tick_by_tick(drawn: list[tuple[int, int]]) -> None:
    """All called at once, the shortest period first: when is each first done?"""
    tasks = sorted({period: Task(work, period) for work, period in drawn}.values(), key=lambda each: each.period_s)
    left = [int(each.work_s) for each in tasks]
    done: list[int | None] = [None] * len(tasks)
    for tick in range(1, 2 * max(int(each.period_s) for each in tasks)):
        running = next((place for place, work in enumerate(left) if work > 0), None)
        if running is not None:
            left[running] -= 1
            if left[running] == 0 and done[running] is None:
                done[running] = tick
        for place, each in enumerate(tasks):
            if tick % int(each.period_s) == 0:
                left[place] += int(each.work_s)
    for task, told, ran in zip(tasks, response_times_s(tasks), done, strict=True):
        assert told == (ran if ran is not None and ran <= task.period_s else None)


def test_programs_fit_depend_or_do_not() -> None:
    light, heavy = Task(0.001, 0.01), Task(0.006, 0.01)
    assert together([light, light, light], 4) == "fits"
    assert together([heavy, heavy], 4) == "depends"
    assert together([heavy, heavy, heavy], 2) == "does not fit"
    assert together([Task(0.009, 0.01)], 8) == "does not fit"


def ladder_of(bench: Bench) -> Ladder:
    (found,) = ladders(read(bench.rig))
    return found


def test_a_ladder_with_readings_tells_what_is_left_and_the_smallest_safe_rung() -> None:
    bench = two_voices()
    assert all(rung.spare_percent is None for rung in ladder_of(bench).rungs)
    readings = [{"buffer_samples": 128, "percent": 50}, {"buffer_samples": 256, "percent": 40}]
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"load_readings": readings}),
        SetValues(item="rig", values={"jitter_ms": 0}),
    )
    rungs = {rung.buffer_samples: rung for rung in ladder_of(bench).rungs}
    assert rungs[64].spare_percent == pytest.approx((30, 30))
    assert (rungs[16].verdict, rungs[32].verdict, rungs[64].verdict) == ("clicks", "clicks", "fits")
    assert [size for size, rung in rungs.items() if rung.smallest_safe] == [64]
    bench.do(SetValues(item="rig", values={"jitter_ms": 0.2}))
    assert {rung.buffer_samples: rung.verdict for rung in ladder_of(bench).rungs}[64] == "tight"
    heard(bench, "Alma", within_ms=10)
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    assert {rung.buffer_samples: rung.verdict for rung in ladder_of(bench).rungs}[512] == "late"


def test_without_readings_no_buffer_fits_and_the_limit_stands_beside_the_line_that_has_it() -> None:
    """A round trip of 13 ms once stood beyond the mark of a line's own 10 ms and was said to fit."""
    bench = two_voices()
    assert {rung.verdict for rung in ladder_of(bench).rungs} == {"not known"}
    assert {rung.nearest for rung in ladder_of(bench).rungs} == {None}
    heard(bench, "Alma", within_ms=10)
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    rungs = ladder_of(bench).rungs
    assert {rung.verdict for rung in rungs} == {"in time", "late"}
    for rung in rungs:
        assert rung.nearest is not None
        assert (rung.nearest.ms > rung.nearest.limit_ms) == (rung.late_lines > 0) == (rung.verdict == "late")
        bench.do(SetValues(item=ladder_of(bench).driver, values={"buffer_samples": rung.buffer_samples}))
        (line,) = (each for each in read(bench.rig).lines if each.line.longest_delay_ms)
        assert rung.nearest.ms == pytest.approx(max(a.delay.most_ms for leg in line.legs for a in leg.arrivals))


def test_a_program_that_clicks_comes_before_one_whose_lines_are_late() -> None:
    bench = two_voices()
    heard(bench, "Alma", within_ms=1)
    bench.do(
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
        AddProgram(name="Deck", program_kind="player", device=bench.id("Box")),
    )
    assert [each.name for each in ladders(read(bench.rig))] == ["Recorder", "Deck"]
    readings = [{"buffer_samples": 128, "percent": 120}]
    bench.do(SetValues(item=bench.id("Deck"), values={"load_readings": readings}))
    assert [(each.name, each.verdict) for each in ladders(read(bench.rig))] == [
        ("Deck", "clicks"),
        ("Recorder", "late"),
    ]


def test_the_bytes_of_a_link() -> None:
    """USB 2.0 limits as in the table of docs/calculations.md (from memory); the products worked by hand."""
    full, high = LINK_LIMITS["USB full speed"], LINK_LIMITS["USB high speed"]
    assert frame_bytes(2, 3, 48_000, full) == 2 * 3 * 49
    assert frame_bytes(18, 4, 48_000, high) == 18 * 4 * 7
    assert frame_bytes(8, 4, 44_100, high) == 8 * 4 * 6
    assert frame_bytes(0, 4, 48_000, high) == 0


def box(link: str, channels: int, size: int, rate_hz: int) -> Interface:
    return Interface.model_validate(
        {
            "id": "b1",
            "name": "Box",
            "capture": channels,
            "playback": channels,
            "link_kind": link,
            "link_sample_bytes": size,
            "rate_hz": rate_hz,
            "drivers": [{"id": "d1"}],
        }
    )


@pytest.mark.parametrize(
    ("link", "channels", "size", "rate_hz", "fits"),
    [
        ("USB full speed", 2, 3, 48_000, True),
        ("USB full speed", 2, 3, 96_000, True),
        ("USB full speed", 2, 3, 192_000, False),  # 2 x 3 x 193 = 1158 > 1023
        ("USB full speed", 5, 3, 44_100, True),  # each way 5 x 3 x 45 = 675, both 1350: the limit to the byte
        ("USB full speed", 5, 3, 48_000, False),
        ("USB high speed", 32, 4, 96_000, True),
        ("USB high speed", 32, 4, 192_000, False),  # 32 x 4 x 25 = 3200 > 3072
        ("PCIe-class", 128, 4, 192_000, True),
    ],
)
def test_which_boxes_a_link_can_carry(link: str, channels: int, size: int, rate_hz: int, fits: bool) -> None:
    assert (link_overload(box(link, channels, size, rate_hz)) is None) is fits


def test_32_channels_are_full_after_15_min_32_s() -> None:
    """Arithmetic of docs/calculations.md: 32 x 3 x 48000 = 4.608 MB/s; 2^32 bytes after 932 s."""
    assert recording_bytes_per_s(32, 48_000) == 4_608_000
    assert divmod(int(seconds_to_limit(32, 48_000)), 60) == (15, 32)


def test_libsndfile_writes_as_many_bytes_a_second_as_told(tmp_path) -> None:
    """Outside check: the size of a 24-bit file that libsndfile wrote."""
    path = tmp_path / "second.wav"
    soundfile.write(path, np.zeros((48_000, 6)), 48_000, subtype="PCM_24")
    assert 0 <= path.stat().st_size - recording_bytes_per_s(6, 48_000) < 200
    assert FILE_LIMIT_BYTES == 1 << 32


def test_a_player_that_records_nothing_fills_no_file() -> None:
    bench = two_voices()
    bench.do(SetValues(item="rig", values={"show_minutes": 60_000}), AddProgram(name="Deck", program_kind="player"))
    assert [snag.items for snag in bench.snags("file-passes-4-gib")] == [(bench.id("Recorder"),)]


def test_work_that_several_cores_shared_may_not_fit_beside_another_program() -> None:
    light, spread = Task(0.001, 0.01), Task(0.003, 0.01, spread=True)
    # On one core the spread work takes four times as long at worst: 12 ms of 8.
    assert together([light, spread], 4) == "depends"
    assert together([light, Task(0.003, 0.01)], 4) == "fits"
    assert together([light, Task(0.001, 0.01, spread=True)], 4) == "fits"


def test_a_fader_on_what_is_worked_ahead_is_heard_that_much_later() -> None:
    """Arithmetic: 2048 ahead and 324 out at 48 kHz are 49.42 ms; sound itself is as late as without."""
    player = Program(id="p1", name="Deck", voices=(Voice(id="v1", name="Bed"),), read_ahead_samples=2048)
    assert say_touched(player, 324, 48_000) == "2048 samples ahead: a fader there is heard after 49.42 ms"
    assert say_touched(player.model_copy(update={"read_ahead_samples": None}), 324, 48_000) == ""
    only_live = Program(id="p1", name="R", tracks=(Track(id="t1", name="A"),), read_ahead_samples=2048)
    assert say_touched(only_live, 324, 48_000) == ""
