"""Gear typed as a phrase: '4 mic', 'box 8x8 Corvane', 'recorder', '2 head', 'stereo instrument Reed organ'."""

import re

from iskelo.core.edits.additions import AddDestination, AddGear, AddInterface, AddOutboard, AddProgram, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.device_streams import CHANNELS_AT_MOST
from iskelo.core.rig.gear import Gear, Interface
from iskelo.core.rig.mixer_makes import new_mixer
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import clean_name, number_behind

MOST_AT_ONCE = 128
BEGINNING_CHARACTERS = 3
"""So much of a catalogue name is enough."""

KINDS: dict[str, tuple[str, ...]] = {
    "microphone": ("mic", "mics", "microphone", "microphones"),
    "instrument": ("inst", "instrument", "instruments", "pickup", "pickups"),
    "line player": ("line", "lines"),
    "interface": ("box", "interface"),
    "mixer": ("mixer", "desk"),
    "cable": ("cable", "cables"),
    "recorder": ("rec", "recorder"),
    "sampler": ("sam", "sampler"),
    "player": ("player", "players"),
    "call": ("call",),
    "mixing program": ("mixing", "mix"),
    "system sounds": ("system", "beeps"),
    "outboard": ("outboard", "effect", "effects", "echo", "reverb", "compressor", "preamp"),
    "headphones": ("head", "headphones", "phones", "cans"),
    "loudspeakers": ("speaker", "speakers", "loudspeaker", "loudspeakers"),
    "feed": ("feed", "feeds"),
}
"""What each kind of gear may be called, in lower case."""

SOURCES = ("microphone", "instrument", "line player")
PROGRAMS = ("recorder", "sampler", "player", "call", "mixing program", "system sounds")
VOICES: dict[str, tuple[str, int]] = {
    "sampler": ("Pad", 8),
    "player": ("Deck", 2),
    "call": ("Far end", 1),
    "system sounds": ("Beeps", 1),
}
"""What the voices of a new program are called, and how many it comes with."""

TRACKS: dict[str, tuple[str, int]] = {"recorder": ("Track", 0), "mixing program": ("Strip", 4)}
"""The same of the tracks of programs that sound nothing themselves."""

MIXER_STRIPS = 16
"""As many as a mixer comes with that nobody says the size of."""

CABLE_CHANNELS = 2
"""As many as a cable has that nobody says the size of."""

_SECOND_WORDS = ("player", "players", "program", "sounds")
"""Words that may follow a kind and say nothing more: 'line player', 'mixing program', 'system sounds'."""

EXAMPLES = (
    "4 mic, box 8x8 Corvane, recorder, mixer 16, cable 8, headphones, stereo instrument Organ, or a catalogue name"
)


def interface_phrase(text: str, stock: tuple[Gear, ...] = ()) -> Interface:
    """The one interface a phrase or a catalogue name stands for; raises Refused."""
    made = [gear for gear in apply(Rig(name="Swap"), gear_phrase(text, stock)).rig.gear if isinstance(gear, Interface)]
    if len(made) != 1:
        raise Refused(text, "say one interface; for example box 4x4, or a name from the catalogue")
    return made[0]


def _from_stock(text: str, stock: tuple[Gear, ...], *, whole: bool) -> tuple[Edit, ...] | None:
    """Pieces of the catalogue by their whole name, or by how it begins; several with a number before it."""
    count, words = _count(text.split())
    wanted = _plain(" ".join(words))
    if whole:
        found = [gear for gear in stock if _plain(gear.name) == wanted]
    else:
        found = [gear for gear in stock if len(wanted) >= BEGINNING_CHARACTERS and _plain(gear.name).startswith(wanted)]
    return tuple(AddGear(gear=found[0]) for _ in range(count or 1)) if found else None


def _plain(name: str) -> str:
    return name.casefold().replace("×", "x")


def gear_phrase(text: str, stock: tuple[Gear, ...] = ()) -> tuple[Edit, ...]:
    """The edits that add what a phrase names; a name of the catalogue is a phrase too, and may be shortened
    where it does not begin with a kind.

    A phrase is: how many (sources and destinations), *stereo* or *mono*, the kind, the size of a box
    (inputs x outputs), and a name or several with commas. 'Four' microphones named 'Voice' become Voice 1 … 4.

    Raises
    ------
    Refused
        With what cannot be understood, and examples.
    """
    listed = _from_stock(text, stock, whole=True)
    if listed is not None:
        return listed
    count, words = _count(text.split())
    width: int | None = None
    size: tuple[int, int] | None = None
    kind: str | None = None
    analogue = bool(words) and words[0].casefold() in ("analogue", "analog")
    words = words[1:] if analogue else words
    while words:
        word = words[0].casefold()
        match = re.fullmatch(r"(\d{1,4})[x×](\d{1,4})", word)
        if word in ("stereo", "mono") and width is None:
            width = 2 if word == "stereo" else 1
        elif match and size is None:
            size = (int(match[1]), int(match[2]))
        elif kind is None:
            kind = next((each for each, names in KINDS.items() if word in names), None)
            if kind is None:
                listed = _from_stock(text, stock, whole=False)
                if listed is not None:
                    return listed
                raise Refused(text, f"no gear is called {words[0]!r}; type for example {EXAMPLES}")
            if len(words) > 1 and words[1].casefold() in _SECOND_WORDS:
                words = words[1:]
        else:
            break
        words = words[1:]
    if kind == "cable" and not analogue:
        return _cables(text, count, size, width, " ".join(words))
    if kind == "mixer":
        return _mixers(text, count, size, " ".join(words), analogue=analogue)
    if analogue:
        raise Refused(text, "only a mixer is said to be analogue; for example analogue mixer 8")
    if kind is None:
        raise Refused(text or "gear", f"say what it is; for example {EXAMPLES}")
    return _edits(text, kind, count, width, size, " ".join(words))


