"""What the quick loop looks at, and what a run of some tests makes ready."""

import json
from pathlib import Path

import pytest

from iskelo.command import check, quick
from iskelo.command.places import ROOT


@pytest.fixture
def memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """What the loop remembers, in a folder of its own."""
    monkeypatch.setattr(quick, "SEEN", tmp_path / "seen.json")
    monkeypatch.setattr(quick, "DURATIONS", tmp_path / "seconds.json")
    return tmp_path


def test_the_tests_of_what_changed_and_of_what_imports_it_are_chosen_nearest_first(memory: Path) -> None:
    chosen = quick.choose(["src/iskelo/core/levels/units.py"])
    assert "tests/core/test_levels.py" in chosen.tests
    changed = quick.distances(["src/iskelo/core/levels/units.py"])
    far = [changed[ROOT / test] for test in chosen.tests]
    assert far == sorted(far)
    assert quick.choose(["src/iskelo/core/snags/levels.py"]).tests[0] == "tests/core/test_levels.py"
    assert quick.choose([]).tests == ()


def test_no_test_that_needs_a_database_or_a_browser_is_chosen(memory: Path) -> None:
    everything = [str(path.relative_to(ROOT)) for path in (ROOT / "src").rglob("*.py")]
    folders = {test.split("/")[1] for test in quick.choose(everything).tests}
    assert folders <= {"core", "formats", "test_architecture.py"}
    assert folders


def test_as_many_are_chosen_as_there_is_time_for_and_slow_ones_left_out(memory: Path) -> None:
    near = quick.choose(["src/iskelo/core/rig/rig.py"]).tests
    slow = f"{near[0]}::test_slow"
    known = {slow: quick.SLOWEST_SECONDS + 1, f"{near[0]}::test_short": 0.1}
    known |= {f"{test}::test_{number}": 1.5 for test in near[1:] for number in range(40)}
    (memory / "seconds.json").write_text(json.dumps(known))
    chosen = quick.choose(["src/iskelo/core/rig/rig.py"])
    assert near[0] in chosen.tests
    assert slow in chosen.slow
    assert not set(near[1:]) & set(chosen.tests)


def test_what_changed_is_what_is_not_as_when_all_was_well(memory: Path) -> None:
    now = {"src/a.py": "1", "src/b.py": "2", "web/src/c.ts": "3"}
    (memory / "seen.json").write_text(json.dumps({**now, "src/b.py": "another"}))
    assert quick._changed(now) == ["src/b.py"]
    (memory / "seen.json").write_text(json.dumps(now))
    assert quick._changed(now) == []


@pytest.mark.parametrize(
    ("place", "needs"),
    [
        ("tests/core/test_levels.py::test_any", {"speech"}),
        ("tests/formats", {"speech"}),
        ("tests/store/test_rigs.py", {"postgres"}),
        ("tests/api", {"postgres", "screens"}),
        ("tests/web/test_person.py", {"postgres", "screens", "browser", "speech"}),
        ("tests", {"postgres", "screens", "browser", "speech"}),
    ],
)
def test_only_what_some_tests_need_is_made_ready(place: str, needs: set[str], monkeypatch: pytest.MonkeyPatch) -> None:
    made: set[str] = set()
    for name, what in (
        ("postgres_programs", "postgres"),
        ("built_screens", "screens"),
        ("chromium", "browser"),
        ("recorded_speech", "speech"),
    ):
        monkeypatch.setattr(check, name, lambda what=what: made.add(what))
    check._made_ready([place])
    assert made == needs


def test_a_run_over_its_budget_is_warned_of_and_no_more(capsys: pytest.CaptureFixture[str]) -> None:
    check._told_of_budget(720.0, 45.0)
    check._told_of_budget(1440.0, 45.0)
    within, over = capsys.readouterr().out.splitlines()
    assert within == "within the budget: 12.0 minutes = 16000 of 16000 yardsticks of 45 ms"
    assert over.startswith("WARNING, over the budget: 24.0 minutes = 32000 of 16000")
