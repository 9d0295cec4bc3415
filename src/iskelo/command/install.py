"""What a machine must have beside Python: PostgreSQL, Node.js, for the tests Chromium. Missing ones are installed."""

import contextlib
import fcntl
import hashlib
import os
import re
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from iskelo.command.places import ROOT, VAR, WEB, give_up, say

NODE_OLDEST = (20, 19)
CHROMIUM = Path("/usr/bin/chromium-headless-shell")


@contextlib.contextmanager
def one_at_a_time() -> Iterator[None]:
    """Installing and building, one process after the other."""
    VAR.mkdir(exist_ok=True)
    with (VAR / "install.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def debian(packages: list[str], what_for: str) -> None:
    """Install Debian packages; say how, when this user may not."""
    if not shutil.which("apt-get"):
        give_up(f"{' '.join(packages)} is missing ({what_for}), and this is no Debian system; install it first.")
    prefix = [] if os.geteuid() == 0 else ["sudo"]
    if prefix and not shutil.which("sudo"):
        give_up(f"{what_for} needs {' '.join(packages)}. Run as root: apt-get install {' '.join(packages)}")
    say(f"installing {' '.join(packages)} ({what_for})")
    subprocess.run([*prefix, "apt-get", "update", "-qq"], check=False, capture_output=True)
    done = subprocess.run(
        [
            *prefix,
            "env",
            "DEBIAN_FRONTEND=noninteractive",
            "apt-get",
            "install",
            "-y",
            "-qq",
            "--no-install-recommends",
            *packages,
        ],
        check=False,
        capture_output=True,
        text=True,
    )
    if done.returncode:
        give_up(f"installing {' '.join(packages)} failed:\n{done.stdout[-2000:]}{done.stderr[-2000:]}")


def postgres_programs() -> Path:
    """The folder of PostgreSQL's programs, the newest version; installed if it is missing."""
    found = found_postgres_programs()
    if found is None:
        with one_at_a_time():
            if found_postgres_programs() is None:
                debian(["postgresql"], "the database server")
        found = found_postgres_programs()
    if found is None:
        give_up("PostgreSQL's initdb was not found, although the package is installed.")
    return found


def found_postgres_programs() -> Path | None:
    """The same folder, if PostgreSQL is installed."""
    found = sorted(
        Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda path: float(path.parts[-3]), reverse=True
    )
    if found:
        return found[0].parent
    on_path = shutil.which("initdb")
    return Path(on_path).resolve().parent if on_path else None


def chromium() -> Path:
    """The browser the screen tests run in; installed if it is missing."""
    if not CHROMIUM.exists():
        with one_at_a_time():
            if not CHROMIUM.exists():
                debian(["chromium-headless-shell"], "the browser for the screen tests")
    return CHROMIUM


def recorded_speech() -> None:
    """Recorded speech for the tests of detection: the spoken channel names of alsa-utils."""
    if not any(Path("/usr/share/sounds/alsa").glob("*.wav")):
        with one_at_a_time():
            debian(["alsa-utils"], "recorded speech for the tests")


def node_version() -> tuple[int, int] | None:
    """The version of Node.js, if it is here with npm."""
    node = shutil.which("node")
    if not node or not shutil.which("npm"):
        return None
    said = subprocess.run([node, "--version"], check=False, capture_output=True, text=True).stdout
    match = re.match(r"v(\d+)\.(\d+)", said)
    return (int(match[1]), int(match[2])) if match else None


def _need_node() -> None:
    version = node_version()
    if version is None:
        debian(["nodejs", "npm"], "building the screens")
        version = node_version()
    if version is None or version < NODE_OLDEST:
        oldest = ".".join(map(str, NODE_OLDEST))
        has = ".".join(map(str, version)) if version else "none"
        give_up(f"building the screens needs Node.js {oldest} or newer with npm; this machine has {has}.")


def _run(words: list[str], folder: Path, what: str) -> None:
    done = subprocess.run(words, cwd=folder, check=False, capture_output=True, text=True)
    if done.returncode:
        give_up(f"{what} failed:\n{done.stdout[-4000:]}{done.stderr[-4000:]}")


def node_modules() -> None:
    """The screens' packages, as locked; nothing is done when they are there already."""
    stamp = WEB / "node_modules" / ".iskelo-stamp"
    wanted = _digest([WEB / "package-lock.json"])
    if stamp.exists() and stamp.read_text() == wanted:
        return
    with one_at_a_time():
        if stamp.exists() and stamp.read_text() == wanted:
            return
        _need_node()
        # What is there is whole only once it says so again.
        stamp.unlink(missing_ok=True)
        say("installing the screens' packages")
        _run(["npm", "ci", "--no-audit", "--no-fund"], WEB, "npm ci")
        stamp.write_text(wanted)


def built_screens() -> Path:
    """The folder with the built screens; built if their sources changed.

    Every build has a folder of its own, named for its sources, so a running server never loses its files.
    """
    sources = [path for path in sorted((WEB / "src").rglob("*")) if path.is_file()]
    sources += [WEB / name for name in ("index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")]
    folder = VAR / "web" / _digest(sources)[:16]
    if (folder / "index.html").exists():
        return folder
    node_modules()
    with one_at_a_time():
        if not (folder / "index.html").exists():
            say("building the screens")
            part = folder.with_suffix(".part")
            shutil.rmtree(part, ignore_errors=True)
            _run(["npx", "vite", "build", "--outDir", str(part), "--emptyOutDir"], WEB, "building the screens")
            folder.parent.mkdir(parents=True, exist_ok=True)
            shutil.rmtree(folder, ignore_errors=True)
            part.rename(folder)
    return folder


def _digest(paths: list[Path]) -> str:
    digest = hashlib.sha256()
    for path in paths:
        digest.update(str(path.relative_to(ROOT)).encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()
