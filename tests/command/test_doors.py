"""Nobody gets into a server of ours without proof, with its port known or not; and the application may do little."""

import os
import shutil
import stat
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from iskelo.command.doors import ADMINISTRATOR, APPLICATION, RULES
from iskelo.command.postgres import Cluster
from iskelo.store.database import migrate
from server import own_cluster


@pytest.fixture(scope="module")
def own() -> Iterator[Cluster]:
    with own_cluster(durable=False) as made:
        made.database("iskelo")
        yield made


@pytest.mark.parametrize("role", [ADMINISTRATOR, APPLICATION, "root", "nobody"])
@pytest.mark.parametrize("password", ["", "wrong", "postgres", "iskelo"])
def test_with_the_port_alone_nobody_gets_in(own: Cluster, role: str, password: str) -> None:
    for database in ("postgres", "iskelo", "template1"):
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(
                host="127.0.0.1", port=own.port, user=role, password=password, dbname=database, connect_timeout=10
            )


def test_another_user_of_the_machine_gets_neither_in_nor_at_the_passwords(own: Cluster) -> None:
    if os.geteuid() != 0:
        pytest.skip("only root can act as another user here; the rules and the refusal are tested by themselves")
    as_other = ["runuser", "-u", "nobody", "--"]
    psql = [shutil.which("psql") or "psql", "-w", "-h", "127.0.0.1", "-p", str(own.port)]
    for role, database in ((ADMINISTRATOR, "postgres"), (APPLICATION, "iskelo")):
        done = subprocess.run(
            [*as_other, *psql, "-U", role, "-d", database, "-c", "COPY (SELECT 1) TO PROGRAM 'true'"],
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 2
        assert "no password supplied" in done.stderr
    for path in (own.folder / "iskelo.password", own.folder / "postgres.password", own.data / "PG_VERSION", own.folder):
        tried = subprocess.run([*as_other, "cat", str(path)], capture_output=True, text=True, check=False)
        assert tried.returncode != 0
        assert "Permission denied" in tried.stderr


def test_the_rules_let_in_two_roles_by_their_passwords_over_loopback_alone(own: Cluster) -> None:
    rules = [line.split() for line in (own.data / "pg_hba.conf").read_text().splitlines() if line[:1] not in ("#", "")]
    assert [(kind, *rest[2:]) for kind, *rest in rules] == [
        ("host", "127.0.0.1/32", "reject"),
        ("host", "127.0.0.1/32", "scram-sha-256"),
        ("host", "127.0.0.1/32", "scram-sha-256"),
    ]
    assert {rest[1] for _, *rest in rules} == {APPLICATION, ADMINISTRATOR}
    for name in ("iskelo.password", "postgres.password"):
        assert stat.S_IMODE((own.folder / name).stat().st_mode) == 0o600
    assert stat.S_IMODE(own.folder.stat().st_mode) == 0o700


def test_the_application_is_no_superuser_and_owns_its_own_database_alone(own: Cluster) -> None:
    with psycopg.connect(own.url("iskelo"), autocommit=True) as connection:
        able = connection.execute(
            "SELECT rolsuper, rolcreatedb, rolcreaterole, rolreplication FROM pg_roles WHERE rolname = current_user"
        ).fetchone()
        assert able == (False, False, False, False)
        owned = connection.execute(
            "SELECT datname FROM pg_database WHERE pg_get_userbyid(datdba) = 'iskelo'"
        ).fetchall()
        assert owned == [("iskelo",)]
        for attack in ("COPY (SELECT 1) TO PROGRAM 'true'", "CREATE ROLE more", "CREATE DATABASE more"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute(attack)
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute("SELECT pg_read_file('/etc/passwd')")
    with pytest.raises(psycopg.OperationalError, match="rejects connection"):
        psycopg.connect(own.url("postgres"))


def test_our_own_address_trusts_no_server_that_asks_for_the_password_itself(own: Cluster) -> None:
    """A stranger that listens where our server was is to prove that it knows the password too, not to be told it."""
    assert own.url("iskelo").endswith("?require_auth=scram-sha-256")


@pytest.fixture
def folder() -> Iterator[Path]:
    made = Path(tempfile.mkdtemp(prefix="iskelo-doors-", dir="/tmp"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made, ignore_errors=True)


def test_a_server_of_an_older_iskelo_is_guarded_and_its_tables_handed_over(folder: Path) -> None:
    """It let everybody in as superuser, and made everything as such; it may even still run, left by a kill."""
    old = Cluster(folder / "postgres", durable=False)
    old.start()
    url = old.database("iskelo")
    migrate(url)
    with old.administer("iskelo") as connection:
        connection.execute("ALTER DATABASE iskelo OWNER TO postgres")
        connection.execute("REASSIGN OWNED BY iskelo TO postgres")
    for name in ("iskelo.password", "postgres.password"):
        (old.folder / name).unlink()
    (old.data / "pg_hba.conf").write_text("host all all 127.0.0.1/32 trust\n")
    reload_rules(old)
    with psycopg.connect(f"postgresql://postgres@127.0.0.1:{old.port}/iskelo") as connection:
        connection.execute("INSERT INTO rig VALUES (gen_random_uuid(), now(), now(), 1, false)")

    new = Cluster(folder / "postgres", durable=False)
    assert new.start(), "it is stopped and started anew"
    try:
        assert (new.data / "pg_hba.conf").read_text() == RULES
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(f"postgresql://postgres@127.0.0.1:{new.port}/iskelo")
        again = new.database("iskelo")
        migrate(again)
        with psycopg.connect(again) as connection:
            assert connection.execute("SELECT count(*) FROM rig").fetchone() == (1,)
            connection.execute("DELETE FROM rig")
            connection.execute("ALTER TABLE revision ADD COLUMN more integer")
            connection.execute("DROP FUNCTION procrastinate_defer_jobs_v1")
    finally:
        new.stop("immediate")


def reload_rules(cluster: Cluster) -> None:
    process = cluster.process()
    assert process is not None
    subprocess.run(["kill", "-HUP", str(process)], check=True)
    subprocess.run(["sleep", "1"], check=True)
