"""Some of a rig kept as a part."""

from iskelo.core.edits.base import Refused, made, pruned
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.part import KINDS, Part, PartKind
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track, Voice
from iskelo.core.rig.rig import AnyGear, Patch, Rig


def kinds_of(rig: Rig, pieces: tuple[str, ...]) -> tuple[PartKind, ...]:
    """What there is to keep of these pieces of gear."""
    found = index(rig)
    gear = [each for each in rig.gear if each.id in pieces]
    programs = [each for each in gear if isinstance(each, Program)]
    boxes = [each for each in gear if isinstance(each, Interface) and each.cable is None]
    mixers = [box.mixer for box in boxes if box.mixer is not None]
    there: dict[PartKind, bool] = {
        "settings": True,
        "inputs": any(p.inputs for p in programs) or any(box.jack_in for box in boxes),
        "outputs": any(p.outputs for p in programs) or any(box.jack_out for box in boxes),
        "buses": any(p.buses for p in programs),
        "tracks": any(p.tracks for p in programs),
        "voices": any(p.voices for p in programs),
        "strips": any(mixer.strips for mixer in mixers),
        "mixes and feeds": any(mixer.mixes or mixer.feeds for mixer in mixers),
        "leads": any(_between(found, patch, pieces) for patch in rig.patches),
        "lines": any(_inside(found, (*line.from_ports, *line.to_ports), pieces) for line in rig.lines),
    }
    return tuple(kind for kind in KINDS if there[kind])


def keep(rig: Rig, pieces: tuple[str, ...], name: str, kinds: tuple[PartKind, ...] | None = None) -> Part:
    """Keep pieces of gear, or some kinds of what is in them, under a name.

    Raises
    ------
    Refused
        If one of them is not in the rig, or there is nothing of these kinds.
    """
    found = index(rig)
    for each in pieces:
        if each not in found.gear:
            raise Refused("part", "there is no such gear in this rig; it may have been removed")
    able = kinds_of(rig, pieces)
    kept = tuple(kind for kind in able if kinds is None or kind in kinds)
    if not kept:
        raise Refused("part", f"there is nothing of that to keep; there is {', '.join(able)}")
    beside = _beside(found, pieces)
    gear = tuple(_alone(each, {*pieces, *beside}, kept) for each in rig.gear if each.id in pieces or each.id in beside)
    fragment = rig.model_copy(
        update={
            "gear": gear,
            "patches": tuple(p for p in rig.patches if "leads" in kept and _between(found, p, pieces)),
            "lines": tuple(
                line
                for line in rig.lines
                if "lines" in kept and _inside(found, (*line.from_ports, *line.to_ports), pieces)
            ),
        }
    )
    fragment, _ = pruned(fragment, rig)
    order = tuple(each.id for each in fragment.gear if each.id in pieces)
    return made(Part, name, name=name, kinds=kept, pieces=order, rig=fragment)


def _between(found: Index, patch: Patch, pieces: tuple[str, ...]) -> bool:
    return _inside(found, (patch.from_port, patch.to_port), pieces)


def _inside(found: Index, ports: tuple[Port, ...], pieces: tuple[str, ...]) -> bool:
    return bool(ports) and all(found.exists(port) and found.gear_of(port.owner) in pieces for port in ports)


def _beside(found: Index, pieces: tuple[str, ...]) -> set[str]:
    """The devices that programs and joined devices among the pieces open: they tell what numbers stood for."""
    beside: set[str] = set()
    for identity in pieces:
        gear = found.gear[identity]
        if isinstance(gear, Program):
            beside |= {each for each in (gear.device, gear.output_device) if each is not None}
    for identity in (*pieces, *beside):
        joined = found.gear.get(identity)
        if isinstance(joined, Aggregate):
            # Its clock master may be a box that was a member and is none now.
            boxes = {*(member.device for member in joined.members), joined.master}
            beside |= {box for box in boxes if box in found.gear}
    return beside - set(pieces)


def _alone(gear: AnyGear, there: set[str], kinds: tuple[PartKind, ...]) -> AnyGear:
    """A piece without what ties it to gear that is not kept, and without items that nobody asked to keep."""
    if isinstance(gear, Interface) and gear.follows is not None and gear.follows not in there:
        return gear.model_copy(update={"follows": None, "clock_source": "computer"})
    if not isinstance(gear, Program):
        return gear
    hosted = gear.hosted if gear.hosted is not None and gear.hosted.leader in there else None
    update = {"hosted": hosted, "syncs": tuple(link for link in gear.syncs if link.sender in there)}
    tracks: tuple[Track, ...] = gear.tracks if "tracks" in kinds else ()
    voices: tuple[Voice, ...] = gear.voices if "voices" in kinds else ()
    if not voices:
        tracks = tuple(track for track in tracks if track.far_end is None)
    left = gear.model_copy(update={**update, "tracks": tracks, "voices": voices})
    return _without_unused(left, kinds)


def _without_unused(program: Program, kinds: tuple[PartKind, ...]) -> Program:
    """The program without buses, outputs and inputs that are of no kind to keep and that nothing kept refers to."""
    for field, kind in (("buses", "buses"), ("outputs", "outputs"), ("inputs", "inputs")):
        if kind in kinds:
            continue
        referred = {end for item in (*program.tracks, *program.voices, *program.buses) for end in _ends(item)}
        referred |= {send.to for send in program.sends if send.item in _givers(program)}
        several: tuple[Bus | ProgramPort, ...] = getattr(program, field)
        items = tuple(item for item in several if item.id in referred)
        program = program.model_copy(update={field: items})
    return program


def _givers(program: Program) -> set[str]:
    return {each.id for items in (program.tracks, program.voices, program.buses) for each in items}


def _ends(item: object) -> set[str]:
    insert = getattr(item, "insert", None)
    ends = {getattr(item, name, None) for name in ("input", "output")}
    ends |= {insert.send, insert.back} if insert is not None else set()
    return {each for each in ends if each is not None}
