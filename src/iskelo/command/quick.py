"""``./iskelo quick``: what can be known of a change within a minute, without a database or a browser.

Looked at is what is not as it was when this last ended well: its form, its types, and the tests of the modules that
changed and of what imports them, the nearest first, as many as fit. How long each takes is remembered.
"""

import ast
import concurrent.futures
import functools
import hashlib
import json
import os
import subprocess
import sys
import time
from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from iskelo.command.install import node_modules
from iskelo.command.places import ROOT, VAR, WEB, say

BIN = Path(sys.executable).parent
CODE = ("src", "tests", "benchmarks")
SEEN, DURATIONS = VAR / "quick-seen.json", VAR / "test-seconds.json"
TESTS_SECONDS = 45.0
"""So long all tests that are chosen take by themselves; two processes share them."""
UNKNOWN_SECONDS = 3.0
"""A file that was never run takes so long."""
AT_ONCE = 2
SLOWEST_SECONDS = 2.0
"""A test that takes longer is for the whole run."""


def quick() -> int:
    """Look at what has changed; an error if anything is wrong with it. What was left out is said."""
    began = time.monotonic()
    VAR.mkdir(exist_ok=True)
    now = _digests()
    changed = _changed(now)
    python = [path for path in changed if path.endswith(".py")]
    web = [path for path in changed if path.startswith("web/")]
    if not changed:
        print("nothing has changed since this last ended well")
    works: list[tuple[str, list[str], Path]] = [
        ("ruff format", [str(BIN / "ruff"), "format", "--check", "-q", *CODE], ROOT),
        ("ruff", [str(BIN / "ruff"), "check", "-q", *CODE], ROOT),
    ]
    if any(path.startswith("src/") for path in python):
        status = str(VAR / "dmypy.json")
        works.append(("mypy", [str(BIN / "dmypy"), "--status-file", status, "run", "--timeout", "3600"], ROOT))
    if web:
        node_modules()
        works.append(("vitest", ["npx", "vitest", "run"], WEB))
    chosen = choose(python)
    if chosen.tests:
        words = [sys.executable, "-m", "pytest", "-q", "-n", str(AT_ONCE), "--dist", "worksteal", *chosen.tests]
        words += [word for name in chosen.slow for word in ("--deselect", name)]
        works.append(("tests", words, ROOT))
    print(chosen.words, flush=True)
    failed = 0
    with concurrent.futures.ThreadPoolExecutor(len(works)) as side_by_side:
        running = {side_by_side.submit(_run, *work): work[0] for work in works}
        for done in concurrent.futures.as_completed(running):
            good, seconds, said = done.result()
            if not good:
                print(said)
            print(f"{'ok    ' if good else 'FAILED'} {running[done]} ({seconds:.1f} s)", flush=True)
            failed += not good
    print(f"{time.monotonic() - began:.1f} s")
    if failed:
        say(f"{failed} step{'s' if failed > 1 else ''} failed; what is wrong stands above.")
        return 1
    SEEN.write_text(json.dumps(now))
    return 0


def _run(_: str, words: list[str], folder: Path) -> tuple[bool, float, str]:
    began = time.monotonic()
    done = subprocess.run(words, cwd=folder, check=False, capture_output=True, text=True, env=dict(os.environ))
    return done.returncode == 0, time.monotonic() - began, done.stdout + done.stderr


def _files() -> Iterator[Path]:
    for folder in CODE:
        yield from sorted((ROOT / folder).rglob("*.py"))
    for pattern in ("*.ts", "*.tsx"):
        yield from sorted((WEB / "src").rglob(pattern))


def _digests() -> dict[str, str]:
    return {str(path.relative_to(ROOT)): hashlib.sha256(path.read_bytes()).hexdigest() for path in _files()}


