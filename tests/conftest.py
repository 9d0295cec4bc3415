"""One PostgreSQL server of the tests' own, one Iskelo server, one browser, for the whole run."""

import contextlib
import json
import os
import ssl
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from unittest import mock

import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis.database import DirectoryBasedExampleDatabase

import server as servers
from drawn import drawn
from iskelo.command.hunt import FOUND
from iskelo.command.postgres import Cluster
from iskelo.command.quick import DURATIONS
from iskelo.store.database import migrate
from server import Server, fresh_database, own_cluster

# Shrinking whole rigs takes minutes; ISKELO_SHRINK=1 asks for it when a failure is looked into.
PHASES = [phase for phase in Phase if phase is not Phase.shrink or os.environ.get("ISKELO_SHRINK")]
# The same examples at every run (``--hypothesis-seed`` in pyproject.toml), so that a failure belongs to the change that
# is tested; ``./iskelo hunt`` draws new ones. What failed once is kept beside the tests, and tried by every run first.
settings.register_profile(
    "iskelo",
    # Said outright: where CI is set, Hypothesis itself would draw by the name of the test and keep no database.
    derandomize=False,
    database=DirectoryBasedExampleDatabase(FOUND),
    deadline=None,
    max_examples=drawn(60),
    phases=PHASES,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
settings.load_profile("iskelo")
servers.FORKS = True
# Every client that is made would read the list of the world's certificates, which nothing here needs: a tenth of all
# that the tests of the API do.
mock.patch("ssl.create_default_context", cache(ssl.create_default_context)).start()


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Write down how long each test took, for ``./iskelo quick`` to choose by."""
    took: dict[str, float] = {}
    for reports in terminalreporter.stats.values():
        for each in reports:
            if isinstance(each, pytest.TestReport):
                took[each.nodeid] = took.get(each.nodeid, 0.0) + each.duration
    with contextlib.suppress(OSError):
        try:
            known = json.loads(DURATIONS.read_text())
        except (OSError, ValueError):
            known = {}
        DURATIONS.write_text(json.dumps({**known, **{name: round(seconds, 2) for name, seconds in took.items()}}))


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A PostgreSQL server in a folder of its own, without waits for the disk."""
    with own_cluster(durable=False) as made:
        yield made


@pytest.fixture(scope="session")
def database_url(cluster: Cluster) -> str:
    """A migrated database for tests that can share one."""
    url = fresh_database(cluster)
    migrate(url)
    return url


@pytest.fixture(scope="session")
def server(cluster: Cluster) -> Iterator[Server]:
    """A running Iskelo with the built screens, as the screen tests use it."""
    web = os.environ.get("ISKELO_TEST_WEB_DIR")
    running = Server(fresh_database(cluster), Path(web) if web else None)
    running.start()
    yield running
    running.stop()
