"""The connection to PostgreSQL, and bringing its tables up to date."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, text
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


def connect(url: str) -> Engine:
    """An engine that tries each connection before it is used, so that a restarted server is found again."""
    return create_engine(sqlalchemy_url(url), pool_pre_ping=True, pool_size=8, max_overflow=8)


def migrate(url: str) -> None:
    """Bring the database's tables to the newest version."""
    engine = connect(url)
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        with engine.connect() as connection:
            connection.execute(text("SELECT pg_advisory_lock(:key)"), {"key": MIGRATION_LOCK})
            connection.commit()
            try:
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
                connection.commit()
            finally:
                connection.execute(text("SELECT pg_advisory_unlock(:key)"), {"key": MIGRATION_LOCK})
                connection.commit()
    finally:
        engine.dispose()
