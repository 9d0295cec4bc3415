"""Rules about sampling rates: programs that are set to another one than their device runs at."""

from functools import partial

from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import Device, OpenDevice
from iskelo.core.rig.drivers import FILTER_TAPS
from iskelo.core.rig.links import BANKS
from iskelo.core.rig.programs import Program
from iskelo.core.snags.reach import lines_of_program
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.timing.delays import samples_to_ms
from iskelo.core.timing.rates import passband_hz, say_speed, speed


@rule("rate", symptoms=("wrong pitch",), explains=("line-off-speed",))
def program_at_another_rate(reading: Reading) -> list[Snag]:
    """A program is set to another rate than its device runs at, so what it plays and records has the wrong speed."""
    snags = []
    for program in reading.found.programs():
        box, ratio = reading.found.device(program), speed(reading.found, program)
        if box is None or program.rate_hz is None or ratio == 1:
            continue
        timed = {voice.id for voice in program.voices} | {track.id for track in program.tracks}
        follows = []
        if program.voices:
            follows.append(f"What it plays is {say_speed(ratio)}.")
        if any(track.armed for track in program.tracks):
            follows.append(f"What it records plays {say_speed(1 / ratio)} anywhere else.")
        snags.append(
            Snag(
                key=f"program-at-another-rate:{program.id}",
                rule="program-at-another-rate",
                severity="trouble",
                title=f"{program.name} is set to {_khz(program.rate_hz)}, and {box.name} runs at {_khz(box.rate_hz)}",
                evidence=f"{box.rate_hz} / {program.rate_hz} = {float(ratio):.4f}: {say_speed(ratio)}.",
                consequence=" ".join(follows) or "Its clock runs at the wrong speed.",
                items=(program.id, box.id),
                lines=tuple(
                    line.id
                    for line in reading.rig.lines
                    if any(port.owner in timed for port in (*line.from_ports, *line.to_ports))
                ),
                mend=partial(one_rate, program, box),
            )
        )
    return snags


@rule("rate")
def driver_resamples(reading: Reading) -> list[Snag]:
    """A driver resamples for a program that is set to another rate than the box: right in speed, but later."""
    snags = []
    for program in reading.found.programs():
        streams = reading.found.opened.get(program.id)
        if streams is None or program.rate_hz is None or not streams.converts:
            continue
        (way,) = streams.ways
        box, samples = way.box, way.driver.resampling_samples
        later_ms = float(samples_to_ms(samples, box.rate_hz))
        quality, passes_khz = way.driver.resampling_quality, min(program.rate_hz, box.rate_hz) / 2000
        if quality is not None:
            passes_khz = passband_hz(FILTER_TAPS[quality], box.rate_hz, program.rate_hz) / 1000
        told = f", by its {quality} quality" if quality is not None else ""
        snags.append(
            Snag(
                key=f"driver-resamples:{program.id}",
                rule="driver-resamples",
                severity="note",
                title=f"The {way.driver.kind} driver of {box.name} resamples for {program.name}",
                evidence=f"{program.name} is set to {_khz(program.rate_hz)}, {box.name} runs at {_khz(box.rate_hz)}: "
                f"{samples} samples = {later_ms:.2f} ms more each way{told}.",
                consequence=f"Pitch and speed are right; all that passes is later, nothing above "
                f"{round(passes_khz, 2):g} kHz passes whole, and the computer has more to do.",
                items=(program.id, box.id),
                mend=partial(one_rate, program, streams.device),
            )
        )
    return snags


def _khz(rate_hz: int) -> str:
    return f"{rate_hz / 1000:g} kHz"


def one_rate(program: Program, box: Device) -> tuple[Remedy, ...]:
    """The program at its device's rate, or the device at the program's."""
    if program.rate_hz is None:
        return ()
    to_box = SetValues(item=program.id, values={"rate_hz": box.rate_hz})
    remedies = [Remedy(f"Set {program.name} to {_khz(box.rate_hz)}", (to_box,))]
    if program.rate_hz in box.rates_hz:
        to_program = SetValues(item=box.id, values={"rate_hz": program.rate_hz})
        remedies.append(Remedy(f"Run {box.name} at {_khz(program.rate_hz)}", (to_program,)))
    return distinct(remedies)


