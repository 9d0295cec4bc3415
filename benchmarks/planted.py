"""Some thirty changes to the core that are wrong, planted one at a time: does any test find each of them?

``python benchmarks/planted.py [NUMBER ...]``, all of them without a number. What a cut in the tests costs is read here:
a fault that was found before is to be found after. The tests of the core and of the formats are run, what mirrors the
module first, then what takes the least, until one fails. Ends with an error if a fault is found by none, or its place
is not there any more.
"""

import concurrent.futures
import os
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from iskelo.command.places import ROOT
from iskelo.command.quick import distances, known_seconds, needs_nothing


@dataclass(frozen=True, slots=True)
class Fault:
    """A wrong change: in which file of the core, what stands there, what is put in its place."""

    file: str
    right: str
    wrong: str


FAULTS = (
    Fault("timing/delays.py", "if inside.mixer.raw_passes_core:", "if not inside.mixer.raw_passes_core:"),
    Fault("timing/delays.py", 'if edge.start.bank == "mix_post":', 'if edge.start.bank == "mix_pre":'),
    Fault(
        "timing/delays.py",
        "hosted is not None and not hosted.compensated and hosted",
        "hosted is not None and hosted.compensated and hosted",
    ),
    Fault(
        "timing/delays.py",
        "if isinstance(bus, Bus) and bus.effect_delay_samples:",
        "if isinstance(bus, Bus) and bus.effect_delay_samples > 64:",
    ),
    Fault(
        "timing/terms.py",
        "return engine + buffer_samples - math.gcd(buffer_samples, engine), engine",
        "return engine + buffer_samples - min(buffer_samples, engine), engine",
    ),
    Fault(
        "timing/terms.py",
        'mixer = [_hardware("mixer", box, "mixer_samples")] if box.mixer is None else []',
        'mixer = [_hardware("mixer", box, "mixer_samples")]',
    ),
    Fault(
        "timing/clocks.py",
        "if known and ppm > 0 else margin_samples",
        "if known and ppm < 0 else margin_samples",
    ),
    Fault("timing/clocks.py", "(first + shared) / per_second,", "(first + sender) / per_second,"),
    Fault(
        "timing/sync.py",
        "last = 0 if link.begins_at_call else sends.buffer_samples - 1",
        "last = 0 if link.begins_at_call else sends.buffer_samples",
    ),
    Fault("timing/spare.py", "room_s = (1 - MARGIN) / rate_hz - work.per_sample_s", "room_s = 1 / rate_hz"),
    Fault("levels/along.py", "edge.gain_db, -max(converted, sent)", "edge.gain_db, -sent"),
    Fault(
        "levels/headroom.py",
        "return found.rig.alignment_dbfs if own is None else -own",
        "return found.rig.alignment_dbfs",
    ),
    Fault("levels/units.py", "return None if power < 1e-15", "return None if power < 1e-2"),
    Fault("lines/findings.py", "if worst is None or worst.most_ms <= ", "if worst is None or worst.ms <= "),
    Fault("lines/findings.py", "if len(turned) < len(sounding):", "if len(turned) > len(sounding):"),
    Fault("lines/findings.py", "            if tap != line.tap:", "            if tap == line.tap:"),
    Fault("lines/sides.py", "if loudest - softest > SIDES_APART_DB:", "if loudest - softest > 20 * SIDES_APART_DB:"),
    Fault("lines/together.py", "if len(boxes) < 2:", "if len(boxes) < 3:"),
    Fault("wiring/program_edges.py", "is None and channel not in on:", "is None and channel in on:"),
    Fault("wiring/program_edges.py", "is None and number > shown:", "is None and number > shown + 1:"),
    Fault("rig/mixing.py", 'case "-6 dB":\n            return linear', 'case "-6 dB":\n            return power'),
    Fault("rig/device_streams.py", "return not self.same_clock and not self.matched", "return not self.same_clock"),
    Fault("twin/driver.py", "return self._safety.out_samples + self.box.gear", "return self.box.gear"),
    Fault("twin/ring.py", "if self._at + self._out_samples > self._written:", "if self._at > self._written:"),
    Fault(
        "signals/listen.py",
        "within - period_samples if within > period_samples - HALF_A_SAMPLE else within",
        "within",
    ),
    Fault("edits/plugging.py", "in mixer.never if not gone &", "in mixer.never if gone ^"),
    Fault("edits/halves.py", "return max(SILENT_DB, gain_db + 20 *", "return max(SILENT_DB, gain_db - 20 *"),
    Fault("routes/possible.py", "if not queue or len(found) >= at_most:", "if not queue or len(found) > at_most:"),
    Fault("planner/ladder.py", '(each.verdict != "clicks", -each', '(each.verdict == "clicks", -each'),
    Fault("planner/by_cables.py", "key=lambda each: -each.width)", "key=lambda each: each.width)"),
    Fault("snags/jack_needs.py", "and jack not in box.phantom_on:", "and jack in box.phantom_on:"),
    Fault("remedies.py", "return signed or [replace(both", "return tried or [replace(both"),
)


