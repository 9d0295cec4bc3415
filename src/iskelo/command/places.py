"""Where things are, and saying what goes on."""

import os
import sys
from pathlib import Path
from typing import NoReturn

ROOT = Path(__file__).resolve().parents[3]
VAR = ROOT / "var"
WEB = ROOT / "web"


def home() -> Path:
    """The folder that keeps the data between starts: ISKELO_HOME, or a usual place for this user."""
    wanted = os.environ.get("ISKELO_HOME")
    if wanted:
        return Path(wanted).resolve()
    if os.geteuid() == 0:
        return Path("/var/lib/iskelo")
    return Path(os.environ.get("XDG_DATA_HOME", str(Path.home() / ".local/share"))) / "iskelo"


def say(words: str) -> None:
    print(f"iskelo: {words}", file=sys.stderr, flush=True)


def give_up(words: str) -> NoReturn:
    """Say what failed, and leave with an error."""
    say(words)
    raise SystemExit(1)
