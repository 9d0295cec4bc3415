"""Twenty-one evenings: what people really set up, typed from a blank rig, with what goes wrong on each of them.

Gear is typed as its phrases, wishes as a batch; ``after`` is what is done by hand once the plan is made, ``more`` are
wishes for what is there then. Names are the demo's.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from desks import desk_bench, mixer_of
from iskelo.core.edits.additions import AddProgramPorts, AddSends, AddSync
from iskelo.core.edits.apply import apply
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import (
    Edit,
    EnableChannels,
    Remove,
    SetDevice,
    SetJack,
    SetLeg,
    SetMembers,
    SetOutputTrim,
    SetTrim,
    SetValues,
    TypeFeeds,
    TypeProgramInsert,
    UseStageBox,
)
from iskelo.core.edits.new_things import new
from iskelo.core.plan import plan
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program
from iskelo.core.survey import survey_again
from rigs import Bench, batch

Doing = Callable[[Bench], Iterable[Edit]]


@dataclass(frozen=True)
class Pitfall:
    """What goes wrong, and what the first snag that tells it says; ``risk``: every line arrives all the same."""

    what: str
    do: Doing
    told: str
    steps: int = 1
    risk: bool = False


@dataclass(frozen=True)
class Evening:
    """One evening; ``wishes`` are (from, record to, heard at, within)."""

    number: int
    what: str
    gear: tuple[str, ...]
    wishes: tuple[tuple[str, str, str, str], ...]
    after: tuple[Doing, ...] = ()
    more: tuple[tuple[str, str, str, str], ...] = ()
    before: tuple[Doing, ...] = ()
    pitfalls: tuple[Pitfall, ...] = field(default=())


def wished(bench: Bench, wishes: Sequence[tuple[str, str, str, str]]) -> None:
    for sources, record_to, heard_at, within in wishes:
        wish = BatchRequest(sources=sources, record_to=record_to, heard_at=heard_at, within=within)
        bench.do(*batch(bench.rig, wish))


def planned(bench: Bench) -> None:
    made = plan(survey_again(bench.rig, None), rest=True)
    if made is not None:
        bench.rig = apply(bench.rig, made.edits).rig


def wished_for(evening: Evening) -> Bench:
    """The evening's gear and wishes from a blank rig, and nothing patched."""
    bench = desk_bench(*evening.gear)
    for doing in evening.before:
        bench.do(*doing(bench))
    wished(bench, evening.wishes)
    return bench


def set_up(evening: Evening) -> Bench:
    """The evening from a blank rig, planned."""
    bench = wished_for(evening)
    planned(bench)
    for doing in evening.after:
        bench.do(*doing(bench))
    if evening.more:
        wished(bench, evening.more)
        planned(bench)
    return bench


def program(bench: Bench, name: str) -> Program:
    found = bench.rig_gear(name)
    assert isinstance(found, Program)
    return found


def box(bench: Bench, name: str) -> Interface:
    found = bench.rig_gear(name)
    assert isinstance(found, Interface)
    return found


def device(bench: Bench, name: str) -> Aggregate:
    found = index(bench.rig).gear[program(bench, name).device or ""]
    assert isinstance(found, Aggregate)
    return found


def values(name: str, **settings: object) -> Doing:
    """A setting of gear or of a thing in it, by its name."""
    return lambda bench: [SetValues.model_validate({"item": bench.id(name), "values": settings})]


def of_tracks(name: str, **settings: object) -> Doing:
    return lambda bench: [
        SetValues.model_validate({"item": track.id, "values": settings}) for track in program(bench, name).tracks
    ]


def of_strips(name: str, **settings: object) -> Doing:
    return lambda bench: [
        SetValues.model_validate({"item": strip.id, "values": settings}) for strip in mixer_of(bench, name).strips
    ]


def unplugged(*names: str) -> Doing:
    """The leads out of these sources pulled."""
    return lambda bench: [
        Remove(items=tuple(lead.id for lead in bench.rig.patches if lead.from_port.owner in map(bench.id, names)))
    ]


