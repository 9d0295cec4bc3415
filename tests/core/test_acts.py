"""Acts: what a person can do in one go, and what trying it finds; a rig that was broken by one of them is mended."""

import random
from functools import reduce
from itertools import islice
from operator import or_

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from core.test_numbers import over_two_boxes
from desks import desk_bench, mixer_of
from drawn import drawn
from evenings import planned, wished
from iskelo.core.acts.act import Act
from iskelo.core.acts.every import acts_about, everything, near
from iskelo.core.acts.search import KEPT_AT_MOST, PATCHED, TRIED_AT_MOST, UNHEARD, search
from iskelo.core.acts.stakes import Stakes
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetLeg, SetMembers, SetValues
from iskelo.core.lines.context import Begun, read
from iskelo.core.plan import plan
from iskelo.core.remedies import remedies_of, tried_remedies
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey_again
from iskelo.demo.company import whole_company
from iskelo.demo.examples import EXAMPLES
from mending import arriving, first_mended
from mixers import full_desk
from rigs import any_rig

WELL = [name for name in EXAMPLES if not name.startswith("orrin-point")]
RIGS = st.one_of(any_rig(busy=True, back=True), any_rig(busy=True, cabled=True), full_desk(back=True))


def as_it_sounds(rig: Rig) -> dict:
    """A rig without what an act and its undoing leave behind: ids of leads, their order, what is minded."""
    told = rig.model_dump(mode="json", exclude={"next_number"})
    for patch in told["patches"]:
        del patch["id"]
    told["patches"].sort(key=str)
    for gear in told["gear"]:
        for item in (*gear.get("inputs", ()), *gear.get("outputs", ())):
            item.pop("meant", None)
        for side in ("enabled_in", "enabled_out"):
            gear.pop(side, None)
    return told


def made(rig: Rig, act: Act) -> Rig | None:
    try:
        return apply(rig, act.edits).rig
    except Refused:
        return None


@given(RIGS, st.randoms(use_true_random=False))
@settings(max_examples=drawn(25, 8))
def test_what_is_done_in_one_go_is_taken_back_in_one_go(rig: Rig, chance: random.Random) -> None:
    reading = read(rig)
    # These forget a value, or names that another device has no channel for.
    forgets = ("pans", "supply", "names put right", "devices", "outputs", "effects")
    acts = [act for act in acts_about(reading, everything(reading)) if act.kind not in forgets]
    assume(acts)
    for act in chance.sample(acts, min(4, len(acts))):
        after = made(rig, act)
        if after is None:
            continue
        again = read(after)
        back = (made(after, each) for each in acts_about(again, everything(again)))
        assert as_it_sounds(rig) in [as_it_sounds(each) for each in back if each is not None], act.words


@pytest.mark.parametrize("name", WELL)
def test_an_example_that_one_act_has_broken_is_mended_by_first_remedies(name: str) -> None:
    """The whole count, for every example and 300 rigs, is in ``benchmarks/break_and_mend.py``."""
    rig = EXAMPLES[name]()
    reading = read(rig)
    acts = list(acts_about(reading, everything(reading)))
    random.Random(name).shuffle(acts)
    broken = 0
    for act in acts:
        after = made(rig, act)
        if after is None or arriving(after) == len(rig.lines):
            continue
        mended, said = first_mended(after, 2)
        assert arriving(mended) == len(rig.lines), (act.words, said)
        broken += 1
        if broken == 3:
            return
    raise AssertionError("nothing that is tried takes a line")


@pytest.mark.parametrize("name", ["orrin-point-rehearsal", "main-mix-and-raw-voices", "two-boxes-as-one"])
def test_an_act_that_is_read_for_its_own_lines_is_found_if_and_only_if_it_frees_one(name: str) -> None:
    """What is left out because it frees none of the lines that are asked for is found by no reading of the whole."""
    rig = EXAMPLES[name]()
    reading = read(rig)
    if arriving(rig) == len(rig.lines):
        act = next(each for each in acts_about(reading, everything(reading)) if takes_a_line(rig, each))
        rig = apply(rig, act.edits).rig
        reading = read(rig)
    wrong = {state.line.id for state in reading.lines if state.headline != "arrives"}
    searched = search(reading, wrong)
    about = reduce(or_, [near(reading, reading.traced[line].state) for line in sorted(wrong)])
    patched = all(reading.traced[line].state.headline in PATCHED for line in wrong)
    frees: dict[tuple[Edit, ...], int] = {}
    for act in islice(
        (each for each in acts_about(reading, about, about, patched=patched) if each.mends), TRIED_AT_MOST
    ):
        after = made(rig, act)
        gained = arriving(after) - arriving(rig) if after is not None else 0
        if gained > 0:
            frees[act.edits] = gained
    assert frees, "nothing that is tried frees a line"
    assert {each.act.edits for each in searched.found} <= set(frees)
    assert all(each.freed - each.harmed == frees[each.act.edits] for each in searched.found)
    assert len(searched.found) == min(KEPT_AT_MOST, len(frees))


