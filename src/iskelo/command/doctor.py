"""``./iskelo doctor``: what is found of versions, disk, database, workers, browser and fonts; nothing is changed."""

import os
import platform
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

from sqlalchemy import text
from sqlmodel import Session

from iskelo.command.backup import unfinished
from iskelo.command.install import CHROMIUM, NODE_OLDEST, found_postgres_programs, node_version
from iskelo.command.places import DATABASE, VAR, home
from iskelo.command.postgres import Cluster
from iskelo.store.database import connect, standing
from iskelo.store.queue import working

DISK_LOW_BYTES = 1_000_000_000

Finding = tuple[str, str, str]
"""*ok*, *note* or *bad*; what was looked at; what was found, and for a bad one what to do."""


def doctor() -> int:
    """Print every finding; an error if any is bad."""
    worst = 0
    for look in (_versions, _disk, _database, _screens):
        for grade, what, words in _careful(look):
            print(f"{grade:5} {what:12} {words}")
            worst = max(worst, grade == "bad")
    return int(worst)


def _careful(look: Callable[[], Iterator[Finding]]) -> Iterator[Finding]:
    """Its findings; that it broke off is a finding too."""
    try:
        yield from look()
    except (Exception, SystemExit) as error:
        yield "bad", look.__name__.strip("_"), f"could not be looked at: {error}"


def _versions() -> Iterator[Finding]:
    yield "ok", "Python", platform.python_version()
    programs = found_postgres_programs()
    if programs is None:
        yield "bad", "PostgreSQL", "is not installed; ./iskelo start installs it on Debian"
    else:
        said = subprocess.run([str(programs / "postgres"), "--version"], check=False, capture_output=True, text=True)
        yield "ok", "PostgreSQL", said.stdout.strip()
    node = node_version()
    if node is None or node < NODE_OLDEST:
        has = f"{node[0]}.{node[1]}" if node else "none"
        yield "note", "Node.js", f"{has}; building the screens needs {NODE_OLDEST[0]}.{NODE_OLDEST[1]} or newer"
    else:
        yield "ok", "Node.js", f"{node[0]}.{node[1]}"
    if CHROMIUM.exists():
        yield "ok", "browser", f"{CHROMIUM} (for the tests)"
    else:
        yield "note", "browser", "no Chromium; only the tests need it, and install it"


def _disk() -> Iterator[Finding]:
    folder = home()
    there = next(each for each in (folder, *folder.parents) if each.exists())
    free = shutil.disk_usage(there).free
    words = f"{free / 1e9:.1f} GB free where {folder} is"
    yield ("bad", "disk", f"{words}; make room") if free < DISK_LOW_BYTES else ("ok", "disk", words)
    if folder.exists() and not os.access(folder, os.W_OK):
        yield "bad", "data folder", f"{folder} cannot be written; set ISKELO_HOME to a folder of your own"
    postgres = folder / "postgres"
    if postgres.exists() and os.access(postgres, os.R_OK | os.X_OK):
        size = sum(each.stat().st_size for each in postgres.rglob("*") if each.is_file() and not each.is_symlink())
        open_to_others = postgres.stat().st_mode & 0o077
        grade = "bad" if open_to_others else "ok"
        more = "; others can read it: ./iskelo start shuts it" if open_to_others else ""
        yield grade, "data folder", f"{folder}, {size / 1e6:.0f} MB{more}"


def _database() -> Iterator[Finding]:
    url = os.environ.get("ISKELO_DATABASE_URL")
    if not url:
        cluster = Cluster(home() / "postgres")
        if cluster.damaged():
            yield "bad", "database", cluster.damaged()
            return
        if not cluster.version():
            yield "note", "database", "none yet; ./iskelo start makes it"
            return
        process = cluster.process()
        if process is None:
            yield "note", "database", f"PostgreSQL {cluster.version()}, does not run now; ./iskelo start starts it"
            return
        cluster.find()
        yield "ok", "database", f"PostgreSQL {cluster.version()} runs as process {process} on port {cluster.port}"
        left = unfinished(cluster.databases())
        if left:
            yield "bad", "restore", f"{left}; ./iskelo start settles it"
        url = cluster.url(DATABASE)
    how = standing(url)
    words = {
        "empty": "no tables yet",
        "older": "of an older Iskelo; ./iskelo start brings them up",
        "current": "current",
    }
    if how == "newer":
        yield "bad", "tables", "of a newer Iskelo than this one; start that one, or restore a backup made with this one"
        return
    yield "ok", "tables", words[how]
    if how != "current":
        return
    engine = connect(url)
    with Session(engine) as session:
        counts = session.execute(
            text(
                "SELECT (SELECT count(*) FROM rig), (SELECT count(*) FROM revision), "
                "(SELECT count(*) FROM line_check), (SELECT count(*) FROM take), "
                "(SELECT count(*) FROM procrastinate_jobs), "
                "pg_database_size(current_database())"
            )
        ).one()
        rigs, revisions, checks, takes, jobs, size = map(int, counts)
        counted = ((rigs, "rig"), (revisions, "revision"), (checks, "line check"), (takes, "take"))
        kept = ", ".join(f"{count} {one}{'' if count == 1 else 's'}" for count, one in counted)
        kept += f", {size / 1e6:.0f} MB"
        yield "ok", "kept", kept
        yield "ok" if jobs < 1000 else "bad", "queue", f"{jobs} jobs"
        workers = working(session)
        yield (
            ("ok", "workers", f"{workers} at work")
            if workers
            else ("note", "workers", "none; line checks wait for ./iskelo start or ./iskelo work")
        )
    engine.dispose()


def _screens() -> Iterator[Finding]:
    builds = sorted((VAR / "web").glob("*/index.html"), key=lambda path: path.stat().st_mtime)
    if not builds:
        yield "note", "screens", "not built yet; ./iskelo start builds them"
        return
    fonts = [path for path in builds[-1].parent.rglob("*") if path.suffix in (".woff2", ".woff")]
    yield "ok", "screens", f"built in {builds[-1].parent.relative_to(Path(VAR).parent)}"
    yield (
        ("ok", "fonts", f"{len(fonts)} files") if fonts else ("bad", "fonts", "missing from the build; remove var/web")
    )