def one_channel(name: str) -> Doing:
    """All names of a program on its first channel."""
    return lambda bench: [SetLeg(item=item.id, leg=1, channel=1) for item in program(bench, name).inputs]


def without_member(name: str, place: int) -> Doing:
    """A program's device without one of its members; numbers behind it stay with their boxes."""

    def doing(bench: Bench) -> list[Edit]:
        joined = device(bench, name)
        left = tuple(member for at, member in enumerate(joined.members) if at != place)
        return [SetMembers(aggregate=joined.id, members=left)]

    return doing


def turned_round(name: str) -> Doing:
    """The members of a program's device in the other order; the names stay on their numbers."""

    def doing(bench: Bench) -> list[Edit]:
        joined = device(bench, name)
        return [SetMembers(aggregate=joined.id, members=joined.members[::-1], keep_names=False)]

    return doing


def alma_monitored(bench: Bench) -> list[Edit]:
    """Alma's track passed on to a main pair of its program, on the first two channels."""
    main = AddProgramPorts(
        program=bench.id("Longhand"), side="output", names=("Main",), width=2, first_channel=1, ids=(new(1),)
    )
    return [main, SetValues(item=bench.track("Alma"), values={"monitored": True, "output": new(1)})]


def _dry_path_open(bench: Bench) -> list[Edit]:
    track = next(each for each in program(bench, "Longhand").tracks if each.name == "Alma")
    assert track.insert is not None
    insert = track.insert.model_dump(mode="json") | {"dry_db": 0.0}
    return [SetValues(item=track.id, values={"insert": insert})]


def _strip_in(bench: Bench, name: str, strip: str) -> str:
    return next(track.id for track in program(bench, name).tracks if track.name == strip)


def on_the_common_pair(bench: Bench) -> list[Edit]:
    outputs = program(bench, "Soundcase").outputs
    return [SetValues(item=voice.id, values={"output": outputs[0].id}) for voice in program(bench, "Soundcase").voices]


def _main_first_and_half_on_the_stage(bench: Bench) -> list[Edit]:
    """The main mix on the first pair, twelve inputs raw behind it, the last six of them and of the strips on stage."""
    desk = bench.id("Mixer 16 digital")
    strips = tuple(strip.id for strip in mixer_of(bench, "Mixer 16 digital").strips[6:12])
    feeds = ((1, "main"), (3, "in 1-6 raw"), (9, "in 23-28 raw"))
    return [
        SetValues(item=desk, values={"name": "Havra"}),
        UseStageBox(mixer=desk, strips=strips),
        *(TypeFeeds(mixer=desk, bank="capture", number=number, text=text) for number, text in feeds),
    ]


def _direct_too(bench: Bench) -> list[Edit]:
    """What a program sounds sent to the jacks by another output besides."""
    soundcase, output = bench.id("Soundcase"), new(1)
    ports = AddProgramPorts(
        program=soundcase, side="output", names=("Direct",), width=2, first_channel=1, ids=(output,)
    )
    voices = tuple(voice.id for voice in program(bench, "Soundcase").voices)
    return [ports, AddSends(program=soundcase, items=voices, to=output)]


def _all_at_the_mixer(bench: Bench) -> list[Edit]:
    strips = tuple(strip.id for strip in mixer_of(bench, "Havra").strips[6:12])
    return [UseStageBox(mixer=bench.id("Havra"), strips=strips, on=False)]


