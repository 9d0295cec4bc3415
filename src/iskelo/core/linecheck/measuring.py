"""A measuring run: the test signal goes out by an insert's send, and what comes back by its return is listened to.

Nothing else sounds, and the insert itself is bypassed, so that what comes back is not sent again.
"""

import math
from typing import Any

import numpy as np

from iskelo.core.linecheck.rows import InsertHeard
from iskelo.core.linecheck.run import SEED, CannotCheck
from iskelo.core.linecheck.sounds import play
from iskelo.core.rig.device_streams import OpenDevice
from iskelo.core.rig.gear import Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramInsert, Track, Voice
from iskelo.core.rig.rig import AnyGear, Rig
from iskelo.core.signals.comb import PERIOD_SECONDS, PERIODS_PLAYED, TAIL_SECONDS
from iskelo.core.signals.detect import detect
from iskelo.core.twin.run import run_twin
from iskelo.core.twin.told import CannotFollow

PLAYED_DBFS = -18.0


def measure_insert(rig: Rig, item: str) -> InsertHeard:
    """Find the round trip of what hangs in a track or a bus, by sound.

    Parameters
    ----------
    rig
        A rig that holds together.
    item
        The track or bus in which something hangs.

    Raises
    ------
    CannotCheck
        When nothing hangs there, nothing runs, or nothing comes back.
    """
    found = index(rig)
    placed = found.items.get(item)
    hanging = placed.item if placed is not None and isinstance(placed.item, Track | Bus) else None
    insert = hanging.insert if hanging is not None else None
    streams = found.opened.get(placed.program.id) if placed is not None else None
    if placed is None or hanging is None or insert is None or streams is None:
        raise CannotCheck("Nothing hangs there, or its program has no device.")
    alone, taken = _alone(rig, found, placed.program, hanging, insert, streams)
    rates = sorted({box.rate_hz for box in index(alone).boxes})
    combs, sounds = play(alone, rates, 0.0, SEED)
    try:
        take = run_twin(alone, sounds, PERIODS_PLAYED * PERIOD_SECONDS + TAIL_SECONDS, seed=SEED)
    except CannotFollow as cannot:
        raise CannotCheck(str(cannot)) from None
    delays, gains, inverted, copies = [], [], False, 1
    rate_hz = streams.device.rate_hz
    for leg in range(1, hanging.width + 1):
        port = Port(taken, "track", leg)
        channel = next((each for each in take if each.port == port), None)
        heard = detect(channel.samples[np.newaxis], combs[channel.rate_hz]).heard if channel is not None else ()
        own = next((each for each in heard if each.source == leg - 1), None)
        if channel is None or own is None:
            side = "" if hanging.width == 1 else " on the left" if leg == 1 else " on the right"
            raise CannotCheck(f"Nothing came back{side}: see what is plugged where it goes out and comes in.")
        rate_hz = channel.rate_hz
        first = own.copies[0]
        delays.append(first.delay_samples)
        gains.append(20 * math.log10(first.gain * math.sqrt(2)) - PLAYED_DBFS)
        inverted = inverted or first.polarity < 0
        copies = max(copies, len(own.copies))
    return InsertHeard(max(delays), rate_hz, gains[0], inverted, copies)


def _alone(
    rig: Rig, found: Index, program: Program, hanging: Track | Bus, insert: ProgramInsert, streams: OpenDevice
) -> tuple[Rig, str]:
    """The rig with nothing that sounds but a signal into the send, and a track that takes the return."""
    voice, taken = f"v{rig.next_number}", f"t{rig.next_number + 1}"
    off = hanging.model_copy(update={"insert": insert.model_copy(update={"on": False})})
    signal = Voice(id=voice, name="Test signal", width=hanging.width, output=insert.send, level_dbfs=PLAYED_DBFS)
    back = Track(id=taken, name="What comes back", width=hanging.width, input=insert.back)
    gear: list[AnyGear] = []
    for each in rig.gear:
        if isinstance(each, Program):
            voices = {voice.id for voice in each.voices}
            sends = tuple(send for send in each.sends if send.item not in voices)
            gear.append(each.model_copy(update={"voices": (), "sends": sends}))
        elif not isinstance(each, Source):
            gear.append(each)
    at = next(place for place, each in enumerate(gear) if each.id == program.id)
    field = "tracks" if isinstance(hanging, Track) else "buses"
    update: dict[str, Any] = {
        "tracks": program.tracks,
        field: tuple(off if item.id == off.id else item for item in getattr(program, field)),
        "voices": (signal,),
        "one_track_per_input": False,
        "delay_compensation": False,
        # At another rate than its device's it would play at another speed, unless the driver resamples.
        "rate_hz": program.rate_hz if streams.converts else None,
    }
    update["tracks"] = (*update["tracks"], back)
    gear[at] = gear[at].model_copy(update=update)
    patches = tuple(patch for patch in rig.patches if not isinstance(found.gear.get(patch.from_port.owner), Source))
    alone = {"gear": tuple(gear), "patches": patches, "lines": (), "next_number": rig.next_number + 2}
    return rig.model_copy(update=alone), taken
