"""``./iskelo start``: database, tables, demo, server."""

import contextlib
import os
import signal
import socket
import threading
import time
from datetime import UTC, datetime
from pathlib import Path
from uuid import uuid4

import uvicorn
from sqlmodel import Session

from iskelo.api.app import create_app
from iskelo.api.connections import PatientProtocol
from iskelo.api.settings import Settings, quiet_collector
from iskelo.command.backup import settle
from iskelo.command.install import built_screens
from iskelo.command.places import DATABASE, LOCK, data_folder, give_up, only_one, reachable, say
from iskelo.command.postgres import Cluster, free_port
from iskelo.command.work import Worker
from iskelo.demo.company import whole_company
from iskelo.store import rigs
from iskelo.store.database import NewerDatabase, connect, migrate

KEEP_EVERY_SECONDS = 2.0
USUAL_PORT = 8460


def start(*, walk: bool = False) -> int:
    """Install what is missing, start everything, serve until Ctrl+C, stop everything that was started.

    ``walk``: let telephones in the network around see set-up lists.
    """
    port = _port()
    web_dir = built_screens()
    folder = data_folder()
    with only_one(folder) as lock:
        if lock is None:
            say(f"Iskelo runs already: {(folder / LOCK).read_text().strip() or 'it is just starting'}")
            return 0
        lock.truncate(0)
        lock.write(f"http://127.0.0.1:{port}\n")
        lock.flush()
        given = os.environ.get("ISKELO_DATABASE_URL")
        if given:
            return _serve_on(Settings(given, web_dir, walk=walk), port)
        cluster = Cluster(folder / "postgres")
        reachable(folder)
        cluster.start()
        ending = threading.Event()
        keeper = threading.Thread(target=_keep_running, args=(cluster, ending), daemon=True)
        keeper.start()
        try:
            settle(cluster)
            return _serve_on(Settings(cluster.database(DATABASE), web_dir, folder, walk=walk), port)
        finally:
            ending.set()
            keeper.join(timeout=70)
            cluster.stop()
            say("stopped")


def _keep_running(cluster: Cluster, ending: threading.Event) -> None:
    """Start PostgreSQL again when it has died; the application finds it where it was."""
    while not ending.wait(KEEP_EVERY_SECONDS):
        if not cluster.answers() and not ending.is_set():
            say("PostgreSQL has stopped; starting it again")
            with contextlib.suppress(SystemExit):
                cluster.start()


def _port() -> int:
    wanted = os.environ.get("ISKELO_PORT")
    if wanted:
        if not wanted.isdigit() or not 1 <= int(wanted) <= 65535:
            give_up(f"ISKELO_PORT is {wanted!r}; it must be a port number")
        return int(wanted)
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", USUAL_PORT))
        except OSError:
            return free_port()
    return USUAL_PORT


def _serve_on(settings: Settings, port: int) -> int:
    database_url = settings.database_url
    try:
        migrate(database_url)
        load_demo_once(database_url)
    except NewerDatabase as newer:
        give_up(f"{newer}.")
    except Exception as error:
        give_up(f"the database cannot be used: {error}")
    worker = Worker(database_url)
    worker.start()
    try:
        return serve(settings, port)
    finally:
        worker.stop()


def serve_only(database_url: str, port: int) -> int:
    """Serve, with no worker and no database of our own; tests start those by themselves."""
    web = os.environ.get("ISKELO_TEST_WEB_DIR")
    migrate(database_url)
    _end_with_parent()
    walk = os.environ.get("ISKELO_TEST_WALK") == "1"
    return serve(Settings(database_url, Path(web) if web else None, walk=walk), port)


def _end_with_parent() -> None:
    """Stop in good order when whoever started this is not there any more: tests and benchmarks may be killed."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os.kill(os.getpid(), signal.SIGTERM)

    threading.Thread(target=watch, daemon=True).start()


def load_demo_once(database_url: str) -> None:
    """Put the demo rig in, unless it was put in before."""
    engine = connect(database_url)
    with Session(engine) as session:
        if not rigs.has_demo(session):
            rigs.make_rig(session, whole_company(), uuid4(), datetime.now(UTC), "opened the demo", is_demo=True)
    engine.dispose()


def serve(settings: Settings, port: int) -> int:
    """Serve until told to stop; the address is printed once requests are answered."""
    config = uvicorn.Config(
        create_app(settings),
        host="0.0.0.0" if settings.walk else "127.0.0.1",
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=3,
        http=PatientProtocol,
        # Packing what is told to pages costs each of their sockets more memory than it saves.
        ws_per_message_deflate=False,
    )
    server = uvicorn.Server(config)
    quiet_collector()

    def announce() -> None:
        while not server.started:
            if server.should_exit or stopped.wait(0.02):
                return
        print(f"Iskelo is at http://127.0.0.1:{port}  (Ctrl+C stops it)", flush=True)
        if settings.walk:
            say("telephones around may walk with set-up lists; Paper tells the address of each")

    stopped = threading.Event()
    threading.Thread(target=announce, daemon=True).start()
    # The server raises the signal that stopped it once more when it has ended; we then go on to stop the
    # database in good order. A hangup of the terminal stops us likewise.
    signal.signal(signal.SIGTERM, lambda *_: None)
    signal.signal(signal.SIGHUP, lambda *_: server.handle_exit(signal.SIGTERM, None))
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    except SystemExit:
        give_up(f"port {port} cannot be used; set ISKELO_PORT to another one")
    finally:
        stopped.set()
    return 0