EVENINGS: tuple[Evening, ...] = (
    Evening(
        1,
        "one box of two in and two out, one program",
        ("2 mic Alma, Bertil", "box 2x2 Pellow", "recorder Longhand", "player Cartwheel", "headphones Phones"),
        (("mic", "longhand new", "", ""), ("mix of mic", "longhand new", "", ""), ("cartwheel 1", "", "phones", "")),
        pitfalls=(
            Pitfall("the program is set to another rate", values("Longhand", rate_hz=44_100), "44.1"),
            Pitfall(
                "both tracks take one input",
                lambda bench: [
                    SetValues(item=bench.track("Bertil"), values={"input": program(bench, "Longhand").inputs[0].id})
                ],
                "Bertil",
            ),
        ),
    ),
    Evening(
        2,
        "a sampler of sixteen stereo pads into a recorder",
        ("sampler 16 Soundcase", "4 cable 8 Gully", "recorder Longhand"),
        (("soundcase", "longhand new", "", ""),),
        after=(lambda bench: [AddSync(sender=bench.id("Soundcase"), receiver=bench.id("Longhand"))],),
        pitfalls=(
            Pitfall("one cable is missing in the recorder's device", without_member("Longhand", 2), "Gully 3"),
            Pitfall("one cable is missing in the sampler's device", without_member("Soundcase", 1), "Gully 2"),
            Pitfall("the pads are left on the common pair", on_the_common_pair, "Pad"),
        ),
    ),
    Evening(
        3,
        "a choice of drivers, sixteen in and sixteen out",
        ("16 mic", "box 16x16 Corvane", "recorder Longhand", "player Cartwheel", "headphones Phones"),
        (("mic", "longhand new", "", ""), ("cartwheel 1", "", "phones", "")),
        pitfalls=(
            Pitfall(
                "eight of sixteen have no supply",
                lambda bench: [
                    SetJack(interface=bench.id("Corvane"), jack_in=jack, phantom=False) for jack in range(9, 17)
                ],
                "supply",
            ),
            Pitfall("the names are on one channel", one_channel("Longhand"), "channel"),
        ),
    ),
    Evening(
        4,
        "a digital mixer on one lead, half of its inputs on the stage",
        ("12 mic", "mixer 16 digital", "recorder Longhand", "headphones Phones"),
        (("mic", "longhand new", "", ""),),
        before=(_main_first_and_half_on_the_stage,),
        more=(("main of havra", "longhand new", "", ""),),
        pitfalls=(
            Pitfall("strips muted", of_strips("Havra", muted=True), "Strip"),
            Pitfall("strips left on their returns", of_strips("Havra", plays_back=True), "eturn"),
            Pitfall("strips set to the jacks of the mixer itself", _all_at_the_mixer, "Microphone 7–12 do not arrive"),
            Pitfall("rates differ", values("Longhand", rate_hz=44_100), "44.1"),
            Pitfall(
                "a channel fed by nothing",
                lambda bench: [TypeFeeds(mixer=bench.id("Havra"), bank="capture", number=5, text="")],
                "Microphone 3",
            ),
            Pitfall(
                "the names stand one channel on",
                lambda bench: [
                    SetLeg(item=item.id, leg=1, channel=place + 4)
                    for place, item in enumerate(program(bench, "Longhand").inputs[:-1])
                ],
                "Microphone",
            ),
        ),
    ),
    Evening(
        7,
        "an analogue mixer with one stereo send",
        ("mic Alma", "instrument Guitar", "analogue mixer 8 Wherry", "recorder Longhand"),
        (("alma", "longhand new", "", ""), ("guitar", "longhand new", "", "")),
        pitfalls=(
            Pitfall(
                "a pan that is not hard",
                lambda bench: [SetValues(item=mixer_of(bench, "Wherry").strips[0].id, values={"pan": -0.5})],
                "Alma",
            ),
        ),
    ),
    Evening(
        8,
        "a box of eighteen in",
        ("16 mic", "box 18x8 Corvane", "mixing Gangway 18", "headphones Phones"),
        (("mic", "gangway 1-16", "", ""), ("mic", "", "phones", "")),
        pitfalls=(Pitfall("all on input 1", one_channel("Gangway"), "channel"),),
    ),
    Evening(
        9,
        "a voice over music",
        ("mic Alma", "box 2x2 Pellow", "recorder Longhand", "player Cartwheel", "headphones Phones"),
        (("alma", "longhand new", "", ""), ("alma", "", "phones", "10"), ("cartwheel 1", "", "phones", "")),
        pitfalls=(
            Pitfall(
                "monitored by box and program at once",
                alma_monitored,
                "Alma",
            ),
        ),
    ),
    Evening(
        10,
        "eight mono inputs for every evening",
        ("8 mic", "box 8x8 Corvane", "recorder Longhand"),
        (("mic", "longhand new", "", ""),),
        pitfalls=(Pitfall("all eight made on one channel", one_channel("Longhand"), "channel"),),
    ),
    Evening(
        11,
        "a small box whose two inputs are two strips",
        ("2 mic Alma, Bertil", "box 2x2 Pellow", "mixing Gangway 2", "headphones Phones"),
        (("mic", "gangway 1-2", "", ""), ("mic", "", "phones", "")),
        pitfalls=(Pitfall("both strips on one side", one_channel("Gangway"), "channel"),),
    ),
    Evening(
        12,
        "one program, several sets of loudspeakers",
        ("player Cartwheel", "box 8x8 Corvane", "speakers Room", "speakers Hall", "headphones Phones"),
        (("cartwheel 1", "", "room", ""), ("cartwheel 1", "", "hall", ""), ("cartwheel 1", "", "phones", "")),
        pitfalls=(
            Pitfall(
                "channels not enabled",
                lambda bench: [EnableChannels(program=bench.id("Cartwheel"), side="output", channels=(3, 4), on=False)],
                "utput channel",
            ),
        ),
    ),
    Evening(
        13,
        "which box for which program",
        (
            "2 mic",
            "box 4x4 Corvane",
            "pellow duo",
            "recorder Longhand",
            "system sounds",
            "headphones Phones",
            "speakers Desk",
        ),
        (("mic", "longhand new", "", ""), ("system", "", "desk", ""), ("mic", "", "phones", "")),
        pitfalls=(
            Pitfall(
                "the computer's own sounds in the session",
                lambda bench: [SetDevice(program=bench.id("System sounds"), device=bench.id("Corvane"))],
                "Beeps",
            ),
        ),
    ),
    Evening(
        14,
        "a mixing program's voices into a recorder, with a far guest",
        (
            *("6 mic", "box 8x8 Corvane", "mixing Gangway 6", "recorder Longhand", "cable 8 Gully", "call Farline"),
            "headphones Phones",
        ),
        (
            ("mic", "gangway 1-6", "", ""),
            ("mic", "longhand new", "", ""),
            ("farline", "longhand new", "", ""),
            ("farline", "", "phones", ""),
        ),
        pitfalls=(),
    ),
    Evening(
        14,
        "a call that everybody is on",
        ("3 mic Alma, Bertil, Cassia", "box 4x4 Corvane", "call Farline", "recorder Longhand", "headphones Phones"),
        (
            ("mic", "longhand new", "", ""),
            ("farline", "longhand new", "", ""),
            ("mic", "", "far end", ""),
            ("farline", "", "phones", ""),
        ),
        pitfalls=(
            Pitfall(
                "one of them is not sent to the far end",
                lambda bench: [
                    SetValues(item=_strip_in(bench, "Farline", "Bertil"), values={"output": None, "monitored": False})
                ],
                "Bertil",
            ),
            Pitfall(
                "one of them is muted in the mix for the far end",
                lambda bench: [SetValues(item=_strip_in(bench, "Farline", "Bertil"), values={"muted": True})],
                "Bertil",
            ),
        ),
    ),
    Evening(
        19,
        "two boxes as one",
        ("6 mic Drum", "box 4x4 Corvane", "box 4x4 Pellow", "recorder Longhand"),
        (("drum", "longhand new", "", ""),),
        pitfalls=(
            Pitfall("the order of the boxes", turned_round("Longhand"), "Longhand"),
            Pitfall("one removed", without_member("Longhand", 1), "Pellow"),
            Pitfall(
                "drift",
                lambda bench: [
                    SetMembers(
                        aggregate=device(bench, "Longhand").id,
                        members=tuple(
                            member.model_copy(update={"matched": False}) for member in device(bench, "Longhand").members
                        ),
                    )
                ],
                "drift",
            ),
        ),
    ),
    Evening(
        5,
        "an instrument program in another one's engine",
        ("box 4x4 Corvane", "recorder Longhand", "sampler 4 Soundcase", "headphones Phones"),
        (("soundcase", "longhand new", "", ""), ("soundcase 1", "", "phones", "")),
        before=(
            lambda bench: [
                SetDevice(program=bench.id("Longhand"), device=bench.id("Corvane")),
                SetValues.model_validate(
                    {"item": bench.id("Soundcase"), "values": {"hosted": {"leader": bench.id("Longhand")}}}
                ),
            ],
        ),
        pitfalls=(
            Pitfall(
                "the return is not there",
                lambda bench: [Remove(items=(program(bench, "Longhand").inputs[1].id,))],
                "Pad 2",
            ),
            Pitfall("all pads on one return", on_the_common_pair, "Pad"),
        ),
    ),
    Evening(
        6,
        "outboard in a track",
        ("mic Alma", "box 4x4 Corvane", "recorder Longhand", "compressor Anvil press", "headphones Phones"),
        (("alma", "longhand new", "", ""),),
        before=(lambda bench: [SetDevice(program=bench.id("Longhand"), device=bench.id("Corvane"))],),
        after=(
            lambda bench: [
                *alma_monitored(bench),
                TypeProgramInsert(item=bench.track("Alma"), text="Anvil press"),
            ],
        ),
        more=(("alma", "", "phones", ""),),
        pitfalls=(
            Pitfall("the dry path is open", _dry_path_open, "2 times"),
            Pitfall(
                "its output stands at -20 dB",
                lambda bench: [SetOutputTrim(interface=bench.id("Corvane"), jack_out=3, trim_db=-20)],
                "20 dB softer",
                risk=True,
            ),
            Pitfall(
                "two trims hide each other",
                lambda bench: [
                    SetOutputTrim(interface=bench.id("Corvane"), jack_out=3, trim_db=-20),
                    SetTrim(interface=bench.id("Corvane"), jack_in=3, trim_db=20),
                ],
                "Anvil press",
                risk=True,
            ),
        ),
    ),
    Evening(
        15,
        "a player in a consumer return",
        ("mic Alma", "wherry", "line Deck", "recorder Longhand"),
        (("alma", "longhand new", "", ""), ("deck", "longhand new", "", "")),
    ),
    Evening(
        17,
        "a program as another's mixer",
        ("mono sampler 4 Soundcase", "mixing Gangway 4", "cable 8 Gully", "box 4x4 Corvane", "headphones Phones"),
        (("soundcase 1-4", "gangway 1-4", "", ""), ("soundcase 1-4", "", "phones", "")),
    ),
    Evening(
        18,
        "one stereo pair of a mixer's link",
        ("2 mic Alma, Bertil", "wherry", "recorder Longhand"),
        (("alma", "longhand new", "", ""), ("bertil", "longhand new", "", "")),
    ),
    Evening(
        20,
        "a track that cannot be armed",
        ("stereo instrument Organ", "box 4x4 Corvane", "recorder Longhand"),
        (("organ", "longhand new", "", ""),),
        pitfalls=(
            Pitfall(
                "only one side is fed",
                lambda bench: [SetLeg(item=program(bench, "Longhand").inputs[0].id, leg=2, channel=None)],
                "Organ",
            ),
            Pitfall("not armed", of_tracks("Longhand", armed=False), "Organ"),
            Pitfall(
                "left and right exchanged",
                lambda bench: [
                    SetLeg(item=program(bench, "Longhand").inputs[0].id, leg=leg, channel=3 - leg) for leg in (1, 2)
                ],
                "Organ",
            ),
        ),
    ),
    Evening(
        21,
        "a program's whole output recorded in another, and heard",
        ("sampler 4 Soundcase", "cable 8 Gully", "box 4x4 Corvane", "recorder Longhand", "headphones Phones"),
        (("main of soundcase", "longhand new", "", ""), ("main of soundcase", "", "phones", "")),
        pitfalls=(
            Pitfall("heard twice", _direct_too, "2 times"),
            Pitfall(
                "one pad is not in it",
                lambda bench: [SetValues(item=program(bench, "Soundcase").voices[2].id, values={"output": None})],
                "Pad 3",
            ),
        ),
    ),
)
