"""Whatever a field of phrases shows can be typed back and changes nothing: printed and read by one grammar."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from desks import desk_bench, strip_of
from desks import mixer_of as mixer_in
from drawn import drawn
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetValues, TypeFeeds, TypeInsert, TypeProgramInsert, TypeStripFeeds
from iskelo.core.rig.feed_words import fed_by, feeds_phrase
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.insert_words import insert_phrase, strip_insert_words
from iskelo.core.rig.mixers import Feed, Mixer, Strip
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from mixers import any_mixing_rig, full_desk
from rigs import any_rig

NAMES = (
    *("Main", "main two", "Aux 1", "Aux 2-3", "12", "usb 3", "out", "in 3", "jack", "channel", "Keys L", "Keys", "R"),
    *(
        "pre",
        "post gain",
        "raw",
        "direct",
        "mono",
        "Mix -6",
        "Mix \u22126",
        "+3",
        "a + b",
        "off",
        "(off)",
        "x (key up)",
    ),
    *(
        '6" tom',
        '"quoted"',
        "A, B",
        "A; B",
        "A \u00b7 B",
        "insert of Keys",
        "\u00e9l\u00e8ve",
        "STRASSE",
        "stra\u00dfe",
    ),
    *("dry", "bypassed", "parallel dry", "a \u203a b", "a > b", "out 3", "3", "To tape", "From tape"),
)


def renamed(rig: Rig, data: st.DataObject) -> Rig:
    """The rig with names that could be taken for something else, no two of one kind alike."""
    gear = []
    for each in rig.gear:
        # Names that differ in nothing but how they are written count as one.
        names = iter({name.casefold(): name for name in data.draw(st.permutations(NAMES))}.values())
        if isinstance(each, Interface) and each.mixer is not None:
            mixer = each.mixer
            strips, mixes = (
                tuple(item.model_copy(update={"name": next(names)}) for item in items)
                for items in (mixer.strips, mixer.mixes)
            )
            update: dict[str, object] = {"mixer": mixer.model_copy(update={"strips": strips, "mixes": mixes})}
            gear.append(each.model_copy(update=update))
        elif isinstance(each, Program):
            update = {
                field: tuple(item.model_copy(update={"name": next(names, item.name)}) for item in getattr(each, field))
                for field in ("inputs", "outputs")
            }
            gear.append(each.model_copy(update=update))
        else:
            gear.append(each)
    return Rig.model_validate(rig.model_dump() | {"gear": [each.model_dump() for each in gear]})


def mixer_of(rig: Rig, box: str) -> Mixer:
    mixer = next(each.mixer for each in index(rig).boxes if each.id == box)
    assert mixer is not None
    return mixer


def unchanged(rig: Rig, edit: Edit) -> None:
    after = apply(rig, (edit,)).rig
    assert after.model_copy(update={"next_number": rig.next_number}) == rig, edit


def ends(mixer: Mixer, strip: Strip | None = None) -> list[tuple[object, ...]]:
    """What its feeds say, all or a strip's, but for their ids, and for the pans that no phrase tells."""
    jacks = {source.number for source in strip.live if source.bank == "jack_in"} if strip is not None else set()
    keys = mixer.mute_key == "moves"

    def said(feed: Feed) -> tuple[object, ...]:
        wide = feed.width if feed.to is None else 0
        tap = feed.tap if any(strip.id == feed.item for strip in mixer.strips) else ""
        where = (feed.item or "", feed.jack or 0, feed.bank, feed.to or "", feed.number, wide)
        return (*where, tap, feed.gain_db, feed.on, feed.key if keys else "")

    return sorted(said(f) for f in mixer.feeds if strip is None or f.item == strip.id or f.jack in jacks)


@given(full_desk() | any_mixing_rig(), st.data())
@settings(max_examples=drawn(120))
def test_where_a_strip_goes_can_be_typed_back(rig: Rig, data: st.DataObject) -> None:
    rig = renamed(rig, data)
    for box in index(rig).boxes:
        for strip in box.mixer.strips if box.mixer is not None else ():
            shown = feeds_phrase(mixer_of(rig, box.id), strip)
            unchanged(rig, TypeStripFeeds(strip=strip.id, text=shown))
            # With all that it feeds taken away first, the words alone have to say it.
            bare = apply(rig, (TypeStripFeeds(strip=strip.id, text=""),)).rig
            again = apply(bare, (TypeStripFeeds(strip=strip.id, text=shown),)).rig
            assert ends(mixer_of(again, box.id), strip) == ends(mixer_of(rig, box.id), strip), shown


