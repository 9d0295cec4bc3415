"""``./iskelo hunt MINUTES``: the tests that draw examples draw new ones, until the time is over."""

import os
import random
import subprocess
import sys
import time

from iskelo.command.install import recorded_speech
from iskelo.command.places import ROOT, say

FOUND = ROOT / "tests" / "found"
"""The examples that failed once; every run of the tests tries them first, so commit what a hunt leaves there."""


def hunt(minutes: float) -> int:
    """Run the tests of properties again and again, each time with other examples; an error if one failed."""
    recorded_speech()
    until = time.monotonic() + 60 * minutes
    rounds, failed = 0, 0
    while time.monotonic() < until:
        seed = random.randrange(1, 2**31)
        rounds += 1
        say(f"round {rounds}, seed {seed}")
        words = ["-m", "hypothesis", "-n", "2", "--dist", "worksteal", "-q", f"--hypothesis-seed={seed}"]
        environment = {**os.environ, "ISKELO_HUNT": "1"}
        try:
            done = subprocess.run(
                [sys.executable, "-m", "pytest", *words, "tests/core", "tests/formats"],
                cwd=ROOT,
                check=False,
                env=environment,
                timeout=max(1.0, until - time.monotonic()),
            )
            failed += done.returncode != 0
        except subprocess.TimeoutExpired:
            break
    kept = sum(1 for each in FOUND.rglob("*") if each.is_file())
    say(f"{rounds} rounds, {failed} with failures; {kept} examples are kept in {FOUND.relative_to(ROOT)}")
    return 1 if failed else 0
