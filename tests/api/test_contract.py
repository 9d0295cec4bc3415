"""The contract: Schemathesis sends whatever the schema allows, and more; the server never answers 5xx."""

import json
from collections import Counter

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, settings
from schemathesis.checks import not_a_server_error

import any_request
from drawn import drawn
from iskelo.api.openapi import contract
from server import Server

# The measurement of this computer takes four seconds each time, whatever it is sent; it has a test of its own. To learn
# how to draw any edit takes Schemathesis minutes: edits and trials are drawn by our own walks here, by it in
# ``benchmarks/any_request.py``.
EDITS = ["/api/rigs/{rig_id}/edits", "/api/rigs/{rig_id}/trial"]
DEAR = ("/bundle", "{rig_id}/plan", "/faults", "/sheet-file")
SENT: Counter[str] = Counter()
schema = schemathesis.openapi.from_dict(json.loads(contract())).exclude(path=["/api/computer/wakeups", *EDITS])


@pytest.fixture(scope="module")
def rig(server: Server) -> str:
    return str(httpx.post(f"{server.url}/api/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"])


@schema.parametrize()
@settings(
    max_examples=drawn(25, 4),
    deadline=None,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_no_request_is_answered_with_a_server_error(case: schemathesis.Case, server: Server, rig: str) -> None:
    # Half the requests go to a rig that exists, so that they get past the first look-up; of those that make a file or a
    # plan the first, and then every eighth.
    SENT[case.path] += 1
    there = SENT[case.path] % 8 == 1 if case.path.endswith(DEAR) else len(str(case.body)) % 2 == 1
    if "rig_id" in (case.path_parameters or {}) and case.method != "DELETE" and there:
        case.path_parameters["rig_id"] = rig
    case.call_and_validate(base_url=server.url, checks=[not_a_server_error], timeout=120)


def test_no_edit_trial_or_file_however_made_is_answered_with_a_server_error(server: Server, rig: str) -> None:
    tally = any_request.Tally()
    any_request.own(server.url, rig, tally, drawn(2000, 250))
    assert tally.count >= 250
    assert max(tally.answers) < 500, tally.bad
