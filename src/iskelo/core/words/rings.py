"""What goes round, in words."""

import math

from iskelo.core.lines.rings import LEFT_DB, Ringing, Round
from iskelo.core.rig.index import Index


def say_round(each: Round, found: Index) -> str:
    """The ports that sound goes round by: 'Corvane 8 jack in 1 → … → Corvane 8 jack in 1'."""
    edges = each.loop.edges
    # Begun at an input, where a person would follow it from.
    first = next((at for at, edge in enumerate(edges) if edge.start.bank == "jack_in"), 0)
    ordered = (*edges[first:], *edges[:first])
    ports = [edge.start for edge in ordered if edge.start.bank in _SAID]
    return " → ".join([*dict.fromkeys(found.say(port) for port in ports), found.say(ports[0])])


_SAID = (
    "jack_in",
    "strip_direct",
    "mix",
    "input",
    "monitor",
    "bus",
    "output",
    "from_computer",
    "jack_out",
    "outboard_in",
)


def say_ringing(ring: Ringing, found: Index) -> str:
    """What goes round, how fast, and what is heard of it."""
    worst = ring.worst
    gain_db, ms = worst.loop.gain_db, 1000 * float(worst.seconds)
    also = " and more ways" if ring.more or len(ring.rounds) > 1 else ""
    round_ = f"it goes round by {say_round(worst, found)}{also}"
    turn = f"{_signed(gain_db)} dB every {ms:.2f} ms" if ms else f"{_signed(gain_db)} dB without any delay"
    if ring.verdict == "rings":
        return f"{round_}, {turn}: {_say_dying(ring)}"
    if math.isinf(ring.growth_db_per_s):
        return f"{round_}, {turn}"
    grows = f"grows by {ring.growth_db_per_s:.0f} dB a second" if ring.growth_db_per_s > 0 else "does not die away"
    if ring.verdict == "may howl":
        return f"{round_}, {turn}: only polarity may hold it, else it {grows}"
    return f"{round_}, {turn}: it {grows}"


def _signed(value_db: float) -> str:
    return f"{value_db + 0.0:+.1f}".replace("-", "−")


def _say_dying(ring: Ringing) -> str:
    if ring.is_at_once and len(ring.rounds) > 1:
        return "all that it passes is louder or softer for it"
    if len(ring.rounds) > 1 or ring.more:
        return f"it dies away to {-LEFT_DB:.0f} dB less within {LEFT_DB / ring.growth_db_per_s:.2f} s"
    worst = ring.worst
    ratio = 10 ** (worst.loop.gain_db / 20)
    if not worst.seconds:
        raised = -20 * math.log10(1 - worst.loop.sign * ratio)
        return f"all that it passes is {abs(raised):.1f} dB {'louder' if raised > 0 else 'softer'} for it"
    every = 1 / float(worst.seconds)
    begin = every / 2 if worst.loop.sign < 0 else 0.0
    peak, dip = -20 * math.log10(1 - ratio), -20 * math.log10(1 + ratio)
    gone = LEFT_DB / ring.growth_db_per_s
    if not ring.is_heard:
        return f"{gone:.2f} s to −60 dB"
    return (
        f"{gone:.2f} s to −60 dB; peaks of {_signed(peak)} dB every {every:.0f} Hz from {begin:.0f} Hz, "
        f"dips of {_signed(dip)} dB between"
    )
