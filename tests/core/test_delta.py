"""What changed between two rigs, as it is kept: put on the one it gives the other, whatever they are."""

import json

from hypothesis import given, settings

from drawn import drawn
from iskelo.core.edits.additions import AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Remove, SetValues
from iskelo.core.rig.delta import delta, patched
from iskelo.core.rig.rig import Rig
from iskelo.demo.orrin_point import orrin_point
from rigs import any_rig


def kept(rig: Rig) -> dict:
    """A document as the database gives it back."""
    return json.loads(rig.model_dump_json())


@given(any_rig(), any_rig())
@settings(max_examples=drawn(60))
def test_the_delta_between_any_two_rigs_put_on_the_one_gives_the_other(one: Rig, other: Rig) -> None:
    change = json.loads(json.dumps(delta(one, other)))
    assert patched(kept(one), change) == kept(other)
    assert patched(kept(other), delta(other, other)) == kept(other)


def test_a_small_edit_of_the_demo_takes_a_few_bytes() -> None:
    rig = orrin_point()
    line = rig.lines[0]
    after = apply(rig, (SetValues(item=line.id, values={"longest_delay_ms": 7}),)).rig
    change = delta(rig, after)
    assert change == {"lines": {"#": {"changed": {line.id: {"~": {"longest_delay_ms": {"=": 7.0}}}}}}}
    assert patched(kept(rig), change) == kept(after)


def test_what_is_added_taken_away_and_put_in_another_order_is_told() -> None:
    rig = apply(Rig(), (AddSources(names=("Alma", "Bertil", "Cassia")),)).rig
    without = apply(rig, (Remove(items=(rig.gear[1].id,)),)).rig
    assert delta(rig, without)["gear"] == {"#": {"gone": [rig.gear[1].id]}}
    turned = rig.model_copy(update={"gear": tuple(reversed(rig.gear))})
    assert delta(rig, turned)["gear"]["#"] == {"order": [each.id for each in turned.gear]}
    assert patched(kept(rig), delta(rig, turned)) == kept(turned)
