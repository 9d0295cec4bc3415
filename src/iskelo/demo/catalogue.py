"""The catalogue that ships with Iskelo: invented stand-ins, with their figures as a maker would describe them."""

from functools import cache

from pydantic import JsonValue

from iskelo.core.edits.additions import (
    AddDestination,
    AddDriver,
    AddInterface,
    AddOutboard,
    AddProgram,
    AddProgramPorts,
    AddSources,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import changed
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.rig.gear import Gear, Interface, LinkKind
from iskelo.core.rig.index import index
from iskelo.core.rig.mixer_makes import digital, fixed_send, second_pair
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig

ENGINE_SAMPLES = 480
"""The period of a system's own engine: 10 ms at 48 kHz; common practice, no published source."""

SMALL_BUFFERS = [32, 64, 128, 256, 512, 1024, 2048]


@cache
def catalogue() -> tuple[Gear, ...]:
    """Every piece, in the order in which the screen lists them; made once, for none of them can change."""
    return (
        _box("Interface 2×2", 2, 2, link="USB full speed", ppm=50, instrument=1),
        _box("Interface 4×4", 4, 4, phantom=2, instrument=2, ppm=25),
        _box("Interface 8×8 optical", 8, 8, optical=8, ppm=10, notes="8-channel optical port each way."),
        _box("Interface 16×16 word clock", 16, 16, phantom=8, ppm=10, word_clock=True),
        _box(
            "Interface 32×32 word clock, optical",
            32,
            32,
            phantom=16,
            optical=16,
            link="PCIe-class",
            ppm=5,
            word_clock=True,
            notes="Two 8-channel optical ports each way.",
        ),
        _box("Pellow Duo", 2, 2, link="USB full speed", instrument=1, ppm=50),
        _box("Corvane 8", 8, 8, optical=8, safety=(28, 42), ppm=10, notes="8-channel optical port each way."),
        _mixer(
            _box(
                "Havra 16",
                16,
                12,
                capture=18,
                playback=18,
                safety=(28, 42),
                shown=(2, 2),
                notes="Digital mixer, 18 × 18; the system driver shows 2 × 2.",
            ),
            digital(16, auxes=4, groups=2, jack_out=12, capture=18, playback=18),
            HAVRA,
        ),
        _mixer(
            _box("Wherry", 8, 4, capture=2, playback=2, phantom=2, notes="Small analogue mixer, 2 × 2 over USB."),
            fixed_send(2, 2, moves=True),
            SMALL_ANALOGUE,
        ),
        _mixer(
            _box(
                "Mixer 16 digital",
                32,
                8,
                capture=18,
                playback=18,
                notes="Jacks 17 to 32 are those of its stage box.",
            ),
            digital(16, auxes=4, groups=2, jack_out=8, capture=18, playback=18, stage_jacks=16),
            HAVRA,
        ),
        _mixer(
            _box("Mixer 8 digital", 8, 4, capture=10, playback=4),
            digital(8, auxes=2, groups=0, jack_out=4, capture=10, playback=4).model_copy(
                update={
                    "again_samples": 0,
                    "mute_kills_pre": True,
                    "solo": "before the fader",
                    "pan_law": "-4.5 dB",
                }
            ),
            {
                "converter_in_samples": 26,
                "mixer_samples": 12,
                "converter_out_samples": 26,
                "input_full_scale_dbu": 20.0,
                "output_full_scale_dbu": 18.0,
            },
        ),
        _mixer(
            _box("Analogue mixer 6, fixed send", 6, 4, capture=2, playback=2, phantom=2),
            fixed_send(2, 1, moves=False),
            SMALL_ANALOGUE,
        ),
        _mixer(
            _box("Analogue mixer 8, second pair", 8, 4, capture=2, playback=2, phantom=4),
            second_pair(4, 2),
            SMALL_ANALOGUE | {"input_full_scale_dbu": 18.0},
        ),
        _mixer(
            _box("Codec box, line inputs", 2, 2, phantom=0, instrument=0, link="USB full speed"),
            None,
            {
                "converter_in_samples": 40,
                "mixer_samples": 0,
                "converter_out_samples": 40,
                "input_full_scale_dbu": 8.0,
                "output_full_scale_dbu": 6.0,
            },
        ),
        _built_in(),
        _program("Longhand", "recorder"),
        _program("Soundcase", "sampler", tuple(f"Pad {n}" for n in range(1, 11))),
        _program("Cartwheel", "player", ("Deck 1", "Deck 2")),
        _program("Farline", "call", ("Far end",), inputs=("To the far end",)),
        _program("Gangway", "mixing program", ("Cue player",), inputs=("Call", "Player", "Presenter")),
        _program("System sounds", "system sounds", ("Beeps",)),
        _one(AddSources(names=("Condenser microphone",), needs_phantom=True)),
        _one(AddSources(names=("Dynamic microphone",), level_dbu=-48)),
        _one(AddSources(names=("Contact pickup",), source_kind="instrument", needs_high_impedance=True)),
        _one(AddSources(names=("Stereo line player",), source_kind="line player", width=2, level_dbu=4)),
        _one(
            AddSources(
                names=("Consumer player",), source_kind="line player", width=2, level_dbu=-7.78, level_unit="dBV"
            )
        ),
        _one(AddOutboard(name="Anvil press")),
        _one(AddOutboard(name="Stairwell", width=2)),
        _one(AddDestination(name="Headphones")),
        _one(AddDestination(name="Loudspeakers", destination_kind="loudspeakers")),
        _one(AddDestination(name="Web feed", destination_kind="feed", width=2)),
    )


def _one(*edits: Edit) -> Gear:
    return apply(Rig(name="Catalogue"), edits).rig.gear[0]


def _box(
    name: str,
    ins: int,
    outs: int,
    *,
    capture: int | None = None,
    playback: int | None = None,
    optical: int = 0,
    phantom: int | None = None,
    instrument: int | None = None,
    safety: tuple[int, int] = (24, 32),
    shown: tuple[int, int] | None = None,
    link: LinkKind = "USB high speed",
    ppm: float = 50.0,
    word_clock: bool = False,
    notes: str = "",
) -> Gear:
    rig = apply(
        Rig(name="Catalogue"),
        (
            AddInterface(
                name=name,
                jack_in=ins,
                jack_out=outs,
                capture=capture if capture is not None else ins + optical,
                playback=playback if playback is not None else outs + optical,
                safety_in_samples=safety[0],
                safety_out_samples=safety[1],
            ),
        ),
    ).rig
    box = index(rig).interfaces()[0]
    described = {
        field: getattr(box, field)
        for field in type(box).model_fields
        if field.endswith("_samples") or field.endswith("full_scale_dbu")
    }
    driver = box.drivers[0]
    values: dict[str, JsonValue] = {"link_kind": link}
    if link == "USB full speed":
        values |= {"link_sample_bytes": 3, "rates_hz": [44_100, 48_000, 88_200, 96_000]}
    described["tolerance_ppm"] = ppm
    more: list[Edit] = [
        SetValues(item=box.id, values=described, origin="described"),
        SetValues(
            item=box.id,
            values=values
            | {
                "optical_in": optical,
                "optical_out": optical,
                "word_clock_in": word_clock,
                "word_clock_out": word_clock,
                "notes": notes,
                "phantom_jacks": phantom,
                "instrument_jacks": instrument,
            },
        ),
        SetValues(
            item=driver.id,
            values={"safety_in_samples": safety[0], "safety_out_samples": safety[1]},
            origin="described",
        ),
        SetValues(item=driver.id, values={"buffers_samples": SMALL_BUFFERS}),
    ]
    ins_shown, outs_shown = shown or (None, None)
    shared = AddDriver(
        interface=box.id,
        capture=ins_shown,
        playback=outs_shown,
        buffer_samples=512,
        engine_samples=ENGINE_SAMPLES,
    )
    more.append(shared)
    rig = apply(rig, tuple(more)).rig
    opened = index(rig).interfaces()[0].drivers[1]
    return apply(rig, (SetValues(item=opened.id, values={"buffers_samples": [512]}),)).rig.gear[0]


HAVRA: dict[str, float] = {
    "converter_in_samples": 34,
    "mixer_samples": 16,
    "converter_out_samples": 34,
    "input_full_scale_dbu": 22.0,
    "output_full_scale_dbu": 22.0,
}
SMALL_ANALOGUE: dict[str, float] = {
    "converter_in_samples": 30,
    "mixer_samples": 0,
    "converter_out_samples": 30,
    "input_full_scale_dbu": 16.0,
    "output_full_scale_dbu": 10.0,
}
"""Plausible figures, assumed."""


def _mixer(box: Gear, mixer: Mixer | None, figures: dict[str, float]) -> Gear:
    """A box with an inside, and with its own figures."""
    assert isinstance(box, Interface)
    figured = changed(box, box.name, **figures)
    return figured.model_copy(update={"mixer": mixer})


def _built_in() -> Gear:
    """The computer's own sound: one driver, the system's, and no microphone supply."""
    notes = "The computer's own microphone and loudspeakers."
    box = _box("Built-in sound", 1, 2, phantom=0, instrument=0, link="built in", notes=notes)
    assert isinstance(box, Interface)
    return box.model_copy(update={"drivers": box.drivers[1:]})


def _program(name: str, kind: str, voices: tuple[str, ...] = (), inputs: tuple[str, ...] = ()) -> Gear:
    add = AddProgram.model_validate({"name": name, "program_kind": kind, "voices": voices})
    rig = apply(Rig(name="Catalogue"), (add,)).rig
    program = rig.gear[0]
    assert isinstance(program, Program)
    if inputs:
        rig = apply(rig, (AddProgramPorts(program=program.id, names=inputs, width=1, first_channel=1),)).rig
    return rig.gear[0]
