"""The rigs that ship: each whole, every line of it arriving and proved."""

import pytest

from iskelo.core.linecheck.run import run_line_check
from iskelo.core.survey import survey
from iskelo.demo.examples import EXAMPLES


@pytest.mark.parametrize("name", [name for name in EXAMPLES if name != "orrin-point"])
def test_an_example_is_whole_and_proved(name: str) -> None:
    rig = EXAMPLES[name]()
    found = survey(rig)
    assert found.vitals.arriving == found.vitals.wanted > 0
    assert [snag.title for snag in found.snags if snag.severity in ("stop", "trouble")] == []
    assert all(line.proved for line in run_line_check(rig).ledger.lines)