def plant(fault: Fault, tree: Path) -> None:
    """Make the wrong change in a copy of the tree."""
    path = tree / "src" / "iskelo" / "core" / fault.file
    text = path.read_text()
    if text.count(fault.right) != 1:
        raise SystemExit(
            f"{fault.file}: {fault.right!r} stands there {text.count(fault.right)} times; renew this fault"
        )
    path.write_text(text.replace(fault.right, fault.wrong))


def tests_by_distance(fault: Fault) -> list[str]:
    """The test files that need neither database nor browser, nearest to the change first."""
    folder = ROOT / "tests"
    far = distances([f"src/iskelo/core/{fault.file}"])
    near = [path for path in far if path.name.startswith("test_") and path.is_relative_to(folder)]
    kept = [str(path.relative_to(ROOT)) for path in near if needs_nothing(path.relative_to(folder))]
    takes: dict[str, float] = {}
    for test, seconds in known_seconds().items():
        takes[test.split("::")[0]] = takes.get(test.split("::")[0], 0.0) + seconds
    # Nearly all know nearly everything: what mirrors the module first, then what takes the least.
    return sorted(kept, key=lambda name: (far[ROOT / name] > 0, takes.get(name, 0.0), name))


def found_by(fault: Fault) -> str:
    """The first test that fails with a fault; nothing if none does."""
    with tempfile.TemporaryDirectory(prefix="iskelo-planted-") as folder:
        tree = Path(folder)
        for name in ("src", "tests", "benchmarks", "docs"):
            shutil.copytree(ROOT / name, tree / name, ignore=shutil.ignore_patterns("__pycache__", "found"))
        shutil.copy(ROOT / "pyproject.toml", tree)
        plant(fault, tree)
        environment = {**os.environ, "PYTHONPATH": str(tree / "src")}
        environment.pop("PYTHONPYCACHEPREFIX", None)
        done = subprocess.run(
            [
                sys.executable,
                "-m",
                "pytest",
                "-q",
                "-x",
                "--no-header",
                "-p",
                "no:cacheprovider",
                *tests_by_distance(fault),
            ],
            cwd=tree,
            check=False,
            capture_output=True,
            text=True,
            env=environment,
        )
    lines = [line for line in done.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]
    return lines[0].split(" - ")[0] if done.returncode and lines else ""


def main(numbers: list[int]) -> int:
    chosen = [(number, fault) for number, fault in enumerate(FAULTS, 1) if not numbers or number in numbers]
    missed = 0
    with concurrent.futures.ThreadPoolExecutor(2) as two:
        began = time.monotonic()
        for (number, fault), found in zip(chosen, two.map(lambda each: found_by(each[1]), chosen), strict=True):
            missed += not found
            words = found or "FOUND BY NO TEST"
            print(f"{number:2} {fault.file}: {words} ({time.monotonic() - began:.0f} s)", flush=True)
    print(f"{len(chosen) - missed} of {len(chosen)} planted faults found")
    return 1 if missed else 0


if __name__ == "__main__":
    raise SystemExit(main([int(word) for word in sys.argv[1:]]))
