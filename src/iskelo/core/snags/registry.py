"""Every rule, once, in the order in which they are run. ``docs/snags.md`` is made from this list.

Snags of one root are told as one: a program without a device is one snag, not one for each of its lines.
"""

from collections.abc import Iterable
from dataclasses import replace
from typing import Literal, get_args

from iskelo.core.lines.context import Reading
from iskelo.core.snags import (
    aggregates,
    arrivals,
    clocks,
    drivers,
    inputs,
    levels,
    lines,
    load,
    numbers,
    rates,
    rounds,
    sides,
    tracks,
)
from iskelo.core.snags.rule import REMEDIES_AT_MOST, SEVERITIES, Remedy, Rule, Snag, distinct

RULES: tuple[tuple[str, tuple[Rule, ...]], ...] = (
    (
        "driver",
        (
            drivers.program_without_device,
            drivers.driver_not_installed,
            drivers.driver_held,
            drivers.driver_shows_too_few,
            drivers.lets_go_in_background,
            drivers.system_sounds_on_a_recording_device,
            aggregates.box_not_connected,
        ),
    ),
    (
        "rate",
        (
            rates.program_at_another_rate,
            rates.driver_resamples,
            rates.rate_set_in_two_places,
            rates.rate_cuts_channels,
            aggregates.boxes_at_different_rates,
        ),
    ),
    (
        "clock",
        (
            clocks.clock_loop,
            clocks.clock_not_locked,
            clocks.two_masters,
            clocks.clocks_drift,
        ),
    ),
    (
        "aggregate",
        (
            aggregates.member_absent,
            aggregates.master_not_a_member,
            numbers.numbers_moved,
            aggregates.member_order,
            aggregates.member_cannot_join,
            aggregates.members_differ_in_delay,
            aggregates.matched_member_adds_delay,
        ),
    ),
    ("what goes round", (rounds.sound_goes_round,)),
    (
        "inputs and outputs",
        (
            inputs.two_inputs_on_one_channel,
            inputs.leg_without_channel,
            inputs.channel_not_enabled,
            inputs.output_nowhere,
            inputs.names_repeated,
            inputs.unused_bus,
            inputs.bus_feeds_itself,
        ),
    ),
    (
        "tracks",
        (tracks.armed_without_input, tracks.armed_twice, tracks.monitored_twice, tracks.one_side_silent),
    ),
    (
        "level",
        (
            levels.phantom_missing,
            levels.high_impedance_missing,
            levels.consumer_and_professional,
            levels.line_hot,
            levels.line_low,
        ),
    ),
    (
        "load",
        (
            load.work_exceeds_buffer,
            load.programs_crowd_the_computer,
            load.link_over_budget,
            load.file_passes_4_gib,
        ),
    ),
    (
        "lines",
        (
            lines.line_silent,
            sides.line_half_silent,
            lines.line_blocked,
            lines.line_crossed,
            arrivals.line_doubled,
            arrivals.line_crowded,
            arrivals.line_off_speed,
            clocks.line_drifting,
            sides.line_inverted,
            sides.line_skewed,
            arrivals.line_late,
        ),
    ),
)

RULE_NAMES = tuple(rule.__name__.replace("_", "-") for _, rules in RULES for rule in rules)
"""The rules by the names their snags carry, in order."""

Symptom = Literal[
    "hollow",
    "thin",
    "clicks",
    "late",
    "echo",
    "howls",
    "rings",
    "one side",
    "wrong pitch",
    "too quiet",
    "distorted",
    "nothing",
]
"""What a person hears when something is wrong."""

SYMPTOMS: dict[str, tuple[Symptom, ...]] = {
    "line-doubled": ("hollow", "echo"),
    "monitored-twice": ("hollow", "echo"),
    "line-late": ("late", "echo"),
    "line-off-speed": ("wrong pitch",),
    "program-at-another-rate": ("wrong pitch",),
    "clocks-drift": ("clicks",),
    "line-drifting": ("clicks",),
    "clock-loop": ("clicks", "nothing"),
    "clock-not-locked": ("clicks", "nothing"),
    "two-masters": ("clicks",),
    "members-differ-in-delay": ("hollow",),
    "matched-member-adds-delay": ("late",),
    "member-order": ("nothing", "one side"),
    "numbers-moved": ("nothing", "one side"),
    "rate-set-in-two-places": ("wrong pitch",),
    "line-crossed": ("nothing", "one side"),
    "one-side-silent": ("one side",),
    "line-half-silent": ("one side",),
    "line-inverted": ("thin",),
    "line-skewed": ("one side", "hollow"),
    "line-hot": ("distorted",),
    "line-low": ("too quiet",),
    "consumer-and-professional": ("too quiet", "distorted"),
    "high-impedance-missing": ("too quiet",),
    "lets-go-in-background": ("nothing",),
    "work-exceeds-buffer": ("clicks",),
    "programs-crowd-the-computer": ("clicks",),
    "link-over-budget": ("nothing", "clicks"),
    "two-inputs-on-one-channel": ("nothing",),
    "bus-feeds-itself": ("howls", "nothing"),
    "sound-goes-round": ("howls", "rings", "hollow", "echo"),
    **dict.fromkeys(
        (
            "line-silent",
            "line-blocked",
            "program-without-device",
            "driver-not-installed",
            "driver-held",
            "driver-shows-too-few",
            "rate-cuts-channels",
            "box-not-connected",
            "boxes-at-different-rates",
            "member-absent",
            "member-cannot-join",
            "leg-without-channel",
            "channel-not-enabled",
            "output-nowhere",
            "unused-bus",
            "armed-without-input",
            "armed-twice",
            "phantom-missing",
        ),
        ("nothing",),
    ),
}
"""Which rules could be behind what somebody hears."""

