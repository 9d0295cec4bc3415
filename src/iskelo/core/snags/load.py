"""Rules about what a computer, a link and a file have room for."""

from dataclasses import dataclass
from functools import partial

from pydantic import JsonValue

from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import Device
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.programs import Program
from iskelo.core.snags.reach import lines_of_program
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.timing.budgets import seconds_to_limit
from iskelo.core.timing.spare import MARGIN, Task, Work, smallest_safe, to_spare, together, work_of


@dataclass(frozen=True, slots=True)
class _Loaded:
    """A program whose load meter was read, on its device, with the works that the readings allow."""

    program: Program
    device: Device
    works: tuple[Work, ...]

    def spare(self, jitter_s: float) -> list[float]:
        return [to_spare(work, jitter_s, self.device.buffer_samples, self.device.rate_hz) for work in self.works]

    def task(self, jitter_s: float, buffer_samples: int) -> Task:
        """With the larger of its works: what is promised must hold for either."""
        work_s = max(work.seconds(buffer_samples) for work in self.works)
        return Task(jitter_s + work_s, buffer_samples / self.device.rate_hz, self.program.spreads_over_cores)


def _loaded(reading: Reading) -> list[_Loaded]:
    found = []
    for program in reading.found.programs():
        device = reading.found.device(program)
        if device is not None and program.load_readings:
            found.append(_Loaded(program, device, work_of(program.load_readings, device.rate_hz)))
    return found


@rule("load", symptoms=("clicks",))
def work_exceeds_buffer(reading: Reading) -> list[Snag]:
    """A program's work, by its own meter, leaves less of its buffer's period than a fifth, or none."""
    jitter_s = reading.rig.jitter_ms / 1000
    snags = []
    for each in _loaded(reading):
        least, most = min(each.spare(jitter_s)), max(each.spare(jitter_s))
        if least >= MARGIN:
            continue
        name, buffer = each.program.name, each.device.buffer_samples
        share = f"{100 * least:.0f} %" if most - least < 0.005 else f"{100 * least:.0f} to {100 * most:.0f} %"
        fits = most >= 0
        snags.append(
            Snag(
                key=f"work-exceeds-buffer:{each.program.id}",
                rule="work-exceeds-buffer",
                severity="risk" if fits else "trouble",
                title=f"{name} has {share} of its time to spare" if fits else f"{name} does not finish in its buffer",
                evidence=f"With a buffer of {buffer} its work leaves {share} of the period; "
                f"{100 * MARGIN:.0f} % should be left.",
                consequence="A busier moment than the one its meter was read in clicks, in the phones and on the take."
                if fits
                else "Blocks are not ready in time: clicks and gaps, in the phones and on the take.",
                items=(each.program.id, each.device.buffer_id),
                lines=lines_of_program(reading, each.program) if not fits else (),
                mend=partial(_safe_buffer, each, jitter_s),
            )
        )
    return snags


def _safe_buffer(each: _Loaded, jitter_s: float) -> tuple[Remedy, ...]:
    size = smallest_safe(each.works, jitter_s, each.device.rate_hz, each.device.buffers_samples)
    if size is None or size == each.device.buffer_samples:
        return ()
    edit = SetValues(item=each.device.buffer_id, values={"buffer_samples": size})
    return one_remedy(f"Set the buffer of {each.device.name} to {size}, the smallest safe one", edit)


@rule("load", symptoms=("clicks",))
def programs_crowd_the_computer(reading: Reading) -> list[Snag]:
    """Programs that each fit by themselves do not all fit on one core, or not on this computer."""
    jitter_s = reading.rig.jitter_ms / 1000
    loaded = _loaded(reading)
    if len(loaded) < 2 or any(min(each.spare(jitter_s)) < MARGIN for each in loaded):
        return []
    verdict = together([each.task(jitter_s, each.device.buffer_samples) for each in loaded], reading.rig.cores)
    if verdict == "fits":
        return []
    names = ", ".join(each.program.name for each in loaded)
    cores = reading.rig.cores
    return [
        Snag(
            key="programs-crowd-the-computer",
            rule="programs-crowd-the-computer",
            severity="note" if verdict == "depends" else "trouble",
            title=f"Whether {len(loaded)} programs fit depends on how the system spreads them"
            if verdict == "depends"
            else f"{len(loaded)} programs do not fit on {cores} cores",
            evidence=f"{names} each fit on a core of their own, but not all on one; the computer has {cores}."
            + _spread(loaded),
            consequence="If two of them land on one core, the one with the longer buffer clicks."
            if verdict == "depends"
            else "There is more work than all cores have time for: clicks.",
            items=tuple(each.program.id for each in loaded),
            mend=partial(_larger_buffers, loaded, jitter_s, cores),
        )
    ]


def _spread(loaded: list[_Loaded]) -> str:
    names = " and ".join(each.program.name for each in loaded if each.program.spreads_over_cores)
    return f" {names} already needs several at a time." if names else ""