def test_what_is_found_for_a_line_betters_that_line_and_not_only_others() -> None:
    """Alma is monitored twice and the reed organ late beside the others: what frees Alma is no act for the organ."""
    company = whole_company()
    (hall,) = (gear for gear in company.gear if isinstance(gear, Aggregate) and gear.name == "Hall")
    matched = tuple(member.model_copy(update={"matched": member.device != hall.master}) for member in hall.members)
    reading = read(apply(company, (SetMembers(aggregate=hall.id, members=matched),)).rig)
    was = {state.line.name: state for state in reading.lines if state.headline != "arrives"}
    assert was["Reed organ"].headline == "skewed"
    assert was["Alma, heard"].headline == "doubled"
    assert search(reading, [was["Alma, heard"].line.id]).found
    for state in was.values():
        alone = [state.line.id]
        for each in (*search(reading, alone).found, *search(reading, alone, at_once=True).found):
            after = made(reading.rig, each.act)
            assert after is not None
            (then,) = (other for other in read(after).lines if other.line.id == state.line.id)
            heard_at_last = state.headline in UNHEARD and then.headline not in UNHEARD
            assert then.headline == "arrives" or heard_at_last, (state.line.name, each.act.words)


@given(RIGS, st.randoms(use_true_random=False))
@settings(max_examples=drawn(120, 12), suppress_health_check=[HealthCheck.filter_too_much])
def test_what_is_not_tried_because_of_what_is_at_stake_frees_no_more_than_it_takes(
    rig: Rig, chance: random.Random
) -> None:
    reading = read(rig)
    wrong = {state.line.id: near(reading, state) for state in reading.lines if state.headline != "arrives"}
    assume(wrong)
    wanted = frozenset(chance.sample(sorted(wrong), max(1, len(wrong) // 2)))
    stakes = Stakes(reading, wrong, wanted)
    about, around = (reduce(or_, [wrong[line] for line in lines]) for lines in (sorted(wanted), sorted(wrong)))
    left = [act for act in acts_about(reading, about, around) if act.mends and not stakes.can_mend(act)]
    for act in chance.sample(left, min(20, len(left))):
        after = made(rig, act)
        if after is None:
            continue
        then = {state.line.id for state in read(after).lines if state.headline == "arrives"}
        freed, taken = then & wrong.keys(), {line.id for line in rig.lines} - wrong.keys() - then
        assert not then & wanted or len(freed) <= len(taken), act.words


@given(RIGS)
@settings(max_examples=drawn(30))
def test_lines_that_are_read_one_by_one_are_as_in_the_whole_whatever_is_read_first(rig: Rig) -> None:
    whole = read(rig).traced
    begun = Begun(rig)
    for line in reversed(rig.lines):
        assert begun.state(line.id) == whole[line.id].state
    assert begun.read().traced == whole
    assert begun.state("l999999999") is None


def test_names_are_exchanged_back_though_what_passes_them_arrives_by_accident() -> None:
    """The microphone comes in by the return of the insert meanwhile, and is heard all the same."""
    rig = broken("outboard-on-an-insert", "Exchange the channels of inputs Bertil and From Anvil press of Longhand")
    mended, said = first_mended(rig, 2)
    assert said == ["Exchange the channels of inputs Bertil and From Anvil press of Longhand"]
    assert arriving(mended) == len(rig.lines)


def test_only_what_is_near_and_could_pay_is_tried() -> None:
    """Alma is monitored twice: her monitoring is tried; another device for all, and all names moved, are not."""
    reading = read(whole_company())
    wrong = {state.line.id: near(reading, state) for state in reading.lines if state.headline != "arrives"}
    alma = next(state.line.id for state in reading.lines if state.line.name == "Alma, heard")
    stakes = Stakes(reading, wrong, frozenset({alma}))
    tried = {act.words: stakes.can_mend(act) for act in acts_about(reading, everything(reading)) if act.mends}
    assert tried["Stop monitoring track Alma"]
    assert not tried["Give Longhand the device Corvane 8"]
    moved = [words for words in tried if words.startswith("Move the inputs of Longhand from Bertil on")]
    assert moved
    assert not any(tried[words] for words in moved)
    assert 1 <= sum(tried.values()) < len(tried) / 4


def test_leads_at_the_insert_of_a_strip_stand_near_its_line() -> None:
    bench = desk_bench("mic Alma", "analogue mixer 8 Wherry", "recorder Longhand")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    box, strip = bench.id("Wherry"), mixer_of(bench, "Wherry").strips[0]
    bench.do(SetValues(item=strip.id, values={"insert": {"send": 3, "back": 5}}))
    reading = read(bench.rig)
    place = near(reading, reading.lines[0])
    assert {Port(box, "jack_out", 3), Port(box, "jack_in", 5)} <= place.ports
    bench.do(SetValues(item=strip.id, values={"insert": None}))
    reading = read(bench.rig)
    assert Port(box, "jack_out", 3) not in near(reading, reading.lines[0]).ports


def takes_a_line(rig: Rig, act: Act) -> bool:
    after = made(rig, act)
    return after is not None and arriving(after) < len(rig.lines)


def first_words(rig: Rig) -> str:
    known = survey_again(rig, None)
    return next(each.words for snag in known.snags for each in tried_remedies(rig, snag, known) if not each.fact)


def broken(name: str, words: str) -> Rig:
    """An example after the one act that is told so."""
    rig = EXAMPLES[name]()
    reading = read(rig)
    act = next(each for each in acts_about(reading, everything(reading)) if each.words == words)
    after = made(rig, act)
    assert after is not None
    assert arriving(after) < len(rig.lines), "it takes no line"
    return after


def words_offered(rig: Rig) -> list[str]:
    known = survey_again(rig, None)
    return [each.words for snag in known.snags for each in tried_remedies(rig, snag, known) if not each.fact]


def test_what_was_exchanged_is_exchanged_back() -> None:
    names = "Exchange the channels of inputs Alma and Bertil of Longhand"
    leads = "Exchange the leads in Corvane 8 jack in 1 and Corvane 8 jack in 2"
    assert first_words(broken("two-boxes-as-one", names)) == names
    (told,) = [each for each in survey_again(broken("two-boxes-as-one", names), None).snags if each.severity != "note"]
    assert told.title == "Alma and Bertil are exchanged: each arrives where the other belongs"
    # Names are exchanged in a moment; the leads are offered as well, for which of them is wrong nobody can see here.
    assert {names, leads} <= set(words_offered(broken("two-boxes-as-one", leads)))


def test_names_that_stand_in_a_circle_are_put_right_in_one_act() -> None:
    rig = EXAMPLES["two-boxes-as-one"]()
    inputs = {item.name: item.id for item in index(rig).programs()[0].inputs}
    around = {"Alma": 2, "Bertil": 3, "Cassia": 1}
    rig = apply(rig, tuple(SetLeg(item=inputs[name], leg=1, channel=number) for name, number in around.items())).rig
    (told,) = [each for each in survey_again(rig, None).snags if each.severity != "note"]
    assert told.title == "Alma, Bertil, Cassia are exchanged: each arrives where another belongs"
    mended, said = first_mended(rig, 1)
    assert said == ["Give Alma, Bertil, Cassia of Longhand the channels where their sounds arrive"]
    assert arriving(mended) == len(rig.lines)


def test_names_from_one_place_on_are_moved_back_in_one_act() -> None:
    rig = broken("two-boxes-as-one", "Move the inputs of Longhand from Cassia on 1 channel down")
    assert first_words(rig) == "Move the inputs of Longhand from Cassia on 1 channel up"


def test_a_member_is_put_back_in_its_place_and_no_name_is_mapped_anew() -> None:
    bench, _, _ = over_two_boxes()
    reading = read(bench.rig)
    act = next(each for each in acts_about(reading, everything(reading)) if each.words.startswith("Put Second first"))
    after = made(bench.rig, act)
    assert after is not None
    assert first_words(after).startswith(("Put Box first", "Put Second behind Box"))


def test_a_plan_puts_a_member_back_and_tells_it_at_the_device() -> None:
    made_plan = plan(survey_again(broken("two-boxes-as-one", "Put Pellow Duo first in Both"), None))
    assert made_plan is not None
    assert [(each.gear, each.steps) for each in made_plan.steps] == [
        ("Both", ("Put Pellow Duo behind Corvane 8 in Both",))
    ]


def test_all_strips_at_their_returns_are_one_act() -> None:
    rig = broken("main-mix-and-raw-voices", "Let all strips of Havra 16 take their returns")
    assert first_words(rig) == "Let all strips of Havra 16 take what they take live"


def test_how_many_acts_were_tried_is_told_and_of_which_kinds() -> None:
    rig = broken("two-boxes-as-one", "Exchange the channels of inputs Alma and Bertil of Longhand")
    known = survey_again(rig, None)
    told = remedies_of(rig, known.snags[0], known)
    assert told.tried > 20
    assert {"names", "leads", "monitoring"} <= set(told.kinds)


@given(RIGS)
@settings(max_examples=drawn(6, 3))
def test_where_no_remedy_is_found_trying_everything_finds_none(rig: Rig) -> None:
    known = survey_again(rig, None)
    well = {line.id for line in known.survey.lines if line.headline == "arrives"}
    for snag in known.snags[:3]:
        troubled = [line for line in snag.lines if line not in well]
        if not troubled or tried_remedies(rig, snag, known):
            continue
        for act in acts_about(known.reading, everything(known.reading)):
            after = made(rig, act)
            if after is None:
                continue
            then = {line.id for line in survey_again(after, known).survey.lines if line.headline == "arrives"}
            assert not (then > well and set(troubled) & then), (snag.title, act.words)
