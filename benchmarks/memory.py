"""How much memory the server and its worker keep: before and after many line checks and many edits of a large rig.

``python benchmarks/memory.py [CHECKS EDITS]``; without numbers 200 and 5 000. Also what the revisions take on disk.
"""

import sys
import time
from pathlib import Path

import httpx
import psycopg

from big_rig import big_rig
from iskelo.command.places import ROOT
from iskelo.demo.orrin_point import orrin_point
from iskelo.formats.rig_file import write_rig

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, own_database

CHECKS, EDITS = 200, 5000


def resident_mb(process: int) -> float:
    """What a process has in memory just now, in MB."""
    for line in Path(f"/proc/{process}/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1000
    return 0.0


def sizes(server: Server) -> str:
    assert server.process is not None
    assert server.worker is not None
    assert server.worker.process is not None
    return f"server {resident_mb(server.process.pid):4.0f} MB, worker {resident_mb(server.worker.process.pid):4.0f} MB"


def run_checks(api: httpx.Client, rig: str, count: int) -> int:
    """Run so many checks one after the other; how many were done."""
    done = 0
    for _ in range(count):
        check = api.post(f"/rigs/{rig}/checks").json()["id"]
        state = ""
        while state not in ("done", "failed", "cancelled"):
            time.sleep(0.1)
            state = api.get(f"/checks/{check}").json()["state"]
        done += state == "done"
    return done


def run_edits(api: httpx.Client, state: dict[str, object], count: int) -> None:
    """Change one figure of a box, so many times."""
    rig, revision = state["id"], state["revision"]
    document = state["rig"]
    assert isinstance(document, dict)
    box = next(gear["id"] for gear in document["gear"] if gear["kind"] == "interface")
    for number in range(count):
        edit = {"edit": "set", "item": box, "values": {"mixer_samples": 8 + number % 50}}
        answer = api.post(f"/rigs/{rig}/edits", json={"revision": revision, "edits": [edit]})
        revision = answer.json()["revision"]


def revision_bytes(database_url: str, rig: object) -> float:
    """What a revision of a rig takes on disk, on average."""
    with psycopg.connect(database_url) as connection:
        row = connection.execute("SELECT avg(pg_column_size(r.*)) FROM revision r WHERE rig_id = %s", (rig,)).fetchone()
        return float(row[0]) if row else 0.0


def main(checks: int, edits: int) -> None:
    print("\nMemory (target: the server 400 MB at most after all of it)")
    with own_database(durable=False) as database_url:
        server = Server(database_url)
        server.start()
        try:
            with httpx.Client(base_url=f"{server.url}/api", timeout=300) as api:
                demo = api.post("/rigs/import", content=write_rig(orrin_point())).json()
                large = api.post("/rigs/import", content=write_rig(big_rig(512))).json()
                run_checks(api, demo["id"], 1)
                print(f"  at first, both rigs read and one check:  {sizes(server)}")
                done = run_checks(api, demo["id"], checks)
                print(f"  after {done:5} of {checks} checks of the demo:   {sizes(server)}")
                run_edits(api, large, edits)
                print(f"  after {edits:5} edits of 512 lines:          {sizes(server)}")
                each = revision_bytes(database_url, large["id"])
                year_mb = each * 250 * 200 / 1e6
                print(f"  a revision of 512 lines takes {each / 1000:.1f} kB; 250 days of 200 edits {year_mb:.0f} MB")
        finally:
            server.stop()


if __name__ == "__main__":
    given = [int(word) for word in sys.argv[1:3]]
    main(*(given if len(given) == 2 else (CHECKS, EDITS)))
