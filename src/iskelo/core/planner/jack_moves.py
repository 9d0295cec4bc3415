"""Steps from a source, or from outboard gear, into a jack, with what the jack must be set to."""

from collections.abc import Iterator

from iskelo.core.edits.edit import Edit, Plug, Remove, SetJack, SetTrim
from iskelo.core.levels.headroom import FAR_OFF_DB, TOLERANCE_DB, nominal_dbfs
from iskelo.core.lines.context import Reading
from iskelo.core.planner.move import MOVED, SPLITTER, TAKEN_AWAY, TIE, Ask, Move
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.units import say_figure
from iskelo.core.wiring.edge import input_gain_db


def into_a_jack(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """A lead from a source, or from outboard gear, into each jack that is free."""
    found = reading.found
    leads = _Leads(port, reading)
    target = found.owner(ask.end)
    for box in found.interfaces():
        other_box = isinstance(target, Program) and not takes_from(target, box.id, reading)
        places = _places(box)
        for jack in range(1, box.jack_in + 1):
            end = Port(box.id, "jack_in", jack)
            if not reading.graph.into(end) and not other_box:
                outboard = found.gear.get(port.owner)
                if isinstance(outboard, Outboard):
                    trimmed = _trimmed(found, ask.start, box, jack, gained_db=outboard.gain_db)
                    switch, said, worse = *trimmed, 0.0
                else:
                    switch, said, worse = switched_on(found, port, box, jack)
                cost = 1 + leads.dearer + worse + TIE * (places[jack] + 2 * (port.number > 1))
                yield Move(end, cost, (*leads.to(end), *switch), (leads.say(end), *said))


def _places(box: Interface) -> dict[int, int]:
    """In which order jacks are taken: by number; of a mixer those that are raw channels first, by channel."""
    jacks = range(1, box.jack_in + 1)
    feeds = box.mixer.feeds if box.mixer is not None else ()
    raw = {feed.jack: feed.ends[0] for feed in feeds if feed.bank == "capture" and feed.jack is not None}
    return {jack: raw.get(jack, box.capture + jack if raw else jack) for jack in jacks}


class _Leads:
    """Leads a port to another jack: moves a lead that no line needs, or uses a splitter where lines need them all."""

    def __init__(self, port: Port, reading: Reading) -> None:
        self._port, self._found = port, reading.found
        leads = [patch for patch in reading.rig.patches if patch.from_port == port]
        self._idle = [patch for patch in leads if patch.id not in reading.leads_in_use]
        self._split = bool(leads) and not self._idle
        self.dearer = MOVED if self._idle else SPLITTER if leads else 0.0

    def to(self, end: Port) -> tuple[Edit, ...]:
        """The edits of a lead to there."""
        pulled: tuple[Edit, ...] = (Remove(items=tuple(each.id for each in self._idle)),) if self._idle else ()
        return (*pulled, Plug(from_port=self._port, to_port=end))

    def say(self, end: Port) -> str:
        """The same as a command."""
        start, there = self._found.say(self._port), self._found.say(end)
        if self._idle:
            return f"Move {start} from {self._found.say(self._idle[0].to_port)} to {there}"
        words = f"Plug {start} into {there}"
        return f"{words} as well, by a splitter behind {start}" if self._split else words


def into_what_is_named(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """Lead into outboard gear that the line names, or hang that gear into a lead that is there already."""
    found = reading.found
    for outboard in (each for each in found.outboards if each.id in ask.through and each.id != port.owner):
        for leg in range(1, outboard.width + 1):
            into, out = Port(outboard.id, "outboard_in", leg), Port(outboard.id, "outboard_out", leg)
            if reading.graph.into(into):
                continue
            leads = _Leads(port, reading)
            yield Move(into, 1 + leads.dearer + TIE * leg, leads.to(into), (leads.say(into),))
            for lead in reading.rig.patches:
                others = reading.ports_in_use.get(lead.to_port, set()) - {ask.start}
                if lead.from_port != port or others or any(each.from_port == out for each in reading.rig.patches):
                    continue
                hung = (
                    Remove(items=(lead.id,)),
                    Plug(from_port=port, to_port=into),
                    Plug(from_port=out, to_port=lead.to_port),
                )
                words = (f"Hang {outboard.name} into the lead from {found.say(port)} to {found.say(lead.to_port)}",)
                yield Move(lead.to_port, 2 + MOVED + TIE * leg, hung, words, (outboard.id,))


def switched_on(found: Index, port: Port, box: Interface, jack: int) -> tuple[tuple[Edit, ...], tuple[str, ...], float]:
    """What a jack must be switched and trimmed to for a source, in words, and how much dearer a jack is that cannot."""
    source = found.gear.get(port.owner)
    if not isinstance(source, Source):
        return (), (), 0.0
    edits, words, dearer = _supplied(source, box, jack)
    trims, said = _trimmed(found, port, box, jack)
    return (*edits, *trims), (*words, *said), dearer


def _trimmed(
    found: Index, start: Port, box: Interface, jack: int, *, gained_db: float = 0.0
) -> tuple[tuple[Edit, ...], tuple[str, ...]]:
    """Set a jack's trim for a source's level and the gain of gear before it; no edits where the trim is right."""
    source = found.gear.get(start.owner)
    if not isinstance(source, Source):
        return (), ()
    off_db = source.level_dbu + gained_db + input_gain_db(box, jack) - nominal_dbfs(start, found)
    if -FAR_OFF_DB <= off_db <= TOLERANCE_DB:
        return (), ()
    trim_db = max(-144.0, min(60.0, round(box.trims_db[jack - 1] - off_db, 1)))
    said = f"Set the trim of {box.name} jack in {jack} to {say_figure(trim_db)} dB"
    return (SetTrim(interface=box.id, jack_in=jack, trim_db=trim_db),), (said,)


def _supplied(source: Source, box: Interface, jack: int) -> tuple[tuple[Edit, ...], tuple[str, ...], float]:
    phantom = source.needs_phantom and jack not in box.phantom_on
    high = source.needs_high_impedance and jack not in box.high_impedance_on
    unable = (phantom and jack > box.able_jacks("phantom")) or (high and jack > box.able_jacks("instrument"))
    if unable or not (phantom or high):
        return (), (), TAKEN_AWAY if unable else 0.0
    edit = SetJack(
        interface=box.id, jack_in=jack, phantom=True if phantom else None, high_impedance=True if high else None
    )
    what = " and ".join(name for name, on in (("phantom supply", phantom), ("high impedance", high)) if on)
    return (edit,), (f"Switch {what} on at {box.name} jack in {jack}",), 0.0


def takes_from(program: Program, box: str, reading: Reading) -> bool:
    """Whether a program takes its input from a box, or could because it has no device yet."""
    streams = reading.found.opened.get(program.id)
    return streams is None or streams.to("capture", box) is not None
