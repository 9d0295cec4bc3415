"""``./iskelo bench``: what speed claims rest on; see ``benchmarks/``."""

import os
import subprocess
import sys

from iskelo.command.install import chromium
from iskelo.command.places import ROOT

SCRIPTS = ("run.py", "served.py", "paper.py", "memory.py")


def bench() -> int:
    """Run the benchmarks; they print medians and ratios measured in this one run."""
    chromium()
    for script in SCRIPTS:
        done = subprocess.run(
            [sys.executable, str(ROOT / "benchmarks" / script)], cwd=ROOT, check=False, env=os.environ
        )
        if done.returncode:
            return done.returncode
    return 0
