"""The connection to PostgreSQL, and bringing its tables up to date."""

from pathlib import Path
from typing import Literal

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, text
from sqlmodel import create_engine

MIGRATION_LOCK = 0x15CE10
"""Advisory lock: two processes that start at once migrate one after the other."""


def sqlalchemy_url(url: str) -> str:
    """A PostgreSQL address as SQLAlchemy wants it, with psycopg as the driver."""
    scheme, rest = url.split("://", 1)
    return f"postgresql+psycopg://{rest}" if scheme in ("postgresql", "postgres") else url


def libpq_url(url: str) -> str:
    """The same address as libpq wants it."""
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


CONNECTION_WAIT_SECONDS = 5.0
"""Who gets no connection within this time is told so, and may come again."""


def connect(url: str, connections: int = 16) -> Engine:
    """An engine that tries each connection before it is used, so that a restarted server is found again."""
    kept = min(connections, 4)
    return create_engine(
        sqlalchemy_url(url),
        pool_pre_ping=True,
        pool_size=kept,
        max_overflow=connections - kept,
        pool_timeout=CONNECTION_WAIT_SECONDS,
    )


Standing = Literal["empty", "older", "current", "newer"]
"""How a database's tables stand to this program."""


class NewerDatabase(RuntimeError):
    """The database was brought up by a newer Iskelo than this one."""


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def standing(url: str) -> Standing:
    """How a database's tables stand to this program."""
    engine = connect(url)
    try:
        with engine.connect() as connection:
            return _standing(connection)
    finally:
        engine.dispose()


def _standing(connection: Connection) -> Standing:
    at = MigrationContext.configure(connection).get_current_revision()
    known = ScriptDirectory.from_config(_config())
    if at is None:
        return "empty"
    if at == known.get_current_head():
        return "current"
    return "older" if at in {script.revision for script in known.walk_revisions()} else "newer"


def answers(engine: Engine) -> None:
    """Ask the database for nothing in particular; raises what it raises when it is away."""
    with engine.connect() as connection:
        connection.execute(text("SELECT 1"))


def migrate(url: str) -> None:
    """Bring the database's tables to the newest version.

    Raises
    ------
    NewerDatabase
        If they are of a newer version than this program knows.
    """
    engine = connect(url)
    config = _config()
    try:
        with engine.connect() as connection:
            connection.execute(text("SELECT pg_advisory_lock(:key)"), {"key": MIGRATION_LOCK})
            connection.commit()
            try:
                if _standing(connection) == "newer":
                    raise NewerDatabase(
                        "the database was used by a newer Iskelo than this one. Start that one again, or restore a "
                        "backup that was made with this one"
                    )
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
                connection.commit()
            finally:
                connection.execute(text("SELECT pg_advisory_unlock(:key)"), {"key": MIGRATION_LOCK})
                connection.commit()
    finally:
        engine.dispose()