def _changed(now: dict[str, str]) -> list[str]:
    """What is not as it was when all was well; where that is not known, what is not as it was committed."""
    try:
        before: dict[str, str] = json.loads(SEEN.read_text())
    except (OSError, ValueError):
        done = subprocess.run(
            ["git", "status", "--porcelain", "--no-renames", "-uall"],
            cwd=ROOT,
            check=False,
            capture_output=True,
            text=True,
        )
        return [line[3:] for line in done.stdout.splitlines() if line[3:] in now]
    return [path for path, digest in now.items() if before.get(path) != digest]


@dataclass(frozen=True, slots=True)
class Chosen:
    """The test files to run, the tests in them that are left out, and in words how many there would be."""

    tests: tuple[str, ...]
    slow: tuple[str, ...]
    words: str


def needs_nothing(path: Path) -> bool:
    """Whether a test file runs without a database, a server or a browser."""
    return path.parts[0] in ("core", "formats") or path.name == "test_architecture.py"


def choose(changed: Iterable[str]) -> Chosen:
    """The tests of what has changed and of what imports it, nearest first, as long as there is time for them."""
    folder = ROOT / "tests"
    tests = {path: path.relative_to(folder) for path in folder.rglob("test_*.py")}
    distance = distances([path for path in changed if path.endswith(".py")])
    near = [path for path, short in tests.items() if needs_nothing(short) and path in distance]
    known = known_seconds()
    slow = {name for name, seconds in known.items() if seconds > SLOWEST_SECONDS}
    takes = dict.fromkeys(near, UNKNOWN_SECONDS)
    for path in near:
        own = [seconds for name, seconds in known.items() if name.startswith(f"{_name(path)}::") and name not in slow]
        takes[path] = sum(own) if own else UNKNOWN_SECONDS
    taken: list[str] = []
    left = TESTS_SECONDS
    for path in sorted(near, key=lambda each: (distance[each], takes[each])):
        if takes[path] <= left:
            taken.append(_name(path))
            left -= takes[path]
    left_out = tuple(sorted(name for name in slow if name.split("::")[0] in taken))
    words = f"{len(taken)} of {len(near)} test files of what has changed, without {len(left_out)} slow tests"
    if not near:
        words = "what has changed has no tests that need neither database nor browser"
    return Chosen(tuple(taken), left_out, words)


def _name(path: Path) -> str:
    return str(path.relative_to(ROOT))


def known_seconds() -> dict[str, float]:
    """How long each test took when it was last run; the tests themselves write it down (``tests/conftest.py``)."""
    try:
        found: dict[str, float] = json.loads(DURATIONS.read_text())
    except (OSError, ValueError):
        return {}
    return found


def distances(changed: list[str]) -> dict[Path, int]:
    """Over how many imports each file knows something that has changed; a test that mirrors it is nearest."""
    files = {path for folder in CODE for path in (ROOT / folder).rglob("*.py")}
    known_by: dict[Path, list[Path]] = {}
    for path in files:
        for module in _imported(path, path.stat().st_mtime_ns):
            for other in _places(module):
                if other in files:
                    known_by.setdefault(other, []).append(path)
    found: dict[Path, int] = {ROOT / path: 0 for path in changed}
    waiting = deque(found)
    while waiting:
        path = waiting.popleft()
        for other in known_by.get(path, ()):
            if other not in found:
                found[other] = found[path] + 1
                waiting.append(other)
    names = {f"test_{Path(path).stem}.py" for path in changed}
    return {path: 0 if path.name in names else far for path, far in found.items()}


@functools.cache
def _imported(path: Path, _: int) -> frozenset[str]:
    """The modules that a file, as it was changed last at some time, imports, wherever in it."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{each.name}" for each in node.names)}
        elif isinstance(node, ast.Import):
            found |= {each.name for each in node.names}
    return frozenset(found)


@functools.cache
def _places(module: str) -> tuple[Path, ...]:
    """The files of ours that a module may be."""
    places = [(ROOT / folder).joinpath(*module.split(".")) for folder in CODE]
    return tuple(file for place in places for file in (place.with_suffix(".py"), place / "__init__.py"))
