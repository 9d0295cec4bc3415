"""For the next technician: what is unusual about a rig, what is still open, what nobody has measured."""

from collections.abc import Iterator

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.sheet import OpenSnag, SheetTable, table
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.text import few, fold_names, fold_numbers
from iskelo.core.rig.units import say_figure

Unusual = tuple[str, str, str]
"""Where, what, and what it means for whoever does not expect it."""


def handover_tables(reading: Reading, snags: tuple[OpenSnag, ...]) -> tuple[SheetTable, ...]:
    """What is unusual, what is wrong as it stands, figures that nobody has measured or typed, and notes."""
    found = reading.found
    unusual = [*_boxes(found), *_leads(found), *_joined(found), *_programs(found), *_lines(reading)]
    rows = ((gear.name, line) for gear in reading.rig.gear for line in gear.notes.splitlines() if line.strip())
    return (
        table("Unusual here", "Where 1.5 | What 2.5 | So 3", unusual, "nothing: it is as anybody would expect"),
        table(
            "Still open",
            "How bad 0.8 | What 3 | What comes of it 4",
            ((each.severity, each.title, each.consequence) for each in snags),
            "nothing was found wrong",
        ),
        table(
            "Assumed, not measured",
            "Where 1.5 | Figure 2 | Assumed 1 >",
            _assumed(found),
            "every figure that counts was measured, described or typed",
        ),
        table("Notes", "Of 1 | What somebody wrote down 4", rows, "nobody wrote anything down"),
    )


def _boxes(found: Index) -> Iterator[Unusual]:
    for box in found.boxes:
        if not box.connected:
            yield box.name, "is not connected", "what reaches it or comes from it is silent"
        if box.clock_source not in ("own", "device") and box.cable is None:
            leader = found.paces[box.id].leader
            by = found.name(leader) if leader is not None else "nothing that is there"
            yield box.name, f"takes its clock from {by} ({box.clock_source})", "without that it runs on its own"
        if box.drives_both_legs:
            yield box.name, "outputs drive both legs against ground", "into an unbalanced input comes half, −6 dB"
        if box.measured_ppm is not None:
            ppm = say_figure(box.measured_ppm, 1)
            yield box.name, f"its clock was measured {ppm} ppm off", "slips between clocks are counted with that"
        heard = sorted({cross.jack_in for cross in box.direct if not cross.muted})
        if heard:
            jacks = fold_numbers(heard)
            yield box.name, f"jacks {jacks} are heard directly", "monitored in a program too, they are heard twice"
        if box.mixer is not None:
            yield from _mixer(box)
        for driver in box.drivers:
            if not driver.installed:
                yield box.name, f"its {driver.kind} driver is not installed", "no program can open it by that"


def _mixer(box: Interface) -> Iterator[Unusual]:
    mixer = box.mixer
    assert mixer is not None
    raw = sorted(feed.number for feed in mixer.feeds if feed.is_raw and feed.jack != feed.number and feed.on)
    if raw:
        numbers = fold_numbers(raw)
        yield box.name, f"channels {numbers} are raw jacks of other numbers", "count channels on the patch sheet"
    back = [strip.name for strip in mixer.strips if strip.plays_back]
    if back:
        yield box.name, f"{few(back)} play their return", "what is plugged in there is not heard"
    muted = [strip.name for strip in mixer.strips if strip.muted]
    if muted:
        key = "moved by the mute key" if mixer.mute_key == "moves" else "muted"
        yield box.name, f"{few(muted)} {key}", "press again for the usual"
    for strip, insert in mixer.hung():
        past = "" if insert.on else ", bypassed"
        yield box.name, f"strip {strip.name} has an insert{past}", f"out at jack {insert.send}, back at {insert.back}"


def _leads(found: Index) -> Iterator[Unusual]:
    for patch in found.rig.patches:
        lead = f"{found.say(patch.from_port)} → {found.say(patch.to_port)}"
        if patch.inverted:
            yield lead, "polarity reversed in the lead", "another lead turns the sound over"
        if patch.gain_db:
            yield lead, f"{say_figure(patch.gain_db)} dB in the lead", "without it levels are not what they should be"
        if patch.muted:
            yield lead, "muted", "nothing passes"
        if patch.unbalanced:
            yield lead, "into an unbalanced input", "hum is likelier there"


