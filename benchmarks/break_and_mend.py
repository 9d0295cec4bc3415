"""Rigs that are well, broken by one act or two: how many are brought back by first remedies, and by one plan?

``python benchmarks/break_and_mend.py [RIGS] [ACTS]``: so many random rigs besides every example, broken by so many
acts (1). Every one that is not brought back is listed with what broke it and what was done. The random rigs are as
people set them up, planned until every line arrives.
"""

import random
import sys
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from desks import desk_bench
from iskelo.core.acts.every import acts_about, everything
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest, batch
from iskelo.core.edits.edit import Edit
from iskelo.core.linecheck.faults import faults_of
from iskelo.core.lines.context import read
from iskelo.core.plan import plan
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey, survey_again
from iskelo.demo.examples import EXAMPLES
from mending import arriving, first_mended

BREAKS_OF_AN_EXAMPLE, BREAKS_OF_A_RIG = 20, 2


def acts_of(rig: Rig) -> list[tuple[str, tuple[Edit, ...]]]:
    """What goes wrong in rooms and programs: every act, and every fault that can be switched on."""
    reading = read(rig)
    acts = acts_about(reading, everything(reading))
    faults = (fault for fault in faults_of(reading) if fault.area != "computer")
    return [*((act.words, act.edits) for act in acts), *((fault.words, fault.edits) for fault in faults)]


def by_plan(rig: Rig) -> bool:
    made = plan(survey_again(rig, None), rest=True)
    return made is not None and arriving(apply(rig, made.edits).rig) == len(rig.lines)


def broken(rig: Rig, chance: random.Random, count: int, at_once: int) -> Iterator[tuple[list[str], Rig]]:
    acts = acts_of(rig)
    for _ in range(60 * count):
        some = chance.sample(acts, min(at_once, len(acts)))
        after = rig
        try:
            for _, edits in some:
                after = apply(after, edits).rig
        except Refused:
            continue
        if arriving(after) < len(rig.lines):
            yield [words for words, _ in some], after
            count -= 1
        if count == 0:
            return


Wish = tuple[str, str, str, str] | tuple[str, str, str, str, str]
"""From, record to, heard at, within, and what it goes through."""


def _voices(chance: random.Random, most: int) -> str:
    count = chance.randint(2, most)
    return f"{count} mic {', '.join(f'Voice {number}' for number in range(1, count + 1))}"


def a_box(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    return (_voices(chance, 8), "box 8x8 Corvane"), []


def two_boxes(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    """The plan joins them, where one has not jacks enough."""
    return (_voices(chance, 8), "box 4x4 Corvane", "box 8x8 Pellow"), []


def a_mixer(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    return (_voices(chance, 8), "havra"), []


def a_small_mixer(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    return (_voices(chance, 2), "analogue mixer 8 Wherry"), []


def a_sampler(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    pads = chance.randint(2, 10)
    gear = (_voices(chance, 3), "box 8x8 Corvane", f"sampler {pads} Soundcase", "3 cable 8 Gully")
    return gear, [("soundcase", "longhand new", "", "")]


def a_call(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    wishes = [("farline", "longhand new", "", ""), ("mic", "", "far", ""), ("farline", "", "phones", "")]
    return (_voices(chance, 3), "box 4x4 Corvane", "call Farline", "cable 8 Gully"), wishes


def a_player(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    wishes = [("cartwheel 1", "", "room", ""), ("cartwheel 2", "", "phones", "")]
    return (_voices(chance, 4), "box 8x8 Corvane", "player Cartwheel", "speakers Room"), wishes


def a_stereo_source(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    return (_voices(chance, 3), "stereo instrument Organ", "box 8x8 Corvane"), [("organ", "longhand new", "", "")]


def a_mix(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    """All voices on one track besides, or in one pair of ears."""
    wish = chance.choice([("mix of mic", "longhand new", "", ""), ("mix of mic", "", "phones", "")])
    return (_voices(chance, 5), "box 8x8 Corvane"), [wish]


def a_main_mix(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    return (_voices(chance, 6), "havra"), [("mix of mic", "longhand new", "", "", "main of havra")]


def a_whole_output(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    gear = (_voices(chance, 2), "box 8x8 Corvane", f"sampler {chance.randint(2, 5)} Soundcase", "cable 8 Gully")
    return gear, [("main of soundcase", "longhand new", "", "")]


def through_outboard(chance: random.Random) -> tuple[tuple[str, ...], list[Wish]]:
    gear = (_voices(chance, 3), "line Deck", "box 8x8 Corvane", "compressor Anvil press")
    return gear, [("deck", "longhand new", "", "", "anvil")]


KINDS = (
    *(a_box, two_boxes, a_mixer, a_small_mixer, a_sampler, a_call, a_player, a_stereo_source),
    *(a_mix, a_main_mix, a_whole_output, through_outboard),
)


def set_up(chance: random.Random) -> Rig:
    """A rig as people set them up: voices and what else there is, recorded, maybe heard in time."""
    gear, further = chance.choice(KINDS)(chance)
    bench = desk_bench(*gear, "recorder Longhand", "headphones Phones")
    heard = chance.randint(0, 1) and not any(wish[2] == "phones" for wish in further)
    wishes: list[Wish] = [("mic", "longhand new", "phones" if heard else "", "15" if heard else ""), *further]
    for sources, record_to, heard_at, within, *through in wishes:
        wish = BatchRequest(
            sources=sources, record_to=record_to, heard_at=heard_at, within=within, through=",".join(through)
        )
        bench.do(*batch(bench.rig, wish, lambda mix: read(bench.rig).sounding_in(mix)))
    return bench.rig


def random_rigs(count: int, chance: random.Random) -> list[Rig]:
    """So many of them, planned; those that a plan does not serve whole are counted and left out."""
    kept: list[Rig] = []
    for number in range(1, count + 1):
        rig = set_up(chance)
        made = plan(survey_again(rig, None), rest=True)
        rig = apply(rig, made.edits).rig if made is not None else rig
        if arriving(rig) == len(rig.lines):
            kept.append(rig)
        else:
            left = [f"{line.name} {line.told}" for line in survey(rig).lines if line.headline != "arrives"]
            print(f"rig {number} ({', '.join(gear.name for gear in rig.gear)}) is not served whole: {'; '.join(left)}")
    print(f"{len(kept)} of {count} rigs are served whole by a plan")
    return kept


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    at_once = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    told: Counter[str] = Counter()
    chance = random.Random(5)
    examples = [(name, make(), BREAKS_OF_AN_EXAMPLE) for name, make in EXAMPLES.items()]
    rigs = [
        (f"random {number}", rig, BREAKS_OF_A_RIG) for number, rig in enumerate(random_rigs(count, chance), start=1)
    ]
    for name, rig, breaks in (*examples, *rigs):
        if arriving(rig) < len(rig.lines):
            continue
        for words, after in broken(rig, chance, breaks, at_once):
            told["broken"] += 1
            began = time.perf_counter()
            then, said = first_mended(after, 2 * at_once)
            mended = arriving(then) == len(rig.lines)
            told["seconds of remedies"] += round(time.perf_counter() - began)
            told["brought back by first remedies"] += mended
            planned = by_plan(after)
            told["brought back by one plan"] += planned
            if not mended or not planned:
                how = " and ".join(way for way, good in (("remedies", mended), ("plan", planned)) if not good)
                print(f"{name}, not by {how}: {' + '.join(words)}; made: {'; '.join(said) or 'nothing'}", flush=True)
    for what, number in told.items():
        print(f"{number:6d} {what}")


if __name__ == "__main__":
    main()
