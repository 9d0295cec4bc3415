"""One channel of a program sent straight across to the program that mixes it, past its own mix, and set back again."""

from collections.abc import Iterator

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, pruned, with_gear
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.device_streams import OpenDevice
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.programs import Program, ProgramPort, Straight, Track
from iskelo.core.rig.rig import Rig


@apply_one.register
def _(edit: e.SendStraight, rig: Rig) -> Applied:
    found = index(rig)
    placed = found.items.get(edit.item)
    if placed is None or not isinstance(placed.item, Track):
        raise Refused(edit.item, "only a track of a program can be sent straight across")
    track, sender, receiver = placed.item, placed.program, gear_of(rig, edit.to, Program)
    place = f"{sender.name}, track {track.name}"
    if track.straight is not None:
        raise Refused(place, "it is sent straight across already")
    if track.output is None:
        raise Refused(place, "it goes nowhere yet; give it an output first")
    box, first = _room(found, sender, receiver, track.width)
    out, into = found.opened[sender.id], found.opened[receiver.id]
    numbers = range(first, first + track.width)
    rig, (output, taken, strip) = new_ids(rig, "o", 3)
    taken, strip = f"i{taken[1:]}", f"t{strip[1:]}"
    name = free_name(f"{track.name} straight"[:80], [each.name for each in sender.outputs])
    there = [out.channel("playback", box.id, number) for number in numbers]
    here = [into.channel("capture", box.id, number) for number in numbers]
    onward = _onward(found, sender, receiver, track.output)
    across = Straight(output=output, back_to=track.output)
    sender = changed(
        sender,
        sender.name,
        outputs=(*sender.outputs, made(ProgramPort, place, id=output, name=name, legs=there)),
        tracks=tuple(
            each.model_copy(update={"output": output, "straight": across}) if each is track else each
            for each in sender.tracks
        ),
        enabled_out=_opened(sender.enabled_out, there),
    )
    receiver = changed(
        receiver,
        receiver.name,
        inputs=(*receiver.inputs, made(ProgramPort, place, id=taken, name=name, legs=here)),
        tracks=(
            *receiver.tracks,
            made(
                Track,
                place,
                id=strip,
                name=free_name(name, [each.name for each in receiver.tracks]),
                width=track.width,
                input=taken,
                output=onward,
                armed=False,
                monitored=True,
            ),
        ),
        enabled_in=_opened(receiver.enabled_in, here),
    )
    rig = with_gear(with_gear(rig, sender), receiver)
    return Applied(rig, f"{place}: sent straight across to {receiver.name} by {box.name} {first}")


def _opened(enabled: tuple[int, ...], channels: list[int | None]) -> tuple[int, ...]:
    return tuple(sorted({*enabled, *(each for each in channels if each is not None)}))


def _room(found: Index, sender: Program, receiver: Program, width: int) -> tuple[Interface, int]:
    """The first free channels of a cable that both reach."""
    out, into = found.opened.get(sender.id), found.opened.get(receiver.id)
    if out is None or into is None or sender.id == receiver.id:
        raise Refused(receiver.name, f"{sender.name} and it must both have devices")
    for box in found.boxes:
        if box.cable is None or not (found.reaches(sender, box.id) and found.reaches(receiver, box.id)):
            continue
        used = {number for program in found.programs() for number in _used(found, program, box)}
        for first in range(1, box.capture - width + 2, width):
            numbers = range(first, first + width)
            if used.isdisjoint(numbers) and _reached(out, into, box, numbers):
                return box, first
    raise Refused(
        receiver.name,
        f"no cable that {sender.name} and it both reach has {'a channel' if width == 1 else 'two channels'} free",
    )


def _reached(out: OpenDevice, into: OpenDevice, box: Interface, numbers: range) -> bool:
    return all(
        out.channel("playback", box.id, number) is not None and into.channel("capture", box.id, number) is not None
        for number in numbers
    )


def _used(found: Index, program: Program, box: Interface) -> Iterator[int]:
    """The channels of a box that a program's inputs and outputs are on."""
    streams = found.opened.get(program.id)
    if streams is None:
        return
    for items, bank in ((program.inputs, "capture"), (program.outputs, "playback")):
        for item in items:
            for leg in item.legs:
                at = streams.at("capture" if bank == "capture" else "playback", leg) if leg is not None else None
                if at is not None and at[0].box.id == box.id:
                    yield at[1]


def _onward(found: Index, sender: Program, receiver: Program, mix: str) -> str | None:
    """Where the receiver sends what it takes of that mix; its first output, if it takes none of it."""
    out, into = found.opened[sender.id], found.opened[receiver.id]
    item = found.items[mix].item
    played = set()
    if isinstance(item, ProgramPort):
        ats = [out.at("playback", leg) for leg in item.legs if leg is not None]
        played = {(at[0].box.id, at[1]) for at in ats if at is not None}
    for track in receiver.tracks:
        taken = next((each for each in receiver.inputs if each.id == track.input), None)
        ats = [into.at("capture", leg) for leg in taken.legs if leg is not None] if taken is not None else []
        if track.output is not None and played & {(at[0].box.id, at[1]) for at in ats if at is not None}:
            return track.output
    return receiver.outputs[0].id if receiver.outputs else None


@apply_one.register
def _(edit: e.SetBack, rig: Rig) -> Applied:
    found = index(rig)
    placed = found.items.get(edit.item)
    if placed is None or not isinstance(placed.item, Track) or placed.item.straight is None:
        raise Refused(edit.item, "it is not sent straight across")
    track, sender, straight = placed.item, placed.program, placed.item.straight
    streams = found.opened.get(sender.id)
    played = {
        (at[0].box.id, at[1])
        for item in sender.outputs
        if item.id == straight.output
        for leg in item.legs
        if leg is not None and streams is not None and (at := streams.at("playback", leg)) is not None
    }
    sender = sender.model_copy(
        update={
            "outputs": tuple(item for item in sender.outputs if item.id != straight.output),
            # There again, it needs no send besides.
            "sends": tuple(each for each in sender.sends if (each.item, each.to) != (track.id, straight.back_to)),
            "tracks": tuple(
                each.model_copy(update={"output": straight.back_to, "straight": None}) if each is track else each
                for each in sender.tracks
            ),
        }
    )
    rig = with_gear(rig, sender)
    for program in found.programs():
        if program.id != sender.id:
            rig = _without_strips(rig, found, program, played)
    rig, lost = pruned(rig, found.rig)
    said = f"{sender.name}, track {track.name}: set back to {found.name(straight.back_to)}"
    return Applied(rig, "; ".join([said, *lost]))


def _without_strips(rig: Rig, found: Index, program: Program, played: set[tuple[str, int]]) -> Rig:
    """A program without the inputs that take nothing but these channels, and the tracks that take those."""
    streams = found.opened.get(program.id)
    idle = set()
    for item in program.inputs if streams is not None else ():
        ats = [streams.at("capture", leg) for leg in item.legs if leg is not None] if streams is not None else []
        taken = {(at[0].box.id, at[1]) for at in ats if at is not None}
        if taken and taken <= played:
            idle.add(item.id)
    if not idle:
        return rig
    kept = program.model_copy(
        update={
            "inputs": tuple(item for item in program.inputs if item.id not in idle),
            "tracks": tuple(track for track in program.tracks if track.input not in idle),
        }
    )
    return with_gear(rig, kept)
