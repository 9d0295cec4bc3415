"""``./iskelo bench``: what speed claims rest on; see ``benchmarks/``."""

import subprocess
import sys

from iskelo.command.places import ROOT


def bench() -> int:
    """Run the benchmarks; they print medians and ratios measured in this one run."""
    return subprocess.run([sys.executable, str(ROOT / "benchmarks" / "run.py")], cwd=ROOT, check=False).returncode
