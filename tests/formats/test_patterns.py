"""Every regular expression of the application goes over its input once, whatever that is.

Each is found in the source and sent what makes one that tries things twice take squares of its length: long repetitions
of what it is made of, behind what it begins with, before what it cannot end with. There is no clock in this: the
attacks are so long that squares of them take a hundred times what the process is allowed of the processor.
"""

import ast
import itertools
import re
import resource
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from iskelo.command.places import ROOT

# Both are private names of the standard library's parser of expressions, and there is no other way to ask it.
from re import _constants as kinds  # type: ignore[attr-defined]  # isort: skip
from re import _parser as parser  # type: ignore[attr-defined]  # isort: skip

LENGTH = 20_000
ALLOWED_SECONDS = 40
SHORT = {
    "src/iskelo/core/edits/halves.py": "names have 80 characters at most",
    "src/iskelo/core/paperwork/sheet.py": "written in the source",
    "src/iskelo/command/install.py": "what Node.js says of itself",
}
"""Files whose expressions see nothing that is long."""

USES = {"compile", "match", "search", "fullmatch", "sub", "split", "findall", "finditer"}


def expressions() -> Iterator[tuple[str, str | bytes, int]]:
    """File, expression and flags of every use of ``re``; an expression that is put together is given as it is made."""
    for path in sorted((ROOT / "src").rglob("*.py")):
        file = str(path.relative_to(ROOT))
        tree = ast.parse(path.read_text())
        named = {
            target.id: node.value
            for node in ast.walk(tree)
            if isinstance(node, ast.Assign)
            for target in node.targets
            if isinstance(target, ast.Name)
        }
        for node in ast.walk(tree):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in USES):
                continue
            if not (isinstance(node.func.value, ast.Name) and node.func.value.id == "re"):
                continue
            given = node.args[0]
            if isinstance(given, ast.Name) and given.id in named:
                given = named[given.id]
            flags = sum(
                getattr(re, each.attr)
                for each in ast.walk(node)
                if isinstance(each, ast.Attribute) and each.attr in ("DOTALL", "I", "M") and each is not node.func
            )
            if isinstance(given, ast.Constant):
                yield file, given.value, flags
            elif isinstance(given, ast.BinOp):
                # The only one: digits, with their number put in.
                assert isinstance(given.left, ast.Constant), file
                yield file, given.left.value % 65, flags
            else:
                # Imported from the module that says it; found there.
                assert isinstance(given, ast.Name), (file, ast.dump(given))


def letters(tree: Any) -> Iterator[str]:
    """A character for everything that an expression is made of."""
    for kind, what in tree:
        if kind in (kinds.LITERAL, kinds.NOT_LITERAL):
            yield chr(what)
        elif kind is kinds.RANGE:
            yield chr(what[0])
        elif kind is kinds.CATEGORY:
            yield {kinds.CATEGORY_DIGIT: "1", kinds.CATEGORY_SPACE: " "}.get(what, "a")
        elif kind is kinds.IN:
            yield from letters(what)
        elif kind is kinds.BRANCH:
            for each in what[1]:
                yield from letters(each)
        elif kind in (kinds.MAX_REPEAT, kinds.MIN_REPEAT, kinds.POSSESSIVE_REPEAT):
            yield from letters(what[2])
        elif kind is kinds.SUBPATTERN:
            yield from letters(what[3])
        elif kind in (kinds.ASSERT, kinds.ASSERT_NOT):
            yield from letters(what[1])


def attacks(expression: str | bytes) -> Iterator[str | bytes]:
    """Long inputs of what an expression is made of."""
    made_of = list(dict.fromkeys([*letters(parser.parse(expression)), " ", "\\", '"', "a", "1"]))[:10]
    for one, other in itertools.combinations_with_replacement(made_of, 2):
        for first, last in (("", "\x01"), ("".join(made_of[:3]), ""), (made_of[0], "\x01")):
            text = first + (one + other) * (LENGTH // 2) + last
            yield text.encode("latin-1", "replace") if isinstance(expression, bytes) else text


FOUND = [(file, expression, flags) for file, expression, flags in expressions() if file not in SHORT]


def test_they_are_found() -> None:
    """As many as the source has, and some of which it is known that outsiders send them what they read."""
    assert len(FOUND) > 25
    assert {"src/iskelo/formats/json_bounds.py", "src/iskelo/api/guards.py"} <= {file for file, _, _ in FOUND}
    assert all((ROOT / file).exists() for file in SHORT)


def attacked(*words: str, seconds: int) -> subprocess.CompletedProcess[str]:
    """Send expressions everything, in a process that may not work for ever."""
    return subprocess.run(
        [sys.executable, __file__, *words],
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds)),
        check=False,
        capture_output=True,
        text=True,
    )


def test_none_tries_anything_twice() -> None:
    """All in one process: together they take some seconds."""
    done = attacked(seconds=ALLOWED_SECONDS)
    assert done.returncode == 0, f"the last one looked at:\n{done.stdout.splitlines()[-1:]}\n{done.stderr[-2000:]}"


@pytest.mark.parametrize("expression", [r'"[^"\\]*(?:\\.[^"\\]*)*"', r"(.*?)[\s/:.,#-]*(\d{1,4})"])
def test_one_that_does_is_found(expression: str) -> None:
    """What stood in the application once, and let one small request stop it."""
    assert attacked(repr(expression), str(int(re.DOTALL)), seconds=3).returncode != 0


def _try(expression: str | bytes, flags: int) -> None:
    made: Any = re.compile(expression, flags)
    for text in attacks(expression):
        made.search(text)
        made.fullmatch(text)


if __name__ == "__main__":
    if len(sys.argv) > 1:
        _try(ast.literal_eval(sys.argv[1]), int(sys.argv[2]))
    else:
        for file, expression, flags in FOUND:
            print(Path(file).name, expression, flush=True)
            _try(expression, flags)
