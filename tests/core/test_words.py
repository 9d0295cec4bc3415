"""Words: every fact that the core can find has a sentence, and every sentence the parts it tells."""

import ast
import string
from pathlib import Path
from typing import get_args

from hypothesis import given, settings

import iskelo.core
from drawn import drawn
from iskelo.core.lines.context import read
from iskelo.core.rig.rig import Rig, WantedTap
from iskelo.core.words.say import SENTENCES, say, say_unblock
from rigs import any_rig


def facts_made() -> list[tuple[str, frozenset[str], bool]]:
    """Every ``fact("code", part=…)`` in the core: its code, its parts, and whether others are spread into it."""
    made = []
    for path in sorted(Path(next(iter(iskelo.core.__path__))).rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "fact":
                codes = [each.value for each in ast.walk(node.args[0]) if isinstance(each, ast.Constant)]
                parts = frozenset(each.arg for each in node.keywords if each.arg is not None)
                spread = any(each.arg is None for each in node.keywords)
                made += [(code, parts, spread) for code in codes if isinstance(code, str)]
    return made


def told(code: str) -> frozenset[str]:
    return frozenset(name for _, name, _, _ in string.Formatter().parse(SENTENCES[code]) if name)


def test_every_fact_has_a_sentence_whose_parts_it_has() -> None:
    made = facts_made()
    assert len(made) > 60
    for code, parts, spread in made:
        assert code in SENTENCES, code
        assert told(code) <= parts or spread, (code, told(code) - parts)


def test_every_sentence_is_of_a_fact_that_is_made() -> None:
    assert set(SENTENCES) - {code for code, _, _ in facts_made()} == {"left", "right", *get_args(WantedTap)} - {"any"}


@given(any_rig(back=True))
@settings(max_examples=drawn(60))
def test_whatever_is_found_of_any_rig_can_be_said(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        for finding in state.findings:
            said = say(finding, reading.found)
            assert said.strip()
            assert "{" not in said
            assert "owner=" not in said
    for edge in reading.graph.edges():
        if edge.block is not None:
            assert say(edge.block, reading.found).strip()
            assert bool(edge.block.unblock) == bool(say_unblock(edge.block, reading.found))
