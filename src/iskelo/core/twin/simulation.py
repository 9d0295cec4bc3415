"""Everything of a rig at work, before it is set going: boxes with their clocks, devices made of them, programs."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from zlib import crc32

import numpy as np

from iskelo.core.rig.clocks import COMPUTER, COMPUTER_TOLERANCE_PPM
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.aggregates import MATCHING_DELAY_SAMPLES, Feeder, JoinedAtWork, Part
from iskelo.core.twin.box import Box
from iskelo.core.twin.cable_box import CableBox
from iskelo.core.twin.driver import Called, DriverAtWork
from iskelo.core.twin.ends import OutputEnd
from iskelo.core.twin.engine import DEVICE_FINISHES, PROGRAM_RUNS, SOUND_TURNS, Engine
from iskelo.core.twin.in_order import callers_of, in_order
from iskelo.core.twin.leads import bring_back, inside_leads, jacks_of, leads_out, longest_late_s, played_ahead_s
from iskelo.core.twin.midi import begins_after_s
from iskelo.core.twin.mixer_box import MixerBox
from iskelo.core.twin.program import DeviceAtWork, ProgramAtWork, Sound
from iskelo.core.twin.ring import Clock, Ring
from iskelo.core.twin.stream import STRETCH_SAMPLES
from iskelo.core.twin.told import Slipped, Synced


class Simulation:
    """The gear of a rig set up on an engine; ``recorders`` and ``ends`` hold what is recorded and heard."""

    def __init__(
        self, rig: Rig, sounds: Mapping[Port, Sound], seconds: float, seed: int, slipped: Callable[[Slipped], None]
    ) -> None:
        self._rig, self._sounds, self._seconds, self._seed = rig, sounds, seconds, seed
        self._slipped = slipped
        self._found = index(rig)
        self._rates = true_rates(self._found, seed)
        self.engine = Engine(self._rates.values() or [1])
        self.until = int(seconds * self.engine.ticks_per_second)
        self._boxes = self._set_up_boxes()
        bring_back(rig, self._boxes)
        self.ends = [
            OutputEnd(box, leads_out(rig, box.gear, int(seconds * box.gear.rate_hz)), int(seconds * box.gear.rate_hz))
            for box in self._boxes.values()
        ]
        self.recorders: list[tuple[ProgramAtWork, int]] = []
        self._called: dict[int, list[Called]] = {}
        self._feeders: dict[int, list[Feeder]] = {}
        self._joined: dict[str, JoinedAtWork | None] = {}
        # Who lets go of a device in the background asks for it last.
        programs = [(place, gear) for place, gear in enumerate(rig.gear) if isinstance(gear, Program)]
        for place, gear in sorted(programs, key=lambda each: each[1].lets_go_in_background):
            if gear.id in self._found.opened:
                self._set_up_program(gear, self._found.opened[gear.id], place)
        self._heard = [out for out in self.ends if out.leads]
        self._sessions = [session for box in self._boxes.values() for session in box.sessions]
        self._periods = [
            (int(session.box.clock.start_s * self.engine.ticks_per_second), engine_period(self.engine, session))
            for session in self._sessions
        ]
        for session in self._sessions:
            called = self._called.get(id(session), [])
            joined = [each for each in called if isinstance(each, JoinedAtWork) and each.has_rings]
            self._start(session, self._feeders.get(id(session), []), DEVICE_FINISHES)
            self._start(session, joined, PROGRAM_RUNS)
        fastest = max((float(rate) for rate in self._rates.values()), default=1.0)
        self._turn_ticks = int(STRETCH_SAMPLES / fastest * self.engine.ticks_per_second)
        # What comes back by leads was given out in an earlier turn, and so was what programs play to each other.
        self._callers, among_s = in_order(
            callers_of([(each, self._called[id(each)]) for each in self._sessions if self._called.get(id(each))])
        )
        cable_ends = {id(end) for caller in self._callers for end in caller.ends}
        self._others = [session for session in self._sessions if id(session) not in cable_ends]
        for ahead_s in (played_ahead_s(self._boxes), among_s):
            if ahead_s is not None:
                self._turn_ticks = min(self._turn_ticks, int(ahead_s * self.engine.ticks_per_second))
        self.engine.at(self._turn_ticks, SOUND_TURNS, self._keep_turning)

    def synced(self) -> Iterator[Synced]:
        """Every follower's song, once it has begun."""
        at_work = {each.program.id: each.device for each, _ in self.recorders}
        for program, _ in self.recorders:
            for link in program.program.syncs if program.program.follows_clock else ():
                if link.clock and link.sender in at_work:
                    seed = self._seed + crc32(link.id.encode())
                    yield Synced(link.id, begins_after_s(link, at_work[link.sender], program.device, seed))

    def _set_up_boxes(self) -> dict[str, Box]:
        ways = [way for streams in self._found.opened.values() for way in streams.ways]
        still = {way.box.id for way in ways if not way.rings}
        random = np.random.default_rng(self._seed)
        boxes: dict[str, Box] = {}
        late_s = longest_late_s(self._rig)
        for number, gear in enumerate(self._found.boxes):
            blocks = [way.buffer_samples for way in ways if way.box.id == gear.id]
            late = int(random.integers(0, max(blocks, default=1))) if gear.id not in still and blocks else 0
            rate = self._rates[gear.id]
            start_s = late / rate
            if rate != gear.rate_hz and late:
                # On another clock blocks fall between the others' samples as well.
                start_s += Fraction(int(random.integers(0, 1000)), 1000) / rate
            clock = Clock(start_s, rate)
            jacks = jacks_of(self._rig, gear, clock, self._sounds)
            kind = CableBox if gear.cable is not None else Box if gear.mixer is None else MixerBox
            boxes[gear.id] = box = kind(gear, jacks, self._seed + number, clock, max(blocks, default=0), late_s)
            if isinstance(box, MixerBox):
                box.set_up(inside_leads(self._rig, gear))
        return boxes

    def _set_up_program(self, program: Program, streams: OpenDevice, place: int) -> None:
        driving = streams.driving
        if driving is None:
            return
        admitted = {id(way): self._admits(way, streams) for way in streams.ways}
        device: DeviceAtWork
        called: list[Called]
        if not streams.joined:
            device = session = self._opened(driving)
            called = self._called.setdefault(id(session), [])
        else:
            key = driving.client
            if key not in self._joined:
                self._joined[key] = self._join(streams, admitted)
            joined = self._joined[key]
            assert joined is not None
            device, called = joined, joined.programs
        at_work = ProgramAtWork(
            program,
            device,
            int(self._seconds * device.rate_hz),
            self._sounds,
            admitted=admitted[id(driving)],
            late_s=self._rig.jitter_ms / 1000,
            seed=self._seed + 7919 * (place + 1),
            resampled_samples=driving.driver.resampling_samples if driving.converts else None,
            hosted=[each for each in self._found.programs() if each.hosted and each.hosted.leader == program.id],
        )
        called.append(at_work)
        self.recorders.append((at_work, device.rate_hz))

    def _admits(self, way: DeviceStream, streams: OpenDevice) -> bool:
        """Whether a box lets this client in, at its buffer and its rate."""
        let_in = self._boxes[way.box.id].admit(way.driver, way.client)
        if isinstance(self._found.gear.get(way.client), Aggregate):
            offered = way.driver.own_blocks or way.buffer_samples in way.driver.buffers_samples
            let_in = let_in and not way.driver.engine and offered
        return let_in and way.box.rate_hz == streams.device.rate_hz

    def _join(self, streams: OpenDevice, admitted: dict[int, bool]) -> JoinedAtWork:
        driving = streams.driving
        assert driving is not None
        sessions = {id(way): self._session(way, streams) for way in streams.ways if admitted[id(way)] or way is driving}
        calling = sessions[id(driving)]
        parts = [self._part(way, streams, sessions.get(id(way)), calling) for way in streams.ways]
        aggregate = self._found.gear.get(driving.client)
        pads = isinstance(aggregate, Aggregate) and aggregate.align != "none"
        joined = JoinedAtWork(calling, parts, pad=pads)
        if admitted[id(driving)]:
            self._called.setdefault(id(calling), []).append(joined)
        return joined

    def _session(self, way: DeviceStream, streams: OpenDevice) -> DriverAtWork:
        box = self._boxes[way.box.id]
        if way.client == streams.device.id:
            return box.session(way.driver, way.buffer_samples)
        return self._opened(way)

    def _opened(self, way: DeviceStream) -> DriverAtWork:
        """A box as a program opens it straight: with others, or by itself where each has its own buffer."""
        box = self._boxes[way.box.id]
        return box.session(way.driver, way.buffer_samples) if way.driver.own_blocks else box.shared(way.driver)

    def _part(
        self, way: DeviceStream, streams: OpenDevice, session: DriverAtWork | None, calling: DriverAtWork
    ) -> Part:
        part = Part(session, way.capture, way.playback)
        if session is None or not way.rings:
            return part
        delay = calling.lead_samples + way.margin_samples
        # Room for both blocks and the margin, and for as much again that a slip moves the reader by.
        room = session.block_samples + calling.block_samples + way.margin_samples
        room += max(way.margin_samples, session.block_samples, calling.block_samples)
        # An engine's stream time runs ahead of its calls: what it hands over waits for that as well.
        room += sum(2 * (each.lead_samples - each.block_samples) for each in (session, calling))
        part.ring_samples = delay + (MATCHING_DELAY_SAMPLES if way.matched else 0)
        inner, outer = (calling.box.clock, calling.block_samples), (session.box.clock, session.block_samples)

        def slipped(inward: bool) -> Callable[[int], None]:
            def tell(samples: int) -> None:
                time_s = self.engine.now / self.engine.ticks_per_second
                self._slipped(Slipped(streams.device.name, way.box.name, inward, time_s, samples))

            return tell

        if part.rows_in:
            part.ring_in = Ring(
                part.rows_in, outer, inner, delay, room, matched=way.matched, slipped=slipped(inward=True)
            )
        if part.rows_out:
            part.ring_out = Ring(
                part.rows_out, inner, outer, delay, room, matched=way.matched, slipped=slipped(inward=False)
            )
        self._feeders.setdefault(id(session), []).append(Feeder(part))
        return part

    def _start(self, session: DriverAtWork, turning: Sequence[Feeder | JoinedAtWork], priority: int) -> None:
        """Let rings turn at every call of a driver, in the order in which all calls come."""
        engine, turn = self.engine, engine_period(self.engine, session)
        begin = int(session.box.clock.start_s * engine.ticks_per_second)
        periods = 0

        def finish() -> None:
            nonlocal periods
            for call in range(session.calls_by(periods), session.calls_by(periods + 1)):
                for each in turning:
                    each.turn_rings(session.now(call))
            periods += 1
            engine.at(begin + (periods + 1) * turn, priority, finish)

        if turning:
            engine.at(begin + turn, priority, finish)

    def _keep_turning(self) -> None:
        self.turn()
        self.engine.at(self.engine.now + self._turn_ticks, SOUND_TURNS, self._keep_turning)

    def turn(self) -> None:
        """Work the sound of all that has happened since the last turn, from the converters to what is heard."""
        for session, (begin, period) in zip(self._sessions, self._periods, strict=True):
            session.finish(max(0, self.engine.now - begin) // period)
        self._hand_in(self._others)
        for caller in self._callers:
            self._hand_in(caller.ends)
            for program in caller.called:
                program.call()
            self._hand_out(caller.ends)
        self._hand_out(self._others)
        for out in self._heard:
            out.listen(int(self.engine.now * out.box.clock.rate / self.engine.ticks_per_second))

    def _hand_in(self, sessions: Sequence[DriverAtWork]) -> None:
        for session in sessions:
            session.hand_in()
            for feeder in self._feeders.get(id(session), []):
                feeder.hand_in()

    def _hand_out(self, sessions: Sequence[DriverAtWork]) -> None:
        for session in sessions:
            for feeder in self._feeders.get(id(session), []):
                feeder.hand_out()


def engine_period(engine: Engine, session: DriverAtWork) -> int:
    """How long a driver's period takes, in ticks."""
    return engine.ticks(session.period_samples, session.box.clock.rate)


def true_rates(found: Index, seed: int) -> dict[str, Fraction]:
    """How many samples a second each box really takes, by the clock that the first program is called by.

    A clock that was measured is off by as much; another one by something within its tolerance, drawn from the seed.
    """
    driving_streams = [streams.driving for streams in found.opened.values()]
    first: Interface | None = next((way.box for way in driving_streams if way is not None), None)
    first = first or next(iter(found.boxes), None)
    if first is None:
        return {}
    reference = _speed(found, found.paces[first.id].master, seed)
    return {box.id: box.rate_hz * _speed(found, found.paces[box.id].master, seed) / reference for box in found.boxes}


def _speed(found: Index, master: str, seed: int) -> Fraction:
    """How fast a clock runs: 1 is right. In whole billionths."""
    gear = found.gear.get(master)
    tolerance, measured = COMPUTER_TOLERANCE_PPM, None
    if isinstance(gear, Interface) and master != COMPUTER:
        tolerance, measured = gear.tolerance_ppm, gear.measured_ppm
    if measured is None:
        random = np.random.default_rng([seed, crc32(master.encode())])
        measured = float(random.uniform(-tolerance, tolerance))
    return 1 + Fraction(round(1000 * measured), 10**9)