@given(full_desk() | any_mixing_rig(), st.data())
@settings(max_examples=drawn(120))
def test_what_feeds_a_channel_or_a_jack_can_be_typed_back(rig: Rig, data: st.DataObject) -> None:
    rig = renamed(rig, data)
    for box in index(rig).boxes:
        if box.mixer is None:
            continue
        for bank, has in (("capture", box.capture), ("jack_out", box.jack_out)):
            for number in range(1, has + 1):
                shown, _ = fed_by(mixer_of(rig, box.id), bank, number)
                if not shown:
                    continue
                typed = TypeFeeds.model_validate({"mixer": box.id, "bank": bank, "number": number, "text": shown})
                unchanged(rig, typed)
                mine = [f for f in box.mixer.feeds if f.bank == bank and number in f.ends]
                # Two feeds of one thing by one tap to one place cannot be told apart; a mix is said without its tap.
                strips = {strip.id for strip in box.mixer.strips}
                if len({(f.item, f.jack, f.tap if f.item in strips else "") for f in mine}) < len(mine):
                    continue
                left = tuple(feed for feed in box.mixer.feeds if feed not in mine)
                mixer = box.mixer.model_copy(update={"feeds": left})
                bare = rig.model_copy(
                    update={
                        "gear": tuple(
                            gear.model_copy(update={"mixer": mixer}) if gear.id == box.id else gear for gear in rig.gear
                        )
                    }
                )
                again = apply(bare, (typed,)).rig
                there = mixer_of(again, box.id)
                mended = there.model_copy(
                    update={"feeds": tuple(f for f in there.feeds if f.bank == bank and number in f.ends)}
                )
                assert set(ends(mended)) == set(ends(box.mixer.model_copy(update={"feeds": tuple(mine)}))), shown


@given(full_desk() | any_mixing_rig(), st.data())
@settings(max_examples=drawn(60))
def test_what_hangs_in_a_strip_can_be_typed_back(rig: Rig, data: st.DataObject) -> None:
    for box in index(rig).boxes:
        for strip in box.mixer.strips if box.mixer is not None else ():
            unchanged(rig, TypeInsert(strip=strip.id, text=strip_insert_words(strip)))


@given(any_rig(back=True), st.data())
@settings(max_examples=drawn(120))
def test_what_hangs_in_a_track_or_a_bus_can_be_typed_back(rig: Rig, data: st.DataObject) -> None:
    rig = renamed(rig, data)
    for program in index(rig).programs():
        for item, insert in program.hung():
            shown = insert_phrase(program, insert)
            unchanged(rig, TypeProgramInsert(item=item.id, text=shown))
            # In other spaces than those it is shown in, so that nothing but its words can say it.
            unchanged(rig, TypeProgramInsert(item=item.id, text=shown.replace(" \u203a ", "  \u203a  ", 1)))


@pytest.mark.parametrize("text", ["Main (off) \u00b7 usb 3 raw", "main (off), usb 3 raw", '"Main" (off); usb 3 raw'])
def test_a_strip_takes_the_very_text_that_its_field_shows(text: str) -> None:
    """'Main (off) \u00b7 usb 3 raw' was shown and refused."""
    bench = desk_bench("mixer 16 Valley")
    strip = strip_of(bench, "Valley", mixer_in(bench, "Valley").strips[0].name)
    bench.do(TypeStripFeeds(strip=strip.id, text=text))
    assert feeds_phrase(mixer_in(bench, "Valley"), strip) == "Main (off) \u00b7 usb 3 raw"
    unchanged(bench.rig, TypeStripFeeds(strip=strip.id, text=text))


def test_a_quotation_mark_that_is_not_closed_is_refused_in_words() -> None:
    bench = desk_bench("mixer 16 Valley")
    strip = mixer_in(bench, "Valley").strips[0]
    with pytest.raises(Refused, match="not closed"):
        bench.do(TypeStripFeeds(strip=strip.id, text='"Main'))
    bench.do(SetValues(item=strip.id, values={"name": 'Tom 6"'}))
    unchanged(bench.rig, TypeStripFeeds(strip=strip.id, text=feeds_phrase(mixer_in(bench, "Valley"), strip)))
