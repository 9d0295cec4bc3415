"""What an edit changed of a rig, as a small document: kept between whole ones, so that a long history stays small.

``patched(document of one rig, delta(one, other))`` is the document of the other rig. A delta names fields. Under each
stands ``{"=": value}``, what the field is now; ``{"~": delta}``, what changed inside; or, of a list whose members have
ids, ``{"#": {...}}``: which are ``gone``, what ``changed`` in which, which are ``new`` (whole, behind the others), and
the ``order`` of all where it is another one than that gives.
"""

from typing import Any

from iskelo.core.rig.value import Value

Document = dict[str, Any]


def delta(before: Value, after: Value) -> Document:
    """What changed between two values of one kind; what is the same object is not looked into."""
    found: Document = {}
    for name in type(after).model_fields:
        old, new = getattr(before, name), getattr(after, name)
        if new is old or new == old:
            continue
        if isinstance(new, Value) and type(new) is type(old):
            found[name] = {"~": delta(old, new)}
        elif _identified(old) and _identified(new):
            found[name] = {"#": _of_lists(old, new)}
        else:
            found[name] = {"=": after.model_dump(mode="json", include={name})[name]}
    return found


def _identified(value: object) -> bool:
    return isinstance(value, tuple) and all(isinstance(each, Value) and hasattr(each, "id") for each in value)


def _of_lists(before: tuple[Any, ...], after: tuple[Any, ...]) -> Document:
    old = {each.id: each for each in before}
    there = {each.id for each in after}
    gone = [identity for identity in old if identity not in there]
    changed, new = {}, []
    for each in after:
        was = old.get(each.id)
        if was is None:
            new.append(each.model_dump(mode="json"))
        elif type(was) is not type(each):
            changed[each.id] = {"=": each.model_dump(mode="json")}
        elif was is not each and (inside := delta(was, each)):
            changed[each.id] = {"~": inside}
    order = [identity for identity in old if identity in there] + [each["id"] for each in new]
    found: Document = {"gone": gone, "changed": changed, "new": new}
    wanted = [each.id for each in after]
    if order != wanted:
        found["order"] = wanted
    return {name: value for name, value in found.items() if value}


def patched(document: Document, change: Document) -> Document:
    """The document after a change; the one given is left as it is.

    Raises
    ------
    KeyError
        If the change is not one of this document.
    """
    return {**document, **{name: _changed(document.get(name), inside) for name, inside in change.items()}}


def _changed(value: Any, change: Document) -> Any:
    if "=" in change:
        return change["="]
    if "~" in change:
        return patched(value, change["~"])
    inside = change["#"]
    gone = set(inside.get("gone", ()))
    kept = {each["id"]: each for each in value if each["id"] not in gone}
    for identity, part in inside.get("changed", {}).items():
        kept[identity] = _changed(kept[identity], part)
    kept |= {each["id"]: each for each in inside.get("new", ())}
    return [kept[identity] for identity in inside["order"]] if "order" in inside else list(kept.values())
