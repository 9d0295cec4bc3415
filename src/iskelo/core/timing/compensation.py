"""Delay compensation inside a program: what meets in a mix waits for the latest of it.

The latency of a track is that of what it takes, its own effects, and what is known of its insert's round trip; that of
a mix the latest of what it takes and its own effects. Each feed waits for what is missing. Muted strips count as well,
so that nothing jumps when one is unmuted; tracks that are not monitored, sends that are off, inserts that are bypassed,
and buses that feed themselves, do not. What goes out to an insert waits for nothing, and nothing waits for it. Common
practice, no published source.
"""

from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program, ProgramInsert
from iskelo.core.wiring.blocks import buses_in_circles


def waits(program: Program, found: Index) -> dict[str, int]:
    """By how many samples each feed waits: by the id of a track, a voice, a bus (its output), or a send."""
    if not program.delay_compensation:
        return {}
    known = found.waits.get(program.id)
    if known is None:
        known = found.waits[program.id] = feed_waits(program)
    return known


def _known(insert: ProgramInsert | None) -> int:
    """By how much a program holds what passes an insert to be late."""
    return insert.held.samples if insert is not None and insert.on and insert.held is not None else 0


def feed_waits(program: Program) -> dict[str, int]:
    """The same for a program that compensates, whether it does so now or not."""
    circles = buses_in_circles(program)
    # What a bus itself takes: its effects, and as much as is known of what hangs in it.
    effects = {bus.id: bus.effect_delay_samples + _known(bus.insert) for bus in program.buses}
    tracks = {track.id: track for track in program.tracks}
    feeds: dict[str, list[tuple[str, str]]] = {}
    still = {track.id for track in program.tracks if not track.monitored} | circles
    own = [(track.id, track.output) for track in program.tracks]
    own += [(voice.id, voice.output) for voice in program.voices] + [(bus.id, bus.output) for bus in program.buses]
    for item, output in own:
        if output is not None and item not in still:
            feeds.setdefault(output, []).append((item, item))
    for send in program.sends:
        if send.on and send.item not in still:
            feeds.setdefault(send.to, []).append((send.id, send.item))
    latencies: dict[str, int] = {}

    def latency(item: str) -> int:
        """Behind a strip's or a mix's effects; nought where a circle is kept silent."""
        if item not in latencies:
            latencies[item] = 0
            if item in tracks:
                track = tracks[item]
                before = latency(track.input) if track.input in effects else 0
                latencies[item] = before + track.effect_delay_samples + _known(track.insert)
            elif item in effects and item not in circles:
                latencies[item] = _latest(item) + effects[item]
        return latencies[item]

    def _latest(mix: str) -> int:
        return max((latency(giver) for _, giver in feeds.get(mix, ())), default=0)

    return {
        feed: _latest(mix) - latency(giver)
        for mix, givers in feeds.items()
        if mix not in circles
        for feed, giver in givers
    }
