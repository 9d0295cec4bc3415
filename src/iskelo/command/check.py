"""``./iskelo check`` (formatting, types, arrows, stale generated files) and ``./iskelo test`` (that and the tests)."""

import json
import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from iskelo.api.openapi import contract
from iskelo.api.rules import rules_file
from iskelo.command.install import built_screens, chromium, node_modules, postgres_programs, recorded_speech
from iskelo.command.places import ROOT, WEB, give_up, say
from iskelo.command.yardstick import yardstick_ms
from iskelo.core.rig.part import Part
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.value import Value
from iskelo.core.snags.registry import RULES
from iskelo.core.snags.rule import AREAS
from iskelo.core.snags.verdicts import verdicts_table
from iskelo.formats.bundle import BundleList

PYTHON = sys.executable
BIN = Path(PYTHON).parent
CODE = ["src", "tests", "benchmarks"]
Step = tuple[str, list[str], Path]
"""A step's name, its command, and where it runs."""


def types_file() -> Path:
    return WEB / "src" / "api" / "schema.d.ts"


def generated_types() -> str:
    """The screens' types of the API, as generated from its contract."""
    document = WEB / "openapi.json"
    document.write_text(contract())
    done = subprocess.run(
        ["npx", "openapi-typescript", str(document), "--default-non-nullable", "false"],
        cwd=WEB,
        check=False,
        capture_output=True,
        text=True,
    )
    if done.returncode:
        give_up(f"the types of the API could not be generated:\n{done.stderr[-2000:]}")
    return done.stdout


def generated_snags() -> str:
    """``docs/snags.md``: every rule with what it looks for and what its decorator says."""
    rows = ["# The snags", "", "Made from the rules in `src/iskelo/core/snags/` by `./iskelo types`.", ""]
    for area in AREAS:
        rows += [f"## {area.capitalize()}", "", "| rule | looks for | heard as | explains |", "|---|---|---|---|"]
        for known in (each for each in RULES if each.area == area):
            explains = ", ".join(name.replace("-", " ") for name in known.explains)
            cells = (known.name.replace("-", " "), known.looks_for, ", ".join(known.symptoms), explains)
            rows.append(f"| {' | '.join(cells)} |")
        rows.append("")
    return "\n".join(rows)


def schema_of(kind: type[Value], title: str) -> str:
    """The JSON Schema (draft 2020-12, as pydantic writes it) of a file format."""
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **kind.model_json_schema(mode="validation")}
    schema["title"] = title
    return json.dumps(schema, ensure_ascii=False, indent=1, sort_keys=True) + "\n"


def generated() -> dict[Path, str]:
    """Every file that is made from something else, with what it should hold."""
    docs = ROOT / "docs"
    return {
        types_file(): generated_types(),
        WEB / "src" / "api" / "rules.ts": rules_file(),
        docs / "snags.md": generated_snags(),
        docs / "verdicts.md": verdicts_table(),
        docs / "schema" / "rig.schema.json": schema_of(Rig, "A rig"),
        docs / "schema" / "part.schema.json": schema_of(Part, "A part of a rig"),
        docs / "schema" / "bundle.schema.json": schema_of(BundleList, "The list of what is in a bundle, bundle.json"),
    }


def make_types() -> int:
    """Write the generated files anew."""
    node_modules()
    for path, text in generated().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return 0


def _fresh() -> bool:
    stale = [path for path, text in generated().items() if not path.exists() or path.read_text() != text]
    for path in stale:
        print(f"{path.relative_to(ROOT)} is stale; run ./iskelo types")
    return not stale


