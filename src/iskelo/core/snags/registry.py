"""Every rule, once, in the order in which they are run. ``docs/snags.md`` is made from this list."""

from iskelo.core.lines.context import Reading
from iskelo.core.snags import inputs, lines, tracks
from iskelo.core.snags.rule import SEVERITIES, Rule, Snag

RULES: tuple[tuple[str, tuple[Rule, ...]], ...] = (
    ("driver", (inputs.program_without_device,)),
    (
        "inputs and outputs",
        (
            inputs.two_inputs_on_one_channel,
            inputs.leg_without_channel,
            inputs.channel_not_enabled,
            inputs.output_nowhere,
        ),
    ),
    ("tracks", (tracks.armed_without_input, tracks.one_side_silent)),
    (
        "lines",
        (
            lines.line_silent,
            lines.line_blocked,
            lines.line_crossed,
            lines.line_doubled,
            lines.line_crowded,
            lines.line_late,
            lines.line_hot,
        ),
    ),
)


def find_snags(reading: Reading) -> list[Snag]:
    """Run every rule; worst first, and among equals the one that harms most lines."""
    found = [snag for _, rules in RULES for rule in rules for snag in rule(reading)]
    return sorted(found, key=lambda snag: (SEVERITIES.index(snag.severity), -len(snag.lines)))
