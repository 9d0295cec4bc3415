"""Acts on what is switched: mutes, keys, solos, sources of strips, feeds, sends, monitoring, pans."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import permutations

from pydantic import JsonValue

from iskelo.core.acts.act import IN_A_PROGRAM, ON_A_BOX, Act, ActKind, Near
from iskelo.core.edits.additions import AddFeed
from iskelo.core.edits.edit import Edit, SetValues, UseStageBox
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Mixer, Strip
from iskelo.core.rig.programs import Bus, Program, Track
from iskelo.core.rig.text import few, fold_names


def strip_acts(found: Index, about: Near) -> Iterator[Act]:
    """What is done to all strips of a mixer at once."""
    for box in found.boxes:
        if box.mixer is not None and box.id in about.ids:
            yield from _all_strips(found, box, box.mixer)


SIDES = ((-1.0, "left"), (0.0, "to the centre"), (1.0, "right"))


def switch_acts(found: Index, about: Near) -> Iterator[Act]:
    """The switches of strips, feeds, tracks, buses and sends that are asked about; a solo anywhere in their gear."""
    for box in found.boxes:
        if box.mixer is not None and box.id in about.ids:
            yield from _of_mixer(found, box, box.mixer, about)
    for program in found.programs():
        if program.id in about.ids:
            yield from _of_program(found, program, about)


def _act(owner: str, item: str, words: str, cost: float, kind: ActKind = "switches", **values: JsonValue) -> Act:
    mends = values not in ({"muted": True}, {"armed": False}, {"soloed": True})
    return Act(kind, words, (SetValues(item=item, values=values),), frozenset({owner, item}), cost, mends)


def _of_mixer(found: Index, box: Interface, mixer: Mixer, about: Near) -> Iterator[Act]:
    for strip in mixer.strips:
        said = f"strip {strip.name} of {box.name}"
        if strip.soloed or strip.id in about.ids:
            words = f"{'End the solo of' if strip.soloed else 'Solo'} {said}"
            yield _act(box.id, strip.id, words, ON_A_BOX, soloed=not strip.soloed)
        if strip.id not in about.ids:
            continue
        if mixer.mute_key == "moves":
            words = f"{'Lift' if strip.muted else 'Press'} the key of {said}"
        else:
            words = f"{'Unmute' if strip.muted else 'Mute'} {said}"
        muting = _act(box.id, strip.id, words, ON_A_BOX, muted=not strip.muted)
        yield replace(muting, mends=mixer.mute_key == "moves" or strip.muted)
        if strip.back:
            words = f"Let {said} take {'what it takes live' if strip.plays_back else 'its return'}"
            yield _act(box.id, strip.id, words, ON_A_BOX, plays_back=not strip.plays_back)
        words = f"Turn the polarity of {said}{' back' if strip.inverted else ''}"
        yield _act(box.id, strip.id, words, ON_A_BOX, inverted=not strip.inverted)
        for pan, side in SIDES:
            if strip.pan != pan:
                yield _act(box.id, strip.id, f"Pan {said} {side}", ON_A_BOX, "pans", pan=pan)
    yield from _apart(box, [strip for strip in mixer.strips if strip.id in about.ids])
    for mix in mixer.mixes:
        if mix.muted or mix.id in about.ids:
            words = f"{'Unmute' if mix.muted else 'Mute'} mix {mix.name} of {box.name}"
            yield _act(box.id, mix.id, words, ON_A_BOX, muted=not mix.muted)
    for feed in mixer.feeds:
        if not feed.fixed and (feed.id in about.ids or feed.item in about.ids):
            words = f"Switch {found.say_in_mixer(feed.id)} {'off' if feed.on else 'on'}"
            yield _act(box.id, feed.id, words, ON_A_BOX, on=not feed.on)


PANNED_APART = 4
"""Two of so many strips are panned apart; among more it is no one thing that a person would do."""


def _apart(box: Interface, strips: list[Strip]) -> Iterator[Act]:
    """Two strips of one channel to the two sides of a pair, which so carries both, each by itself."""
    mono = [strip for strip in strips if strip.width == 1]
    for left, right in permutations(mono, 2) if len(mono) <= PANNED_APART else ():
        if (left.pan, right.pan) != (-1.0, 1.0):
            edits = (SetValues(item=left.id, values={"pan": -1.0}), SetValues(item=right.id, values={"pan": 1.0}))
            words = f"Pan strip {left.name} of {box.name} left and strip {right.name} right"
            yield Act("pans", words, edits, frozenset({box.id, left.id, right.id}), 2 * ON_A_BOX)


def _plugged_there(found: Index, box: Interface, strip: Strip, *, on: bool) -> bool:
    """Whether leads are in the fellows of a strip's jacks and none in its own: at the stage box (``on``), or here."""
    assert box.mixer is not None
    local = box.jack_in - box.mixer.stage_jacks
    jacks = {source.number for source in strip.live if source.bank == "jack_in"}
    fellows = {jack + local if on else jack - local for jack in jacks}
    plugged = {patch.to_port.number for patch in found.rig.patches if patch.to_port[:2] == (box.id, "jack_in")}
    return fellows <= plugged and not jacks & plugged