@rule("rate", symptoms=("wrong pitch",))
def rate_set_in_two_places(reading: Reading) -> list[Snag]:
    """Programs on one box are set to different rates; whichever opens it last sets it for all."""
    snags = []
    for box in reading.found.interfaces():
        users = [
            each
            for each in reading.found.programs()
            if each.device == box.id and each.rate_hz is not None and _sets(reading, each)
        ]
        rates = sorted({each.rate_hz for each in users if each.rate_hz is not None})
        if len(rates) < 2:
            continue
        said = ", ".join(f"{each.name} {_khz(each.rate_hz)}" for each in users if each.rate_hz is not None)
        follow = tuple(
            SetValues(item=each.id, values={"rate_hz": box.rate_hz}) for each in users if each.rate_hz != box.rate_hz
        )
        snags.append(
            Snag(
                key=f"rate-set-in-two-places:{box.id}",
                rule="rate-set-in-two-places",
                severity="risk",
                title=f"The rate of {box.name} is set in {len(users)} places",
                evidence=f"{said}; the box runs at {_khz(box.rate_hz)}.",
                consequence="Whichever program opens the box last sets its rate; the others then play and record "
                "at the wrong speed.",
                items=(box.id, *(each.id for each in users)),
                mend=partial(one_remedy, f"Set all of them to {_khz(box.rate_hz)}", *follow),
            )
        )
    return snags


def _sets(reading: Reading, program: Program) -> bool:
    """Whether a program sets its device's rate: not where a panel does, nor where a driver resamples for it."""
    streams = reading.found.opened.get(program.id)
    if streams is None:
        return True
    driver = streams.device.driver
    return not streams.converts and (driver is None or driver.set_in == "the program")


@rule("rate", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def rate_cuts_channels(reading: Reading) -> list[Snag]:
    """A program is mapped to channels of an optical port that it does not carry at the box's rate."""
    snags = []
    for program in reading.found.programs():
        streams = reading.found.opened.get(program.id)
        # The numbers of several boxes as one move instead: see ``numbers``.
        for way in streams.ways if streams is not None and way_is_own(program, streams) else ():
            box = way.box
            for bank, items in zip(BANKS, (program.inputs, program.outputs), strict=True):
                here, whole = box.channels_at(bank, box.rate_hz), box.channels_at(bank, min(box.rates_hz))
                if here >= whole:
                    continue
                numbers = way.channels(bank)
                mapped = {leg - numbers.start + 1 for item in items for leg in item.legs if leg in numbers and leg}
                beyond = sorted(channel for channel in mapped if here < channel <= whole)
                if not beyond:
                    continue
                slower = [rate for rate in box.rates_hz if box.channels_at(bank, rate) >= beyond[-1]][-1]
                edit = SetValues(item=box.id, values={"rate_hz": slower})
                snags.append(
                    Snag(
                        key=f"rate-cuts-channels:{program.id}:{box.id}:{bank}",
                        rule="rate-cuts-channels",
                        severity="stop",
                        title=f"At {_khz(box.rate_hz)} {box.name} has {here} of its {whole} {bank} channels",
                        evidence=f"{program.name} is mapped to {bank} {', '.join(map(str, beyond))}; "
                        "an optical port carries half as many channels at double rate.",
                        consequence="Nothing passes on the channels that are gone.",
                        items=(program.id, box.id),
                        lines=lines_of_program(reading, program),
                        root=f"rate:{box.id}:{bank}",
                        mend=partial(one_remedy, f"Run {box.name} at {_khz(slower)}", edit),
                    )
                )
    return snags


def way_is_own(program: Program, streams: OpenDevice) -> bool:
    """Whether a program opens its boxes itself, by their own numbers, and not joined as one."""
    return all(way.client == program.id for way in streams.ways)