def _joined(found: Index) -> Iterator[Unusual]:
    for device in found.aggregates:
        names = few([found.name(member.device) for member in device.members if member.device in found.gear])
        yield device.name, f"is {names}, in this order", "their order makes the channel numbers"
        matched = [found.name(member.device) for member in device.members if member.matched]
        if matched and device.matches:
            yield device.name, f"matches the rate of {few(matched)}", "those come a little later, and never slip"
        if device.align != "none":
            yield device.name, "early boxes wait for the latest one", "all of it is as late as that"


def _programs(found: Index) -> Iterator[Unusual]:
    for program in found.programs():
        if program.output_device is not None and program.output_device != program.device:
            out = found.gear.get(program.output_device)
            if out is not None:
                yield program.name, f"plays to {out.name}", "another device than it takes its input from"
        if program.hosted is not None:
            yield program.name, f"runs in {found.name(program.hosted.leader)}", "it has no device of its own"
        if program.delay_compensation:
            yield program.name, "compensates delays", "a sound may wait for another one's effect"
        if program.compensates_samples:
            yield (
                program.name,
                f"moves recordings {program.compensates_samples} samples earlier",
                "trim no overdub again",
            )
        if program.lets_go_in_background:
            yield program.name, "lets its device go in the background", "keep it in front"
        yield from _tracks(program)
        for link in program.syncs:
            leader = found.name(link.sender)
            offset = f", {say_figure(link.offset_ms)} ms later" if link.offset_ms else ""
            yield program.name, f"hears {leader}{offset}", "start and stop that one"
        device = found.gear.get(program.device or "")
        size = found.device(program)
        for side, on, bank in (("inputs", program.enabled_in, "capture"), ("outputs", program.enabled_out, "playback")):
            there = size.channels("capture" if bank == "capture" else "playback") if size is not None else 0
            if device is not None and there and on and len(on) < there and not isinstance(device, Aggregate):
                yield (
                    program.name,
                    f"{side} {fold_numbers(list(on))} of {there} are enabled",
                    "the others are not offered",
                )


def _tracks(program: Program) -> Iterator[Unusual]:
    for words, so, names in (
        ("muted", "they record, and are not heard", [t.name for t in program.tracks if t.muted]),
        ("soloed", "all others are silent", [t.name for t in program.tracks if t.soloed]),
        (
            "not armed",
            "they record nothing",
            [t.name for t in program.tracks if not t.armed and program.program_kind == "recorder"],
        ),
    ):
        if names:
            yield program.name, f"tracks {few(names)}: {words}", so
    for item, insert in program.hung():
        dry = f", its dry path open at {say_figure(insert.dry_db)} dB" if insert.dry_db is not None else ""
        past = "" if insert.on else ", bypassed"
        yield program.name, f"{item.name} has an insert{past}{dry}", "outboard gear must be on"


def _lines(reading: Reading) -> Iterator[Unusual]:
    for line in reading.rig.lines:
        if line.mixed:
            names = fold_names(reading.found.name(port.owner) for port in line.from_ports)
            yield f"line {line.name}", f"a mix of {few(names)}", "one of them that is missing is a fault"
        if line.tap != "any":
            yield f"line {line.name}", f"wanted at one tap: {line.tap}", "another tap is no proof of it"
        for named, said, so in (
            (line.through, "goes through", "another way is no proof of it"),
            (line.never_by, "never passes", "a way by that is no proof of it"),
        ):
            if named:
                yield f"line {line.name}", f"{said} {reading.found.say_passed(named)}", so
        if line.notes.strip():
            yield f"line {line.name}", line.notes.strip().splitlines()[0], ""


def _assumed(found: Index) -> Iterator[tuple[str, str, str]]:
    """Figures of what is used that nobody has measured, described or typed."""
    for box in found.hardware():
        used = any(found.reaches(program, box.id) for program in found.programs())
        for field, words in (
            ("converter_in_samples", "converter in, samples"),
            ("converter_out_samples", "converter out, samples"),
            ("tolerance_ppm", "clock tolerance, ppm"),
        ):
            if used and box.origins.get(field, "assumed") == "assumed":
                yield box.name, words, say_figure(getattr(box, field))
        for driver in box.drivers:
            safety = driver.safety(box.rate_hz, driver.buffer_samples)
            opened = any(way.driver.id == driver.id for streams in found.opened.values() for way in streams.ways)
            if opened and "assumed" in (safety.in_origin, safety.out_origin):
                both = f"{safety.in_samples} / {safety.out_samples}"
                yield box.name, f"safety offsets of its {driver.kind} driver, in / out, samples", both
