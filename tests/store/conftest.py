"""A session on a migrated database."""

from collections.abc import Iterator

import pytest
from sqlmodel import Session

from iskelo.store.database import connect


@pytest.fixture
def session(database_url: str) -> Iterator[Session]:
    engine = connect(database_url)
    with Session(engine) as found:
        yield found
    engine.dispose()
