"""What JSON from outside may be made of: bounded before anything takes it apart, for that holds everybody else up."""

import re

VALUES_MAX = 200_000
FILE_VALUES_MAX = 1_000_000
DEPTH_MAX = 64
DIGITS_MAX = 64

# Each of these goes over its input once, whatever it is: what begins always ends, if need be where the input does, and
# nothing is tried a second time (see ``tests/core/test_patterns.py``).
_MANY_DIGITS = re.compile(rb"(?<![0-9])[0-9]{%d}" % (DIGITS_MAX + 1))
_STRING = re.compile(rb'"(?:[^"\\]++|\\.)*+(?:"|\\?\Z)', re.DOTALL)
_BRACKETS = re.compile(rb"[\[{]+|[\]}]+")


def too_much(data: bytes, values_max: int = VALUES_MAX) -> str | None:
    """Why a document is too much to be taken apart; None if it is not. It may still be no JSON at all.

    Counted are values (at least; by the commas between them), how deep they are nested, and the digits of a number.
    """
    if data.count(b",") + data.count(b"{") + data.count(b"[") > values_max:
        bare = _STRING.sub(b'""', data)
        if bare.count(b",") + bare.count(b"{") + bare.count(b"[") > values_max:
            return f"it holds more than {values_max} values"
    if _MANY_DIGITS.search(data) and _MANY_DIGITS.search(_STRING.sub(b'""', data)):
        return f"it holds a number of more than {DIGITS_MAX} digits"
    if data.count(b"[") + data.count(b"{") > DEPTH_MAX and _depth(_STRING.sub(b'""', data)) > DEPTH_MAX:
        return f"it is nested more than {DEPTH_MAX} deep"
    return None


def _depth(bare: bytes) -> int:
    """How deep brackets are nested, in a document without its strings; a run of them is one step."""
    depth = deepest = 0
    for match in _BRACKETS.finditer(bare):
        run = match[0]
        depth += len(run) if run[0] in b"[{" else -len(run)
        deepest = max(deepest, depth)
    return deepest
