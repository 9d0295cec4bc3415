"""What a ledger is made of: values, for whoever reads one; nothing here runs or hears anything."""

from dataclasses import dataclass

from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import say_figure
from iskelo.core.twin.told import Missed, Slipped


@dataclass(frozen=True, slots=True)
class CopyRow:
    """One copy at a target: measured, and what was predicted for it (None where nothing was).

    ``predicted_spread``: so many samples more than predicted it may take.
    ``wet_db``: by so much it is louder for what comes through effects mixes at once; None if it is all wet.
    """

    delay_samples: float
    delay_ms: float
    level_dbfs: float
    polarity: int
    predicted_samples: float | None
    predicted_level_dbfs: float | None
    predicted_polarity: int | None
    wet_db: float | None = 0.0
    predicted_spread: float = 0.0

    @property
    def difference(self) -> float | None:
        """By how many samples it is not where it was predicted; None where nothing was."""
        if self.predicted_samples is None:
            return None
        late = self.delay_samples - self.predicted_samples
        return min(0.0, late) + max(0.0, late - self.predicted_spread)


@dataclass(frozen=True, slots=True)
class SoundRow:
    """One source at a target: wanted there or not, with its copies, earliest first.

    ``drift_ppm``: by so much the clock it came by is fast; ``drift_known_ppm`` is what was predicted, None if only the
    worst case is known. Delays of what drifts are those at the take's start. ``jumps``: samples of each slip heard.
    """

    source: Port
    name: str
    wanted: bool
    copies: tuple[CopyRow, ...]
    drift_ppm: float = 0.0
    drift_known_ppm: float | None = 0.0
    drift_worst_ppm: float = 0.0
    jumps: tuple[int, ...] = ()

    @property
    def dry(self) -> tuple[CopyRow, ...]:
        """Its copies, without what only effects mixes make of it."""
        return tuple(copy for copy in self.copies if copy.wet_db is not None)


@dataclass(frozen=True, slots=True)
class TargetRow:
    """One target leg.

    ``agrees``: all that can be told of it is as predicted; ``untold`` says what cannot be told, and why.
    ``state`` is *as wanted*, *silent*, *doubled*, *wrong speed*, *drifting*, *wrong polarity*, *others*, *unused*, or
    what keeps a line that ends here from being proved: its headline, or *not as wanted*.
    """

    channel: int
    target: Port
    name: str
    rate_hz: int
    noise_dbfs: float
    wanted: tuple[str, ...]
    sounds: tuple[SoundRow, ...]
    state: str
    words: str
    agrees: bool
    worst_difference_samples: float | None
    untold: str = ""


@dataclass(frozen=True, slots=True)
class LineRow:
    """One line's verdict by sound, with the mark its way had (see ``lines.proof``)."""

    line: str
    name: str
    proved: bool
    words: str
    mark: str = ""


@dataclass(frozen=True, slots=True)
class ClipRow:
    """Where clips of a leader lie on a track of its follower, in samples: predicted at least and at most, measured.

    Above nought is late; ``in_time``: it lies where it was played, at every start.
    """

    link: str
    leader: str
    follower: str
    track: str
    name: str
    predicted_least: float
    predicted_most: float
    measured: float | None
    agrees: bool
    in_time: bool
    words: str


@dataclass(frozen=True, slots=True)
class Ledger:
    """What a take showed. ``agreeing`` counts the targets where prediction and measurement agree, ``untold`` those of
    which not all can be told.

    ``missed``: the programs whose load meter was read, with the blocks they did not finish in time. ``slips``: every
    block that slipped between two clocks. ``clips``: what followers record of their leaders.
    """

    targets: tuple[TargetRow, ...]
    lines: tuple[LineRow, ...]
    as_wanted: int
    wanted: int
    agreeing: int
    offset_db: float
    missed: tuple[Missed, ...] = ()
    slips: tuple[Slipped, ...] = ()
    untold: int = 0
    clips: tuple[ClipRow, ...] = ()


@dataclass(frozen=True, slots=True)
class InsertHeard:
    """What came back: after how many samples (the later leg), how loud against what was sent, with which polarity.

    ``copies``: so many times, of the leg that came back most often.
    """

    samples: float
    rate_hz: int
    gain_db: float
    inverted: bool
    copies: int

    @property
    def words(self) -> str:
        """In words: 'Came back after 328 samples = 6.83 ms, 0 dB'."""
        ms = 1000 * self.samples / self.rate_hz
        level = f"{say_figure(round(self.gain_db, 1))} dB{', polarity reversed' if self.inverted else ''}"
        again = f", {self.copies} times" if self.copies > 1 else ""
        return f"Came back after {round(self.samples)} samples = {ms:.2f} ms, {level}{again}"
