"""Rules about how late the members of joined boxes are, and what matching adds."""

from functools import partial

from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program
from iskelo.core.snags.aggregates import SKEW_TOLD_SAMPLES, _programs_on
from iskelo.core.snags.clocks import lead_remedies
from iskelo.core.snags.reach import lines_of_program, with_finding
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule
from iskelo.core.timing.delays import samples_to_ms
from iskelo.core.timing.terms import MATCHING, RING, trip_terms


@rule("aggregate", symptoms=("hollow",), explains=("line-skewed",))
def members_differ_in_delay(reading: Reading) -> list[Snag]:
    """Members of an aggregate bring one sound at different times: two microphones at one source comb."""
    found = reading.found
    snags = []
    for aggregate in found.aggregates:
        programs = _programs_on(found, aggregate)
        if not programs or aggregate.align != "none":
            continue
        streams = found.opened[programs[0].id]
        used = [
            way
            for way in streams.ways
            if way.box.cable is None and not found.hindrance(streams, way) and _used(streams, way, programs)
        ]
        late = {way.box.name: _in_samples(streams, way, found) for way in used}
        if len(late) < 2 or max(late.values()) - min(late.values()) < SKEW_TOLD_SAMPLES:
            continue
        skew = max(late.values()) - min(late.values())
        told = ", ".join(f"{name} {samples}" for name, samples in late.items())
        rate_hz = streams.device.rate_hz
        own = {line for program in programs for line in lines_of_program(reading, program)}
        lines = tuple(state.line.id for state, _ in with_finding(reading, "skewed") if state.line.id in own)
        snags.append(
            Snag(
                key=f"members-differ-in-delay:{aggregate.id}",
                rule="members-differ-in-delay",
                severity="trouble" if lines else "note",
                title=f"Members of {aggregate.name} are {skew} samples apart",
                evidence=f"From jack to program, in samples: {told}. {skew} are "
                f"{float(samples_to_ms(skew, rate_hz)):.2f} ms.",
                consequence="One sound caught on two of them combs when they are mixed: first notch at "
                f"{rate_hz / (2 * skew):.0f} Hz.",
                items=(aggregate.id,),
                lines=lines,
                mend=partial(distinct, [pad_members(aggregate)]),
            )
        )
    return snags


def pad_members(aggregate: Aggregate) -> Remedy:
    """All members of an aggregate made as late as its latest."""
    pad = SetValues(item=aggregate.id, values={"align": "pad to the longest"})
    return Remedy(f"Pad the members of {aggregate.name} to the longest", (pad,))


def _used(streams: OpenDevice, way: DeviceStream, programs: list[Program]) -> bool:
    channels = way.channels("capture")
    return any(leg in channels for program in programs for item in program.inputs for leg in item.legs if leg)


def _in_samples(streams: OpenDevice, way: DeviceStream, found: Index) -> int:
    return sum(term.samples for term in trip_terms(streams, way, "capture", found))


@rule("aggregate", symptoms=("late",))
def matched_member_adds_delay(reading: Reading) -> list[Snag]:
    """A member whose rate is matched is later than one on the master's clock; a clock lead would spare that."""
    found = reading.found
    snags = []
    for aggregate in found.aggregates:
        programs = _programs_on(found, aggregate)
        for program in programs[:1]:
            streams = found.opened[program.id]
            for way in streams.ways:
                # What cannot be opened at all costs nothing.
                if not way.matched or found.hindrance(streams, way) or not _used(streams, way, programs):
                    continue
                whole = _in_samples(streams, way, found)
                more = sum(
                    term.samples
                    for term in trip_terms(streams, way, "capture", found)
                    if term.label in (RING, MATCHING)
                )
                rate_hz = streams.device.rate_hz
                assert streams.driving is not None
                snags.append(
                    Snag(
                        key=f"matched-member-adds-delay:{aggregate.id}:{way.box.id}",
                        rule="matched-member-adds-delay",
                        severity="note",
                        title=f"Matching {way.box.name} costs {float(samples_to_ms(more, rate_hz)):.2f} ms",
                        evidence=f"{more} samples in its ring and its filter, each way; without them it would take "
                        f"{whole - more}.",
                        consequence=f"What comes in on {way.box.name} is later than on {streams.driving.box.name}.",
                        items=(aggregate.id, way.box.id),
                        mend=partial(_spare_matching, found, aggregate, streams, way),
                    )
                )
    return snags


def _spare_matching(found: Index, aggregate: Aggregate, streams: OpenDevice, way: DeviceStream) -> tuple[Remedy, ...]:
    assert streams.driving is not None
    remedies = lead_remedies(found, way.box, streams.driving.box)
    lead = SetValues(item=aggregate.id, values={"master": way.box.id})
    remedies.append(Remedy(f"Make {way.box.name} clock master of {aggregate.name}", (lead,)))
    return distinct(remedies)
