"""Rules about mixers: another tap than the wanted one, channels that nothing feeds."""

from functools import partial

from iskelo.core.edits.additions import AddFeed
from iskelo.core.edits.edit import EnableChannels, SetLeg, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.returns import Returned, returned_tracks
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Mixer, Strip
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import WantedTap
from iskelo.core.rig.text import fold_numbers
from iskelo.core.snags.reach import lines_to_track, with_finding
from iskelo.core.snags.recorded import taken_at
from iskelo.core.snags.rule import Remedy, Snag, distinct, if_so, rule
from iskelo.core.wiring.edge import Edge


@rule("lines")
def line_other_tap(reading: Reading) -> list[Snag]:
    """A line that says at which tap it is wanted is taken at another one."""
    return [
        Snag(
            key=f"line-other-tap:{state.line.id}",
            rule="line-other-tap",
            severity="trouble",
            title=f"{state.line.name} is taken {words}",
            evidence=words,
            consequence="A fader, a mute or an effect changes the recording, or what is recorded is no mix.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.from_ports),
            mend=partial(_taken_there, reading, state),
        )
        for state, words in with_finding(reading, "other tap")
    ]


def _taken_there(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """The wanted tap laid on the channel that the line comes by; or the line wants what it gets."""
    remedies: list[Remedy] = []
    for leg in state.legs:
        for arrival in leg.arrivals:
            remedies += _laid(reading, arrival.route.edges, state.line.tap)
    in_programs = taken_at(reading, state, state.line.tap)
    if in_programs:
        remedies.append(Remedy(f"Take {state.line.name} {state.line.tap}", tuple(in_programs)))
    any_tap = SetValues(item=state.line.id, values={"tap": "any"})
    return (*distinct(remedies), if_so(f"{state.line.name} may be taken at any tap", any_tap))


def _laid(reading: Reading, edges: tuple[Edge, ...], wanted: WantedTap) -> list[Remedy]:
    found = reading.found
    captured = next((edge.end for edge in edges if edge.end.bank == "capture"), None)
    jack = next((edge.end for edge in edges if edge.end.bank == "preamp"), None)
    box = next((each for each in found.boxes if captured is not None and each.id == captured.owner), None)
    if box is None or captured is None or jack is None or box.mixer is None or not box.mixer.open_feeds:
        return []
    where = {"mixer": box.id, "bank": "capture", "number": captured.number, "replace": True}
    if wanted == "raw":
        raw = AddFeed.model_validate({**where, "jack": jack.number})
        return [Remedy(f"Feed channel {captured.number} of {box.name} from in {jack.number} raw", (raw,))]
    strip = _strip(box.mixer.strips, jack.number)
    if strip is None or wanted in ("any", "a mix"):
        return []
    tapped = AddFeed.model_validate({**where, "item": strip.id, "tap": wanted})
    return [Remedy(f"Feed channel {captured.number} of {box.name} from strip {strip.name}, {wanted}", (tapped,))]


def _strip(strips: tuple[Strip, ...], jack: int) -> Strip | None:
    """The mono strip that takes a jack."""
    return next(
        (each for each in strips if [(s.bank, s.number) for s in each.live] == [("jack_in", jack)]),
        None,
    )


@rule("inputs and outputs")
def channels_unfed(reading: Reading) -> list[Snag]:
    """A program has channels of a mixer enabled that nothing feeds and no name stands on."""
    snags = []
    for program, channels in _unfed(reading):
        numbers = fold_numbers(channels)
        off = EnableChannels(program=program.id, channels=tuple(channels), on=False)
        snags.append(
            Snag(
                key=f"channels-unfed:{program.id}",
                rule="channels-unfed",
                severity="note",
                title=f"{program.name} has channels {numbers} enabled that nothing feeds",
                evidence=f"No feed of the mixer leads to them, and no input of {program.name} is on them.",
                consequence="They carry silence: files and the program's list of inputs are longer than they need be.",
                items=(program.id,),
                mend=partial(_disabled, off, numbers),
            )
        )
    return snags


@rule("tracks", symptoms=("misplaced",))
def track_on_another_strip(reading: Reading) -> list[Snag]:
    """A track comes back on another strip of a mixer than the one it was recorded from."""
    found = reading.found
    snags = []
    for box in found.boxes:
        returned = returned_tracks(found, box)
        for each in (each for each in returned if each.astray):
            own = ", ".join(strip.name for strip in each.own)
            snags.append(
                Snag(
                    key=f"track-on-another-strip:{each.track.id}:{each.strip.id}",
                    rule="track-on-another-strip",
                    severity="risk",
                    title=f"Track {each.track.name} comes back on strip {each.strip.name} of {box.name}",
                    evidence=f"It is recorded from strip {own}, and plays to the return of strip {each.strip.name}.",
                    consequence="Played back, it has another's fader, effects and sends; what is set for it live "
                    "does not go for it.",
                    items=(each.track.id, box.id),
                    lines=lines_to_track(reading, each.track.id),
                    root=f"returns:{box.id}:{each.program.id}",
                    mend=partial(_to_own_strips, found, box, returned, each),
                )
            )
    return snags


def _to_own_strips(found: Index, box: Interface, returned: tuple[Returned, ...], wrong: Returned) -> tuple[Remedy, ...]:
    """The track to the return of its own strip, together with all tracks of its program that come back elsewhere."""
    of_program = [each for each in returned if each.astray and each.program.id == wrong.program.id]
    edits = [edit for each in of_program for edit in _to_own_strip(found, box, each)]
    if not edits:
        return ()
    names = ", ".join(each.track.name for each in of_program)
    return distinct([Remedy(f"Play {names} to the return of the strip each was recorded from", tuple(edits))])


def _to_own_strip(found: Index, box: Interface, each: Returned) -> list[SetLeg]:
    """The channels of a track's output, so that they are those of its own strip's return."""
    strip = next(strip for strip in each.own if strip.back)
    streams = found.opened[each.program.id]
    numbers = [source.number for source in strip.back if source.bank == "playback"]
    channels = [streams.channel("playback", box.id, number) for number in numbers]
    if None in channels or len(channels) != len(each.strip.back) or each.track.output is None:
        return []
    output = each.track.output
    return [SetLeg(item=output, leg=leg, channel=channel) for leg, channel in enumerate(channels, start=1)]


def _disabled(off: EnableChannels, numbers: str) -> tuple[Remedy, ...]:
    return (Remedy(f"Disable input channels {numbers}", (off,)),)


def _unfed(reading: Reading) -> list[tuple[Program, list[int]]]:
    found = reading.found
    told = []
    for program in found.programs():
        streams = found.opened.get(program.id)
        # What only plays lists no inputs and writes no files.
        if not program.tracks:
            continue
        if streams is None or all(way.box.mixer is None for way in streams.ways):
            continue
        named = {leg for item in program.inputs for leg in item.legs}
        unfed = []
        for channel in program.enabled_in:
            there = streams.at("capture", channel)
            if there is None or channel in named:
                continue
            way, number = there
            if way.box.mixer is not None and not _is_fed(way.box.mixer, number):
                unfed.append(channel)
        if unfed:
            told.append((program, unfed))
    return told


def _is_fed(mixer: Mixer, number: int) -> bool:
    return any(feed.bank == "capture" and number in feed.ends for feed in mixer.feeds)
