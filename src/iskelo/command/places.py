"""Where things are, and saying what goes on."""

import contextlib
import errno
import fcntl
import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NoReturn, TextIO

ROOT = Path(__file__).resolve().parents[3]
VAR = ROOT / "var"
WEB = ROOT / "web"
LOCK, DATABASE = "start.lock", "iskelo"
"""The data folder's lock, and the database in our own server."""


def home() -> Path:
    """The folder that keeps the data between starts: ISKELO_HOME, or a usual place for this user."""
    wanted = os.environ.get("ISKELO_HOME")
    if wanted:
        return Path(wanted).resolve()
    if os.geteuid() == 0:
        return Path("/var/lib/iskelo")
    return Path(os.environ.get("XDG_DATA_HOME", str(Path.home() / ".local/share"))) / "iskelo"


def data_folder() -> Path:
    """The same folder, made if it is not there."""
    folder = home()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / ".writable"
        probe.touch()
        probe.unlink()
    except OSError as error:
        if error.errno == errno.ENOSPC:
            give_up(f"the disk is full: nothing can be written into {folder}. Make room, then start again.")
        give_up(f"the data folder {folder} cannot be used: {error.strerror}. Set ISKELO_HOME to a folder of your own.")
    return folder


def say(words: str) -> None:
    print(f"iskelo: {words}", file=sys.stderr, flush=True)


def give_up(words: str) -> NoReturn:
    """Say what failed, and leave with an error."""
    say(words)
    raise SystemExit(1)


@contextlib.contextmanager
def only_one(folder: Path) -> Iterator[TextIO | None]:
    """Hold the data folder's lock; None if another process of Iskelo holds it."""
    with (folder / LOCK).open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield None
            return
        yield lock


def reachable(folder: Path) -> None:
    """As root the server runs as another user, who must get through to its own folder in there."""
    if os.geteuid() == 0:
        folder.chmod(0o755)