def _larger_buffers(loaded: list[_Loaded], jitter_s: float, cores: int) -> tuple[Remedy, ...]:
    """Raise the shortest buffer, again and again, until all fit on one core."""
    drivers = {each.device.buffer_id: each for each in loaded}
    sizes = {identity: each.device.buffer_samples for identity, each in drivers.items()}
    while together([each.task(jitter_s, sizes[each.device.buffer_id]) for each in loaded], cores) != "fits":
        larger = {
            identity: next(size for size in each.device.buffers_samples if size > sizes[identity])
            for identity, each in drivers.items()
            if sizes[identity] < each.device.buffers_samples[-1]
        }
        if not larger:
            return ()
        shortest = min(larger, key=lambda identity: sizes[identity] / drivers[identity].device.rate_hz)
        sizes[shortest] = larger[shortest]
    edits: list[Edit] = []
    said = []
    for identity, size in sizes.items():
        if size != drivers[identity].device.buffer_samples:
            edits.append(SetValues(item=identity, values={"buffer_samples": size}))
            said.append(f"{drivers[identity].device.name} to {size}")
    return one_remedy(f"Set the buffer of {' and of '.join(said)}", *edits)


@rule("load", symptoms=("nothing", "clicks"), explains=("line-blocked", "line-half-silent"))
def link_over_budget(reading: Reading) -> list[Snag]:
    """A box has more channels at its rate than its USB link can carry."""
    snags = []
    for box in reading.found.interfaces():
        words = link_overload(box)
        if words is not None:
            snags.append(
                Snag(
                    key=f"link-over-budget:{box.id}",
                    rule="link-over-budget",
                    severity="stop",
                    title=f"{box.name} has more channels than its link can carry",
                    evidence=f"{box.link_kind}, {box.link_sample_bytes} bytes a sample, {box.rate_hz / 1000:g} kHz: "
                    f"{words}.",
                    consequence="It does not open at this rate with all its channels.",
                    items=(box.id,),
                    lines=tuple(
                        line
                        for program in reading.found.programs()
                        if reading.found.reaches(program, box.id)
                        for line in lines_of_program(reading, program)
                    ),
                    mend=partial(_within_budget, box),
                )
            )
    return snags


def _within_budget(box: Interface) -> tuple[Remedy, ...]:
    """A lower rate, or fewer bits on the link; where neither is enough, both."""
    rates = [rate for rate in reversed(box.rates_hz) if rate < box.rate_hz]
    sizes = [size for size in (3, 2) if size < box.link_sample_bytes]
    tries = [
        *((rate, box.link_sample_bytes) for rate in rates),
        *((box.rate_hz, size) for size in sizes),
        *((rate, size) for rate in rates for size in sizes),
    ]
    remedies: list[Remedy] = []
    for rate_hz, size in tries:
        narrow = box.model_copy(update={"link_sample_bytes": size})
        changes = {"rate_hz": rate_hz, "link_sample_bytes": size}
        values: dict[str, JsonValue] = {field: to for field, to in changes.items() if to != getattr(box, field)}
        # The first of its kind that fits is the mildest.
        if link_overload(narrow, rate_hz) is None and all(_kind(each) != values.keys() for each in remedies):
            said = [f"at {rate_hz / 1000:g} kHz"] if "rate_hz" in values else []
            said += [f"with {8 * size} bits a sample on its link"] if "link_sample_bytes" in values else []
            words = f"Run {box.name} {' and '.join(said)}"
            remedies.append(Remedy(words, (SetValues(item=box.id, values=values),)))
    return distinct(remedies)


def _kind(remedy: Remedy) -> set[str]:
    (edit,) = remedy.edits
    assert isinstance(edit, SetValues)
    return set(edit.values)


@rule("load")
def file_passes_4_gib(reading: Reading) -> list[Snag]:
    """A recording is planned longer than a plain WAV file can hold."""
    minutes = reading.rig.show_minutes
    snags = []
    for program in reading.found.programs() if minutes is not None else ():
        box = reading.found.device(program)
        widths = [track.width for track in program.tracks if track.armed and track.far_end is None]
        if box is None or not widths or minutes is None:
            continue
        channels = sum(widths) if program.one_file else max(widths)
        seconds = seconds_to_limit(channels, box.rate_hz)
        if 60 * minutes <= seconds:
            continue
        separate = seconds_to_limit(max(widths), box.rate_hz)
        snags.append(
            Snag(
                key=f"file-passes-4-gib:{program.id}",
                rule="file-passes-4-gib",
                severity="risk",
                title=f"The file of {program.name} is full after {_minutes(seconds)}",
                evidence=f"{channels} channels of 24 bits at {box.rate_hz / 1000:g} kHz reach 4 GiB after "
                f"{_minutes(seconds)}; {_minutes(60 * minutes)} are planned.",
                consequence="A plain WAV holds no more; what comes after is lost or cannot be opened.",
                items=(program.id,),
                lines=lines_of_program(reading, program),
                mend=partial(_file_a_track, program) if program.one_file and 60 * minutes <= separate else tuple,
            )
        )
    return snags


def _file_a_track(program: Program) -> tuple[Remedy, ...]:
    edit = SetValues(item=program.id, values={"one_file": False})
    return one_remedy(f"Let {program.name} write a file for each track", edit)


def _minutes(seconds: float) -> str:
    whole = int(seconds)
    hours, rest = divmod(whole, 3600)
    said = f"{rest // 60} min {rest % 60} s"
    return f"{hours} h {said}" if hours else said