def _count(words: list[str]) -> tuple[int | None, list[str]]:
    if words and words[0].isascii() and words[0].isdigit():
        count = int(words[0][:6])
        if not 1 <= count <= MOST_AT_ONCE:
            raise Refused(" ".join(words), f"{words[0]} at once is too many or too few; say 1 to {MOST_AT_ONCE}")
        return count, words[1:]
    return None, words


def _edits(
    text: str, kind: str, count: int | None, width: int | None, size: tuple[int, int] | None, name: str
) -> tuple[Edit, ...]:
    if size is not None and kind != "interface":
        what = "outboard gear" if kind == "outboard" else f"a {kind}"
        raise Refused(text, f"{size[0]}x{size[1]} is the size of a box; {what} has none")
    names = _names(text, kind, count, name)
    if kind in SOURCES:
        return (
            AddSources.model_validate(
                {
                    "names": names,
                    "source_kind": kind,
                    "width": width or 1,
                    "needs_phantom": kind == "microphone",
                    "needs_high_impedance": kind == "instrument",
                }
            ),
        )
    if kind == "interface":
        ins, outs = size or (2, 2)
        if ins > 128 or outs > 128:
            raise Refused(text, f"a box has at most 128 jacks a side, not {max(ins, outs)}")
        if ins == outs == 0:
            raise Refused(text, "a box has a jack at least; say for example 2x2")
        return tuple(AddInterface(name=each, jack_in=ins, jack_out=outs) for each in names)
    if kind in PROGRAMS:
        return _programs(text, kind, width, name, names)
    if kind == "outboard":
        return tuple(AddOutboard(name=each, width=width or 1) for each in names)
    wide = width or (1 if kind == "feed" else 2)
    return tuple(
        AddDestination.model_validate({"name": each, "destination_kind": kind, "width": wide}) for each in names
    )


def _mixers(
    text: str, count: int | None, size: tuple[int, int] | None, name: str, *, analogue: bool
) -> tuple[Edit, ...]:
    """Mixers: 'mixer 16', 'analogue mixer 8', 'mixer 16 Havra': a number is how many strips, what follows a name."""
    match = re.fullmatch(r"(\d{1,4})?\s*(.*)", name)
    assert match is not None
    strips = int(match[1]) if match[1] else size[0] if size else MIXER_STRIPS if not analogue else 8
    least, most = (4, 32) if analogue else (1, 64)
    if not least <= strips <= most:
        what = "an analogue mixer" if analogue else "a mixer"
        raise Refused(text, f"{what} has {least} to {most} strips here, not {strips}")
    names = _names(text, "mixer", count, match[2])
    return tuple(AddGear(gear=new_mixer(each, strips, analogue=analogue)) for each in names)


def _cables(
    text: str, count: int | None, size: tuple[int, int] | None, width: int | None, name: str
) -> tuple[Edit, ...]:
    """Cables: 'cable 8 Gully', '3 cable 8': a number is how many channels, what follows a name."""
    if size is not None and size[0] != size[1]:
        raise Refused(text, f"a cable has as many channels in as out, not {size[0]} and {size[1]}")
    match = re.fullmatch(r"(\d{1,4})?\s*(.*)", name)
    assert match is not None
    channels = int(match[1]) if match[1] else size[0] if size else width or CABLE_CHANNELS
    if not 1 <= channels <= CHANNELS_AT_MOST:
        raise Refused(text, f"a cable has 1 to {CHANNELS_AT_MOST} channels, not {channels}")
    names = _names(text, "cable", count, match[2])
    return tuple(AddGear(gear=new_cable(each, channels)) for each in names)


def _programs(text: str, kind: str, width: int | None, name: str, names: tuple[str, ...]) -> tuple[Edit, ...]:
    """Programs with voices or tracks of their own; a number says how many: 'sampler 16', 'recorder 8 Longhand',
    'mixing program Gangway 6'.
    """
    what, base, count = ("voice", *VOICES[kind]) if kind in VOICES else ("track", *TRACKS[kind])
    # The number may stand before the name as well, as it does for mixers and cables.
    said = number_behind(name)
    if said is None and (first := re.fullmatch(r"(\d{1,4})\s+(.*)", name)) is not None:
        said = first[2], int(first[1])
    if said is not None:
        count = said[1]
        if not 1 <= count <= MOST_AT_ONCE:
            raise Refused(text, f"{count} {what}s are too many or too few; say 1 to {MOST_AT_ONCE}")
        names = _names(text, kind, None, said[0])
    items = (base,) if count == 1 else tuple(f"{base} {number}" for number in range(1, count + 1))
    # A call is mono, unless it is said to be stereo.
    width = width or (1 if kind == "call" else None)
    own = {f"{what}s": items} | ({f"{what}_width": width} if width else {})
    return tuple(AddProgram.model_validate({"name": each, "program_kind": kind, **own}) for each in names)


def _names(text: str, kind: str, count: int | None, name: str) -> tuple[str, ...]:
    """One name for each piece: those typed, or the typed one (or the kind) numbered."""
    try:
        typed = [clean_name(each) for each in name.split(",") if each.strip()]
    except ValueError as error:
        raise Refused(text, str(error)) from None
    if len(typed) > 1:
        if count is not None and count != len(typed):
            raise Refused(text, f"{count} of them and {len(typed)} names: say one name, or one for each")
        return tuple(typed)
    base = typed[0] if typed else {"interface": "Box"}.get(kind, kind.capitalize())
    if count is None or count == 1:
        return (base,)
    return tuple(f"{base} {number}" for number in range(1, count + 1))