def check() -> int:
    """Everything that is checked without running the application. The number of failed steps."""
    node_modules()
    code = [folder for folder in CODE if (ROOT / folder).exists()]
    steps: list[Step] = [
        ("mypy", [str(BIN / "mypy")], ROOT),
        ("eslint", ["npx", "eslint", "src", "--max-warnings", "0"], WEB),
        ("tsc", ["npx", "tsc", "--noEmit"], WEB),
        ("prettier", ["npx", "prettier", "--check", "--log-level", "warn", "src"], WEB),
        ("vitest", ["npx", "vitest", "run"], WEB),
        ("arrows", [str(BIN / "lint-imports"), "--no-cache"], ROOT),
        ("ruff", [str(BIN / "ruff"), "check", "-q", *code], ROOT),
        ("ruff format", [str(BIN / "ruff"), "format", "--check", "-q", *code], ROOT),
    ]
    failed = 0
    # Side by side, the longest first: each of them works on one core.
    with ThreadPoolExecutor(2) as two:
        for name, done, seconds in two.map(_checked, steps):
            if done.returncode:
                print(done.stdout + done.stderr)
            failed += _report(name, done.returncode == 0, seconds)
    began = time.monotonic()
    failed += _report("generated files", _fresh(), time.monotonic() - began)
    return failed


def _checked(step: Step) -> tuple[str, "subprocess.CompletedProcess[str]", float]:
    name, words, folder = step
    began = time.monotonic()
    done = subprocess.run(words, cwd=folder, check=False, capture_output=True, text=True)
    return name, done, time.monotonic() - began


def _report(name: str, good: bool, seconds: float) -> int:
    print(f"{'ok    ' if good else 'FAILED'} {name} ({seconds:.1f} s)", flush=True)
    return 0 if good else 1


BUDGET_YARDSTICKS = 16_000
"""What a whole run may take, in steps of the yardstick: 12 minutes where it is 45 ms."""
AT_ONCE = "3"
"""Much of a test is waiting for a server or a browser: so many at a time, each with servers of its own."""


def test(more: list[str]) -> int:
    """Install what the tests need, check everything, run every test; an error if anything failed.

    ``more``: words for pytest. Only what the tests that they name need is made ready then, and nothing is checked.
    """
    began = time.monotonic()
    ruler = yardstick_ms()
    places = [word for word in more if word.startswith("tests") or (ROOT / word.split("::")[0]).exists()]
    environment = _made_ready(places or ["tests"])
    failed = 0 if more else check()
    started = time.monotonic()
    words = more or ["-n", AT_ONCE, "--dist", "worksteal", "--durations=20", "--durations-min=1"]
    done = subprocess.run([PYTHON, "-m", "pytest", *words], cwd=ROOT, check=False, env=environment)
    failed += _report("pytest", done.returncode == 0, time.monotonic() - started)
    if not more:
        _told_of_budget(time.monotonic() - began, min(ruler, yardstick_ms()))
    if failed:
        say(f"{failed} step{'s' if failed > 1 else ''} failed; what is wrong stands above.")
    return 1 if failed else 0


def _made_ready(places: list[str]) -> dict[str, str]:
    """Install and build what the tests in these places need; the environment they run in."""
    needs = {(place.split("::")[0].removeprefix("tests").strip("/").split("/")[0]) for place in places}
    everything = bool(needs & {"", "web"})
    environment = dict(os.environ)
    if everything or needs & {"core", "formats"}:
        recorded_speech()
    if everything or needs & {"api", "store", "command"}:
        postgres_programs()
    if everything or needs & {"api", "command"}:
        environment["ISKELO_TEST_WEB_DIR"] = str(built_screens())
    if everything:
        chromium()
    return environment


def _told_of_budget(seconds: float, ruler_ms: float) -> None:
    """How a whole run stands to what it may take; a warning, for machines are not alike and others are at work."""
    took = 1000 * seconds / ruler_ms
    words = f"{seconds / 60:.1f} minutes = {took:.0f} of {BUDGET_YARDSTICKS} yardsticks of {ruler_ms:.0f} ms"
    print(f"{'within' if took <= BUDGET_YARDSTICKS else 'WARNING, over'} the budget: {words}", flush=True)
