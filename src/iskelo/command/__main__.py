"""``./iskelo COMMAND``."""

import os
import sys
from pathlib import Path

HELP = """Iskelo plans, checks and proves the audio set-up of a computer.

  ./iskelo start    install what is missing, start the database and the server, print the address
  ./iskelo test     install what is missing, run every check and every test
  ./iskelo check    formatting, types, architecture, generated files
  ./iskelo types    make the generated files anew
  ./iskelo bench    measure, and print ratios
  ./iskelo help     this

  ISKELO_HOME            the folder that keeps the data
  ISKELO_PORT            the port to serve on (8460)
  ISKELO_DATABASE_URL    an existing PostgreSQL database instead of our own server
"""


def main(words: list[str]) -> int:
    command, more = (words[0], words[1:]) if words else ("help", [])
    # Each command brings only what it needs into memory.
    if command == "start":
        from iskelo.command.start import start  # noqa: PLC0415

        return start()
    if command == "serve":
        from iskelo.command.start import serve  # noqa: PLC0415
        from iskelo.store.database import migrate  # noqa: PLC0415

        url = os.environ["ISKELO_DATABASE_URL"]
        web = os.environ.get("ISKELO_TEST_WEB_DIR")
        migrate(url)
        return serve(url, Path(web) if web else None, int(os.environ["ISKELO_PORT"]))
    if command in ("test", "check", "types"):
        from iskelo.command import check  # noqa: PLC0415

        if command == "types":
            return check.make_types()
        return check.test(more) if command == "test" else min(check.check(), 1)
    if command == "bench":
        from iskelo.command.bench import bench  # noqa: PLC0415

        return bench()
    print(HELP)
    return 0 if command in ("help", "--help", "-h") else 2


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
