"""``./iskelo COMMAND``."""

import argparse
import os
import sys
from pathlib import Path

from iskelo.command.places import give_up

SETTINGS = """settings, from the environment:
  ISKELO_HOME            the folder that keeps the data
  ISKELO_PORT            the port to serve on (8460)
  ISKELO_DATABASE_URL    an existing PostgreSQL database instead of our own server

Exit codes: 0 all is well, 1 something failed and it was said what, 2 the command line makes no sense.
"""


def parser() -> argparse.ArgumentParser:
    """The command line."""
    made = argparse.ArgumentParser(
        prog="./iskelo",
        description="Iskelo plans, checks and proves the audio set-up of a computer.",
        epilog=SETTINGS,
        formatter_class=argparse.RawDescriptionHelpFormatter,
        allow_abbrev=False,
    )
    commands = made.add_subparsers(dest="command", metavar="COMMAND", title="commands")

    def add(name: str, words: str) -> argparse.ArgumentParser:
        return commands.add_parser(name, help=words, description=words, allow_abbrev=False)

    started = add("start", "install what is missing, start the database, a worker and the server, print the address")
    started.add_argument(
        "--walk", action="store_true", help="let telephones in the network around walk with set-up lists, no more"
    )
    test = add("test", "install what is missing, run every check and every test")
    test.add_argument("pytest", nargs=argparse.REMAINDER, help="words for pytest: only the tests are run then")
    add("quick", "look at what has changed since this last ended well: a minute, no database, no browser")
    hunted = add("hunt", "draw new examples for the tests that draw any; what is found is kept, and tried by every run")
    hunted.add_argument("minutes", type=float, metavar="MINUTES")
    add("check", "formatting, types, architecture, generated files")
    add("types", "make the generated files anew")
    add("bench", "measure, and print ratios")
    worker = add("work", "run line checks: one more worker, here or on another computer with the same database")
    worker.add_argument(
        "--with-process", type=int, default=0, metavar="N", help="end when process N is not there any more"
    )
    for name, words in (
        ("backup", "write everything that is kept (rigs, history, catalogue, checks, takes) into one file"),
        ("restore", "put a backup in the place of what is kept"),
    ):
        each = add(name, words)
        each.add_argument("file", type=Path, metavar="FILE")
        each.add_argument("--replace", action="store_true", help="overwrite what is there")
    checked = add("check-file", "say whether a file is a rig, a part, a bundle or a catalogue that can be read")
    checked.add_argument("file", type=Path, metavar="FILE")
    add("doctor", "say what is found of database, disk, versions, browser and fonts")
    add("serve", "serve the database of ISKELO_DATABASE_URL on ISKELO_PORT and nothing else (for tests)")
    add("help", "say this")
    return made


def main(words: list[str]) -> int:
    made = parser()
    given = made.parse_args(words)
    try:
        return _done(given, made)
    except OSError as error:
        if error.filename is None or error.strerror is None:
            raise
        kind = "a folder stands where a file should be" if isinstance(error, IsADirectoryError) else error.strerror
        give_up(f"{error.filename} cannot be used: {kind}. Move it away, or make it readable, and say this again.")


def _done(given: argparse.Namespace, made: argparse.ArgumentParser) -> int:
    # Each command brings only what it needs into memory.
    match given.command:
        case "start":
            from iskelo.command.start import start  # noqa: PLC0415

            return start(walk=given.walk)
        case "serve":
            from iskelo.command.start import serve_only  # noqa: PLC0415

            url, port = os.environ.get("ISKELO_DATABASE_URL"), os.environ.get("ISKELO_PORT", "")
            if not url or not port.isdigit():
                give_up("serve needs ISKELO_DATABASE_URL and ISKELO_PORT; ./iskelo start needs neither")
            return serve_only(url, int(port))
        case "work":
            from iskelo.command.work import start_working  # noqa: PLC0415

            return start_working(given.with_process)
        case "test" | "check" | "types":
            from iskelo.command import check  # noqa: PLC0415

            if given.command == "types":
                return check.make_types()
            return check.test(given.pytest) if given.command == "test" else min(check.check(), 1)
        case "quick":
            from iskelo.command.quick import quick  # noqa: PLC0415

            return quick()
        case "hunt":
            from iskelo.command.hunt import hunt  # noqa: PLC0415

            return hunt(given.minutes)
        case "bench":
            from iskelo.command.bench import bench  # noqa: PLC0415

            return bench()
        case "backup" | "restore":
            from iskelo.command import backup  # noqa: PLC0415

            act = backup.backup if given.command == "backup" else backup.restore
            return act(given.file, replace=given.replace)
        case "check-file":
            from iskelo.command.check_file import check_file  # noqa: PLC0415

            return check_file(given.file)
        case "doctor":
            from iskelo.command.doctor import doctor  # noqa: PLC0415

            return doctor()
    made.print_help()
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
