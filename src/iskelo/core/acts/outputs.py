"""Acts on outputs: every voice of a program on an output of its own; and the device that a program opens."""

from collections.abc import Iterator

from iskelo.core.acts.act import IN_A_PROGRAM, Act, Near
from iskelo.core.edits.additions import SpreadVoices
from iskelo.core.edits.edit import Edit, SetDevice, SetValues
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program, Voice


def voice_acts(found: Index, about: Near) -> Iterator[Act]:
    """Voices that share an output given those of their names, or new ones; or, as it goes wrong, all the same one."""
    for program in found.programs():
        if program.id not in about.ids or len(program.voices) < 2:
            continue
        given = [voice.output for voice in program.voices if voice.output is not None]
        shared = [voice for voice in program.voices if given.count(voice.output or "") > 1]
        named = _by_name(program, shared)
        if named:
            words = f"Give the voices of {program.name} the outputs of their names"
            yield _act(program, words, [SetValues(item=voice, values={"output": out}) for voice, out in named.items()])
        if shared:
            words = f"Give every voice of {program.name} an output of its own"
            yield _act(program, words, [SpreadVoices(program=program.id)])
        for output in program.outputs[:1]:
            other = [voice for voice in program.voices if voice.output != output.id]
            words = f"Give all voices of {program.name} the output {output.name}"
            edits: list[Edit] = [SetValues(item=voice.id, values={"output": output.id}) for voice in other]
            if len(other) > 1:
                yield _act(program, words, edits, mends=False)


def _by_name(program: Program, shared: list[Voice]) -> dict[str, str]:
    """For voices that share an output, by id: an output of the same name and width, which they do not have yet."""
    outputs = {item.name: item for item in program.outputs}
    found = {}
    for voice in shared:
        own = outputs.get(voice.name)
        if own is not None and own.id != voice.output and len(own.legs) == voice.width:
            found[voice.id] = own.id
    return found


def _act(program: Program, words: str, edits: list[Edit], *, mends: bool = True) -> Act:
    touches = frozenset({program.id, *(voice.id for voice in program.voices)})
    return Act("outputs", words, tuple(edits), touches, 2 * IN_A_PROGRAM, mends)


DEVICES_AT_MOST = 6
"""So many other devices are tried for a program."""


def device_acts(found: Index, about: Near) -> Iterator[Act]:
    """Every program that is asked about on every other box or device that is joined."""
    for program in found.programs():
        if program.id not in about.ids or program.hosted is not None or program.device is None:
            continue
        # Devices of several boxes first: they are few, and have what names on a single one miss.
        devices: tuple[Interface | Aggregate, ...] = (*found.aggregates, *found.boxes)
        others = [each for each in devices if each.id != program.device]
        for device in others[:DEVICES_AT_MOST]:
            words = f"Give {program.name} the device {device.name}"
            edit = SetDevice(program=program.id, device=device.id)
            yield Act("devices", words, (edit,), frozenset({program.id, device.id}), 2 * IN_A_PROGRAM)
