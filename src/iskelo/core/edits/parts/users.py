"""Who uses what of a program, in words: what is used stays as it is when a part is brought in."""

from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program


def users(program: Program, found: Index) -> dict[str, list[str]]:
    """Who uses each input, output, bus, voice and track of a program; what nobody uses is not named.

    An input is used by what takes it, an output and a bus by what is sent there or taken from there, a voice or a track
    by the lines at it and by what it takes or feeds.
    """
    used: dict[str, list[str]] = {}

    def use(identity: str | None, by: str) -> None:
        if identity is not None and by not in used.setdefault(identity, []):
            used[identity].append(by)

    for identity, words in (
        (program.default_output, "what is added"),
        (program.solo_output, "solo"),
        (program.audition_output, "auditioning"),
    ):
        use(identity, words)
    for track in program.tracks:
        for end in (track.input, track.output, track.far_end):
            use(end, track.name)
        if track.input is not None or track.far_end is not None:
            use(track.id, "its input" if track.input is not None else "a far end")
        if track.straight is not None:
            use(track.straight.output, track.name)
            use(track.straight.back_to, track.name)
    for voice in program.voices:
        use(voice.output, voice.name)
        if voice.output is not None or voice.far is not None:
            use(voice.id, "its output" if voice.output is not None else "a call")
    for bus in program.buses:
        use(bus.output, bus.name)
    for item, insert in program.hung():
        use(insert.send, f"the insert of {item.name}")
        use(insert.back, f"the insert of {item.name}")
    for send in program.sends:
        use(send.to, found.name(send.item))
    for other in found.programs():
        for taken in other.inputs:
            use(taken.returns, f"{other.name}, {taken.name}")
    for line in found.rig.lines:
        for port in (*line.from_ports, *line.to_ports):
            use(port.owner, f"line {line.name}")
        for named in line.through:
            use(named, f"line {line.name}")
    return used