def _all_strips(found: Index, box: Interface, mixer: Mixer) -> Iterator[Act]:
    """All strips at once: live or to their returns, all solos ended."""
    back = [strip for strip in mixer.strips if strip.back]
    for plays, words in ((False, "what they take live"), (True, "their returns")):
        other = [strip for strip in back if strip.plays_back is not plays]
        if len(other) > 1:
            yield _together(box, other, f"Let all strips of {box.name} take {words}", plays_back=plays)
    for on, where in ((False, f"the jacks of {box.name}"), (True, "the jacks of the stage box")):
        strips = tuple(strip.id for strip in mixer.strips if _at(box, mixer, strip, staged=not on))
        if strips:
            edit = UseStageBox(mixer=box.id, strips=strips, on=on)
            words = f"Let the strips of {box.name} take {where}"
            yield Act("switches", words, (edit,), frozenset({box.id, *strips}), ON_A_BOX)
            some = [strip for strip in mixer.strips if strip.id in strips and _plugged_there(found, box, strip, on=on)]
            if 0 < len(some) < len(strips):
                chosen = edit.model_copy(update={"strips": tuple(strip.id for strip in some)})
                said = few(fold_names(strip.name for strip in some))
                words = f"Let {said} of {box.name} take {where}, where leads are"
                yield Act("switches", words, (chosen,), frozenset({box.id, *chosen.strips}), ON_A_BOX)
            raw = _raw_from(box, mixer, on=on)
            if raw:
                words = f"Let the strips and the raw channels of {box.name} take {where}"
                touches = frozenset({box.id, *strips})
                yield Act("switches", words, (edit, *raw), touches, 2 * ON_A_BOX)
    soloed = [strip for strip in mixer.strips if strip.soloed]
    if len(soloed) > 1:
        yield _together(box, soloed, f"End all solos of {box.name}", soloed=False)
    muted = [strip for strip in mixer.strips if strip.muted]
    if len(muted) > 1 and mixer.mute_key != "moves":
        yield _together(box, muted, f"Unmute all strips of {box.name}", muted=False)


def _raw_from(box: Interface, mixer: Mixer, *, on: bool) -> list[Edit]:
    """The raw channels of a mixer fed from the fellows of their jacks: at its stage box (``on``), or its own."""
    local = box.jack_in - mixer.stage_jacks
    edits: list[Edit] = []
    for feed in mixer.feeds:
        if feed.bank != "capture" or feed.jack is None or feed.fixed or (feed.jack > local) is on:
            continue
        jack = feed.jack + local if on else feed.jack - local
        if 1 <= jack <= box.jack_in and (jack > local) is on:
            edits.append(AddFeed(mixer=box.id, jack=jack, bank="capture", number=feed.number, replace=True))
    return edits


