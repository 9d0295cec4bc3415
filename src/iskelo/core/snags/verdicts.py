"""What each finding about a line takes: to be told, to be disproved by sound, to be mended. ``docs/verdicts.md``.

The headline is the first that holds, in the order of the findings. A line is *proved* when by the plan it *arrives*,
what was heard is what was predicted (its copies, their delay to the sample within one clock and to one sample between
matched ones, their level within half a decibel, their polarity), and what was heard keeps all the line asks for.
"""

from typing import NamedTuple

from iskelo.core.lines.findings import HEADLINES, Headline
from iskelo.core.snags.registry import RULES


class Verdict(NamedTuple):
    """One finding: when it is told, what the ledger must show instead before the line is proved, and what mends it."""

    told: str
    proved: str
    mended: str


VERDICTS: dict[Headline, Verdict] = {
    "silent": Verdict(
        "no route joins any leg, or all copies of what arrives cancel each other",
        "every leg is heard",
        "the cheapest list of edits that joins both ends (Dijkstra), directly or through the computer; of copies that "
        "cancel, one is closed",
    ),
    "half silent": Verdict(
        "of a line with two legs one arrives and the other does not; of several sources some do",
        "both legs, and every source, are heard",
        "the track as wide as its input, both legs on one channel, or what joins the silent leg",
    ),
    "blocked": Verdict(
        "a route leads there, and somewhere on it sound does not pass",
        "every leg is heard",
        "opening what is shut: arming, enabling, installing, connecting, a driver that shows the channel",
    ),
    "crossed": Verdict(
        "it arrives where another line's sound belongs instead of its own, or left and right are swapped or mixed",
        "each sound is heard at its own target, and on its own side",
        "the leads or the input put right, the stray sent away",
    ),
    "howls": Verdict(
        "what its source reaches goes round with a gain of nought dB or more, and on to its target; or several loops, "
        "each below nought, that only polarity may hold together",
        "nothing goes round there that could grow",
        "the switch, lead or fader that opens every loop and takes the fewest lines with it; one gain of the loop "
        "turned down to 6 dB below nought",
    ),
    "doubled": Verdict(
        "two or more ways lead to one target",
        "one copy is heard; two that come at once are predicted and heard as one",
        "one of the ways closed: direct monitoring, the program's monitoring, the second lead",
    ),
    "crowded": Verdict(
        "others arrive at the target of a line that wants to be alone there",
        "no other source is heard there",
        "the way of the others closed where the line does not share it",
    ),
    "other way": Verdict(
        "it says what it passes, or what it never should, and some copy of it goes another way",
        "by the plan every copy goes as the line says, and it is heard as loud and as late as that promises",
        "the cheapest way that it names, outboard gear hung into the lead that is there; the act that shuts the other",
    ),
    "off speed": Verdict(
        "a program plays or records at another rate than its device runs at, and nothing resamples it",
        "it plays at the rate it was made for, and what is recorded at the rate its file tells",
        "the program set to its device's rate, or the device to the program's",
    ),
    "drifting": Verdict(
        "it passes between two clocks that nothing holds together",
        "its clock is the player's; no block slips",
        "the rate matched, or one box led by the other's clock",
    ),
    "inverted": Verdict(
        "an odd number of leads on its way reverse its polarity",
        "its polarity is positive",
        "the lead that reverses it replaced by a straight one",
    ),
    "other tap": Verdict(
        "a record line that says at which tap of a mixer it is wanted is taken at another one",
        "by the plan it is taken at the wanted tap, and it is heard as loud and as late as that promises",
        "the wanted tap laid on the channel that it comes by",
    ),
    "skewed": Verdict(
        "its sides come at times whose sum has a notch below 20 kHz, or at levels more than 1 dB apart; or it is "
        "recorded with others that come through another box at another time",
        "both sides, and what is recorded together, come with the delays that were predicted to be equal",
        "the members of the device padded to the longest; the stage that is wrong on the softer side turned",
    ),
    "rings": Verdict(
        "what its source reaches goes round, losing less than 20 dB at every turn, and on to its target; not where it "
        "goes round through effects",
        "no copies of it are heard",
        "the switch, lead or fader that opens every loop and takes the fewest lines with it",
    ),
    "late": Verdict(
        "the latest copy takes longer than the line's longest delay",
        "it is heard within the limit",
        "the smallest change of any buffer on its way; direct monitoring instead",
    ),
    "hot": Verdict(
        "somewhere that can clip there is less headroom than alignment leaves (or its source is said to need, or the "
        "line's window allows); different sources add up to less than 12 dB under full scale; or it is above its "
        "window",
        "it is heard within its window and with its headroom, and nothing is above full scale",
        "the stage that stands wrong turned back, the furthest off first; a sum turned down at every source alike",
    ),
    "low": Verdict(
        "it comes under its window",
        "it is heard within its window",
        "the stage that stands wrong turned back, the furthest off first, before any stage that stands right",
    ),
    "arrives": Verdict(
        "nothing else is found",
        "what was heard is what was predicted, and keeps all the line asks for",
        "nothing to mend",
    ),
}


TOLD_BY: dict[Headline, str] = dict.fromkeys(("howls", "rings"), "sound goes round")
"""Findings that have no snag of their own: what goes round is told once for all lines it reaches."""


def verdicts_table() -> str:
    """The findings as a document, with the snags of gear that explain each."""
    rows = [
        "# Verdicts",
        "",
        "Made from the rules by `./iskelo types`.",
        "",
        (__doc__ or "").partition("\n\n")[2].strip(),
    ]
    rows += ["", "| finding | told when | proved only when | mended by | explained by |", "|---|---|---|---|---|"]
    for kind in HEADLINES:
        rule = f"line-{kind.replace(' ', '-')}"
        causes = ", ".join(known.name.replace("-", " ") for known in RULES if rule in known.explains)
        causes = TOLD_BY.get(kind, causes)
        rows.append(f"| {kind} | {' | '.join(VERDICTS[kind])} | {causes or '—'} |")
    return "\n".join([*rows, ""])
