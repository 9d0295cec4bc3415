"""A mixer as a table: strips with what they take and where they go, what channels and jacks are fed by and contain."""

from collections.abc import Iterable

from iskelo.core.edits.mixing import REASONS
from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import Hung, hung_in, round_trip, trips_of
from iskelo.core.returns import returned_tracks
from iskelo.core.rig.feed_words import fed_by, feeds_phrase
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.insert_words import strip_insert_words
from iskelo.core.rig.mixers import Mixer, Strip, StripSource
from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import say_figure
from iskelo.core.values import light


@light
class StripView:
    """One row: what it takes as its switch stands, what hangs in it, where it goes as a phrase, what sounds in it.

    ``returns``: the track that its return plays, whether it is switched to it or not; empty if it plays none alone.
    """

    id: str
    position: int
    name: str
    takes: str
    trim_db: float
    inverted: bool
    insert: str
    insert_on: bool
    insert_trip: str
    muted: bool
    soloed: bool
    gain_db: float
    pan: float
    has_return: bool
    plays_back: bool
    returns: str
    feeds: str
    contains: tuple[str, ...]


@light
class MixView:
    """A mix: its fader, where it goes, what sounds in it."""

    id: str
    name: str
    width: int
    gain_db: float
    muted: bool
    feeds: str
    contains: tuple[str, ...]


@light
class EndView:
    """A channel for the computer or an output jack: by which feeds it is fed, as a phrase, and what sounds there."""

    number: int
    fed_by: str
    fixed: bool
    contains: tuple[str, ...]


@light
class MixerView:
    """All of a mixer; ``never``: what it can never do, in words; ``returns``: how many strips play their return."""

    box: str
    strips: tuple[StripView, ...]
    mixes: tuple[MixView, ...]
    channels: tuple[EndView, ...]
    jacks: tuple[EndView, ...]
    never: tuple[str, ...]
    returns: int
    able: int
    open_feeds: bool
    key_moves: bool


def _trip(reading: Reading, hung: Hung) -> str:
    """What comes back of what a strip sends out: after how long, how loud."""
    trips = trips_of(reading, hung)
    samples = round_trip(trips)
    if samples is None or trips[0].route is None:
        return "nothing comes back"
    rate_hz = reading.found.mixing[hung.owner].box.rate_hz
    level = f"{say_figure(round(trips[0].whole_gain_db, 1))} dB{', reversed' if trips[0].inverted else ''}"
    about = "~" if any(trip.delay is not None and trip.delay.assumed for trip in trips) else ""
    return f"comes back after {about}{float(samples):g} samples = {1000 * float(samples) / rate_hz:.2f} ms, {level}"


def mixer_view(reading: Reading, box: Interface) -> MixerView | None:
    """The table of a box that is a mixer; None if it is none."""
    mixer = box.mixer
    if mixer is None:
        return None
    sounding, found = _sounding(reading, box), reading.found

    def contains(ports: Iterable[Port]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(name for port in ports for name in sounding.get(port, ())))

    hung = {each.owner: each for each in hung_in(found)}
    returns = {each.strip.id: f"track {each.track.name}" for each in returned_tracks(found, box)}
    strips = tuple(
        StripView(
            id=strip.id,
            position=position,
            name=strip.name,
            takes=takes_words(found, box, strip),
            trim_db=strip.trim_db,
            inverted=strip.inverted,
            insert=strip_insert_words(strip),
            insert_on=strip.insert is not None and strip.insert.on,
            insert_trip=_trip(reading, hung[strip.id]) if strip.id in hung else "",
            muted=strip.muted,
            soloed=strip.soloed,
            gain_db=strip.gain_db,
            pan=strip.pan,
            has_return=bool(strip.back),
            plays_back=strip.plays_back,
            returns=returns.get(strip.id, ""),
            feeds=feeds_phrase(mixer, strip),
            contains=contains(Port(strip.id, "strip_post", leg) for leg in range(1, strip.width + 1)),
        )
        for position, strip in enumerate(mixer.strips, start=1)
    )
    mixes = tuple(
        MixView(
            id=mix.id,
            name=mix.name,
            width=mix.width,
            gain_db=mix.gain_db,
            muted=mix.muted,
            feeds=feeds_phrase(mixer, mix),
            contains=contains(Port(mix.id, "mix_post", leg) for leg in range(1, mix.width + 1)),
        )
        for mix in mixer.mixes
    )
    return MixerView(
        box=box.id,
        strips=strips,
        mixes=mixes,
        channels=tuple(
            EndView(number, *fed_by(mixer, "capture", number), contains([Port(box.id, "capture", number)]))
            for number in range(1, box.capture + 1)
        ),
        jacks=tuple(
            EndView(number, *fed_by(mixer, "jack_out", number), contains([Port(box.id, "jack_out", number)]))
            for number in range(1, box.jack_out + 1)
        ),
        never=_never(reading, mixer),
        returns=sum(strip.plays_back for strip in mixer.strips),
        able=sum(bool(strip.back) for strip in mixer.strips),
        open_feeds=mixer.open_feeds,
        key_moves=mixer.mute_key == "moves",
    )


def _sounding(reading: Reading, box: Interface) -> dict[Port, list[str]]:
    """What sounds at each port of a mixer, by name."""
    found, sounding = reading.found, dict[Port, list[str]]()
    for start in found.starts():
        name = found.name(start.owner)
        for port in reading.known.sound(start).by:
            if found.gear_of(port.owner) == box.id:
                sounding.setdefault(port, []).append(name)
    return sounding


def takes_words(found: Index, box: Interface, strip: Strip) -> str:
    """What a strip takes as its switch stands: 'jack 3', 'return 5–6', 'mix Main'."""
    first = strip.sources[0]
    if first.mix is not None:
        return f"mix {found.name(first.mix)}"
    numbers = [source.number for source in strip.sources]
    return f"{_what(box, first)} {'–'.join(map(str, dict.fromkeys(numbers)))}"


def _what(box: Interface, source: StripSource) -> str:
    if source.bank == "playback":
        return "return"
    local = box.jack_in - (box.mixer.stage_jacks if box.mixer is not None else 0)
    return "stage jack" if source.number > local else "jack"


def _never(reading: Reading, mixer: Mixer) -> tuple[str, ...]:
    said = []
    for never in mixer.never:
        if never.start is not None:
            end = reading.found.name(never.end) if never.end is not None else "the computer"
            said.append(f"{reading.found.name(never.start)} to {end}: {REASONS[never.reason]}")
        elif never.starts == "jack_in":
            said.append(f"anything else to the computer: {REASONS[never.reason]}")
    return tuple(said)