def _at(box: Interface, mixer: Mixer, strip: Strip, *, staged: bool) -> bool:
    """Whether a strip takes jacks that have fellows on the other side: those of the stage box, or the mixer's own."""
    local = box.jack_in - mixer.stage_jacks
    jacks = [source.number for source in strip.live if source.bank == "jack_in"]
    if not mixer.stage_jacks or not jacks:
        return False
    if staged:
        return all(local < jack <= 2 * local for jack in jacks)
    return all(jack <= min(local, mixer.stage_jacks) for jack in jacks)


def _together(box: Interface, strips: list[Strip], words: str, **values: JsonValue) -> Act:
    edits = tuple(SetValues(item=strip.id, values=values) for strip in strips)
    return Act("switches", words, edits, frozenset({box.id, *(strip.id for strip in strips)}), ON_A_BOX)


def _of_program(found: Index, program: Program, about: Near) -> Iterator[Act]:
    for track in program.tracks:
        said = f"track {track.name}"
        if track.soloed or track.id in about.ids:
            words = f"{'End the solo of' if track.soloed else 'Solo'} {said}"
            yield _act(program.id, track.id, words, IN_A_PROGRAM, soloed=not track.soloed)
        if track.id not in about.ids:
            continue
        words = f"{'Disarm' if track.armed else 'Arm'} {said}"
        yield _act(program.id, track.id, words, IN_A_PROGRAM, armed=not track.armed)
        words = f"Stop monitoring {said}" if track.monitored else f"Monitor {said}"
        yield _act(program.id, track.id, words, IN_A_PROGRAM, "monitoring", monitored=not track.monitored)
        words = f"{'Unmute' if track.muted else 'Mute'} {said}"
        yield _act(program.id, track.id, words, IN_A_PROGRAM, muted=not track.muted)
        for pan, side in SIDES:
            if track.pan != pan and track.monitored:
                yield _act(program.id, track.id, f"Pan {said} {side}", IN_A_PROGRAM, "pans", pan=pan)
    yield from _effects(program)
    for bus in program.buses:
        if bus.muted or bus.id in about.ids:
            words = f"{'Unmute' if bus.muted else 'Mute'} bus {bus.name}"
            yield _act(program.id, bus.id, words, IN_A_PROGRAM, muted=not bus.muted)
    for send in program.sends:
        if send.item in about.ids or send.to in about.ids:
            words = f"Switch the {found.say_send(send)} {'off' if send.on else 'on'}"
            yield _act(program.id, send.id, words, IN_A_PROGRAM, on=not send.on)
    yield from _all_sends(found, program, about)


def _all_sends(found: Index, program: Program, about: Near) -> Iterator[Act]:
    """All sends of a program to one bus or output at once."""
    for to in dict.fromkeys(send.to for send in program.sends):
        sends = [send for send in program.sends if send.to == to]
        if not any(send.item in about.ids or to in about.ids for send in sends):
            continue
        for on in (False, True):
            other = [send for send in sends if send.on is not on]
            if len(other) > 1:
                edits = tuple(SetValues(item=send.id, values={"on": on}) for send in other)
                words = f"Switch the {len(other)} sends to {found.name(to)} of {program.name} {'on' if on else 'off'}"
                touches = frozenset({program.id, *(send.id for send in other)})
                yield Act("switches", words, edits, touches, 2 * IN_A_PROGRAM)


def _effects(program: Program) -> Iterator[Act]:
    """Effects taken out, and compensation off: what waits for them comes sooner."""
    items: tuple[Track | Bus, ...] = (*program.tracks, *program.buses)
    late = [item for item in items if item.effect_delay_samples]
    for item in late:
        side = "bus" if isinstance(item, Bus) else "track"
        words = f"Take the effects out of {side} {item.name} of {program.name}"
        yield _act(program.id, item.id, words, IN_A_PROGRAM, "effects", effect_delay_samples=0)
    if late and program.delay_compensation:
        words = f"Switch delay compensation off in {program.name}"
        yield _act(program.id, program.id, words, IN_A_PROGRAM, "effects", delay_compensation=False)