ALL_SYMPTOMS: tuple[str, ...] = get_args(Symptom)

EXPLAINS: dict[str, tuple[str, ...]] = {
    "program-without-device": ("line-silent",),
    "driver-not-installed": ("line-blocked", "line-half-silent"),
    "driver-held": ("line-blocked", "line-half-silent"),
    "program-at-another-rate": ("line-off-speed",),
    "rate-cuts-channels": ("line-blocked", "line-half-silent"),
    "box-not-connected": ("line-blocked", "line-half-silent"),
    "boxes-at-different-rates": ("line-blocked", "line-half-silent"),
    "link-over-budget": ("line-blocked", "line-half-silent"),
    "member-cannot-join": ("line-blocked", "line-half-silent"),
    "clocks-drift": ("line-drifting",),
    "member-absent": ("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
    "numbers-moved": (
        "line-silent",
        "line-half-silent",
        "line-blocked",
        "line-crossed",
        "line-crowded",
        "leg-without-channel",
        "channel-not-enabled",
        "output-nowhere",
        "driver-shows-too-few",
    ),
    "member-order": ("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
    "driver-shows-too-few": ("line-blocked", "line-silent", "line-half-silent"),
    "two-inputs-on-one-channel": ("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
    "leg-without-channel": ("line-silent", "line-half-silent"),
    "channel-not-enabled": ("line-blocked", "line-half-silent"),
    "armed-without-input": ("line-silent",),
    "armed-twice": ("line-blocked", "line-half-silent"),
    "monitored-twice": ("line-doubled",),
    "one-side-silent": ("line-half-silent",),
    "members-differ-in-delay": ("line-skewed",),
    "output-nowhere": ("line-silent", "line-half-silent"),
    "bus-feeds-itself": ("line-blocked", "line-silent"),
    "phantom-missing": ("line-blocked", "line-half-silent", "line-silent"),
}
"""The snags of lines that a snag of gear explains, where it names the same line."""


def symptoms_of(snag: Snag) -> tuple[Symptom, ...]:
    """How a snag may sound, best first."""
    return SYMPTOMS.get(snag.rule, ())


def run_rules(reading: Reading) -> list[Snag]:
    """Every snag of every rule, in the order of the rules, each by itself."""
    return [snag for _, rules in RULES for rule in rules for snag in rule(reading)]


def find_snags(reading: Reading) -> list[Snag]:
    """Every snag, those of one root as one; worst first, and among equals the one that harms most lines."""
    found = _by_root(_explained(run_rules(reading)))
    return sorted(found, key=lambda snag: (SEVERITIES.index(snag.severity), -len(snag.lines)))


def _explained(snags: list[Snag]) -> list[Snag]:
    """Join each line's snag to the snag of gear that explains it."""
    causes: dict[tuple[str, str], Snag] = {}
    for snag in snags:
        for rule in EXPLAINS.get(snag.rule, ()):
            for line in snag.lines:
                causes.setdefault((rule, line), snag)
    joined: dict[str, list[Snag]] = {}
    left = []
    for snag in snags:
        root = snag
        # What explains it may itself be explained; rules come in order, so this ends.
        while (cause := _cause(root, causes)) is not None:
            root = cause
        if root is snag:
            left.append(snag)
        else:
            joined.setdefault(root.key, []).append(snag)
    return [_joined(snag, joined.get(snag.key, [])) for snag in left]


def _cause(snag: Snag, causes: dict[tuple[str, str], Snag]) -> Snag | None:
    if not snag.lines:
        return None
    if snag.rule.startswith("line-"):
        return causes.get((snag.rule, snag.lines[0]))
    return next((causes[snag.rule, line] for line in snag.lines if (snag.rule, line) in causes), None)


def _by_root(snags: list[Snag]) -> list[Snag]:
    """One snag for all that share a root; the first speaks for them."""
    roots: dict[str, list[Snag]] = {}
    for snag in snags:
        roots.setdefault(snag.root or snag.key, []).append(snag)
    return [
        # Named after the root, so that it stays the same snag when one of its lines is mended.
        replace(_joined(first, others), key=f"{first.rule}@{first.root}"[:180]) if first.root else first
        for first, *others in roots.values()
    ]


def _joined(first: Snag, others: list[Snag]) -> Snag:
    if not others:
        return first
    severity = min((first.severity, *(each.severity for each in others)), key=SEVERITIES.index)
    return replace(
        first,
        severity=severity,
        lines=tuple(dict.fromkeys(line for each in (first, *others) for line in each.lines)),
        items=tuple(dict.fromkeys(item for each in (first, *others) for item in each.items)),
        follows=(*first.follows, *(each.title for each in others)),
        mend=lambda: _remedies((first, *others)),
    )


def _remedies(snags: Iterable[Snag]) -> tuple[Remedy, ...]:
    """The first's own remedies, then those of what follows from it, without repeats."""
    own, *further = [snag.mend() for snag in snags]
    return distinct([*own, *(remedy for each in further for remedy in each)], 2 * REMEDIES_AT_MOST)
