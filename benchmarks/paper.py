"""Paper and exchange: the line list of 512 lines as PDF, and a bundle with four takes of 64 channels, by its memory.

``python benchmarks/paper.py``. The bundle is written and read over HTTP; watched is the most that the server has in
memory meanwhile.
"""

import json
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from uuid import UUID, uuid4

import httpx
import psycopg

from big_rig import big_rig
from iskelo.command.places import ROOT
from iskelo.core.lines.context import read
from iskelo.core.paperwork.sheets import sheet_of
from iskelo.formats.rig_file import write_rig
from iskelo.formats.sheet_files import SheetHead
from iskelo.formats.sheet_pdf import write_pdf
from iskelo.store.database import libpq_url
from memory import resident_mb

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, own_database

TAKES, CHANNELS, SECONDS, RATE_HZ = 4, 64, 10, 48_000
PART_BYTES = 1024 * 1024


def line_list_s() -> tuple[float, float]:
    """How long the line list of 512 lines takes as PDF, the survey apart."""
    rig = big_rig(512)
    began = time.perf_counter()
    reading = read(rig)
    surveyed = time.perf_counter()
    write_pdf(sheet_of(reading, "lines"), SheetHead(rig.name, 1, "2026-11-29"))
    return time.perf_counter() - surveyed, surveyed - began


def with_takes(database_url: str, rig: str) -> float:
    """Four checks that are done, each with a take of 64 channels of 32 bits; how large one is in MB."""
    data = CHANNELS * SECONDS * RATE_HZ * 4
    wav = b"RIFF" + (36 + data).to_bytes(4, "little") + b"WAVE" + bytes(data + 32)
    ledger = {"targets": [], "lines": [], "as_wanted": 0, "wanted": 0, "agreeing": 0, "offset_db": 0.0}
    with psycopg.connect(libpq_url(database_url)) as connection:
        for number in range(1, TAKES + 1):
            check = uuid4()
            connection.execute(
                "INSERT INTO line_check (id, rig_id, number, revision, state, share, stage, attempt, ledger, made_at, "
                "finished_at) VALUES (%s, %s, %s, 1, 'done', 1, 'done', 1, %s, %s, %s)",
                (check, UUID(rig), number, json.dumps(ledger), datetime.now(UTC), datetime.now(UTC)),
            )
            connection.execute(
                "INSERT INTO take (check_id, rate_hz, channels, wav) VALUES (%s, %s, %s, %s)",
                (check, RATE_HZ, json.dumps(list(range(CHANNELS))), wav),
            )
    return len(wav) / 1e6


@contextmanager
def watched(process: int) -> Iterator[list[float]]:
    """The most memory that a process has meanwhile, in MB, as the only member of the list."""
    most, ended = [resident_mb(process)], threading.Event()

    def watch() -> None:
        while not ended.wait(0.01):
            most[0] = max(most[0], resident_mb(process))

    watcher = threading.Thread(target=watch, daemon=True)
    watcher.start()
    yield most
    ended.set()
    watcher.join()


def parts_of(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while part := file.read(PART_BYTES):
            yield part


def main() -> None:
    printed, surveyed = line_list_s()
    print("\nPaper (target: the line list of 512 lines in 3 s)")
    print(f"  line list of 512 lines as PDF: {printed:5.2f} s    {printed / surveyed:4.1f} times its survey")
    print(f"\nBundle of {TAKES} takes of {CHANNELS} channels (target: 300 MB at most)")
    with own_database(durable=False) as database_url, tempfile.TemporaryDirectory() as folder:
        server, file = Server(database_url, working=False), Path(folder) / "bundle.zip"
        server.start()
        assert server.process is not None
        try:
            with httpx.Client(base_url=f"{server.url}/api", timeout=600) as api:
                rig = api.post("/rigs/import", content=write_rig(big_rig(64))).json()["id"]
                each_mb = with_takes(database_url, rig)
                before = resident_mb(server.process.pid)
                began = time.perf_counter()
                with (
                    watched(server.process.pid) as most,
                    api.stream("GET", f"/rigs/{rig}/bundle") as answer,
                    file.open("wb") as out,
                ):
                    for part in answer.iter_bytes(PART_BYTES):
                        out.write(part)
                took, size = time.perf_counter() - began, file.stat().st_size / 1e6
                print(
                    f"  written: {size:5.0f} MB of takes of {each_mb:.0f} MB in {took:.1f} s; "
                    f"server {before:.0f} MB before, {most[0]:.0f} MB at most"
                )
                began = time.perf_counter()
                with watched(server.process.pid) as most:
                    api.post("/rigs/import-bundle", content=parts_of(file)).raise_for_status()
                took = time.perf_counter() - began
                print(f"  read:    in {took:.1f} s; server {most[0]:.0f} MB at most")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
