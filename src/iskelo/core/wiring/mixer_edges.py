"""The hops inside a mixer: from its jacks and returns through strips, taps, feeds and mixes to jacks and channels."""

from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip, StripSource, StripTap
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.values import fact
from iskelo.core.wiring.blocks import Block, Setting
from iskelo.core.wiring.edge import Edge, edge_of, legs_of
from iskelo.core.wiring.hops import HopKind

TAPS: dict[StripTap, Bank] = {
    "direct": "strip_direct",
    "before the fader": "strip_pre",
    "behind the fader": "strip_post",
}
"""The bank of each tap of a strip."""


def mixer_edges(box: Interface, mixer: Mixer) -> list[Edge]:
    """Every hop inside one mixer. Hops that are as the gear's switches stand pass, others say which switch it is."""
    return _Compiled(box, mixer).edges


class _Compiled:
    def __init__(self, box: Interface, mixer: Mixer) -> None:
        self._box, self._mixer = box, mixer
        self.edges: list[Edge] = []
        self._soloed = any(strip.soloed for strip in mixer.strips)
        self._mixes = {mix.id: mix for mix in mixer.mixes}
        self._strips = {strip.id: strip for strip in mixer.strips}
        self._ends()
        for strip in mixer.strips:
            self._strip(strip)
        for mix in mixer.mixes:
            self._mix(mix)
        for feed in mixer.feeds:
            self._feed(feed)

    def _hop(
        self,
        kind: HopKind,
        start: Port,
        end: Port,
        owner: str,
        gain_db: float = 0.0,
        sign: int = 1,
        block: Block | None = None,
    ) -> None:
        self.edges.append(edge_of((start, end, kind, owner, gain_db, sign, block)))

    def _ends(self) -> None:
        """From jacks to preamplifiers, and to and from the computer and the output jacks."""
        box, analogue = self._box, self._mixer.analogue
        less_db, more_db = box.input_full_scale_dbu, box.output_full_scale_dbu
        kinds: tuple[HopKind, HopKind, HopKind, HopKind] = ("preamp", "to jack", "to computer", "from computer")
        if analogue:
            kinds = ("analogue preamp", "analogue to jack", "analogue to computer", "analogue from computer")
        preamp, to_jack, to_computer, from_computer = kinds
        for number, trim_db in enumerate(box.trims_db, start=1):
            gain_db = trim_db if analogue else trim_db - less_db
            self._hop(preamp, Port(box.id, "jack_in", number), Port(box.id, "preamp", number), box.id, gain_db)
        for number, trim_db in enumerate(box.output_trims_db, start=1):
            gain_db = trim_db if analogue else trim_db + more_db
            self._hop(to_jack, Port(box.id, "to_jack", number), Port(box.id, "jack_out", number), box.id, gain_db)
        gain_db = -less_db if analogue else 0.0
        for number in range(1, box.capture + 1):
            start, end = Port(box.id, "to_computer", number), Port(box.id, "capture", number)
            self._hop(to_computer, start, end, box.id, gain_db)
        gain_db = more_db if analogue else 0.0
        for number in range(1, box.playback + 1):
            start, end = Port(box.id, "playback", number), Port(box.id, "from_computer", number)
            self._hop(from_computer, start, end, box.id, gain_db)

    def _strip(self, strip: Strip) -> None:
        sign = -1 if strip.inverted else 1
        direct, point, pre, post = (
            legs_of(strip.id, bank, strip.width) for bank in ("strip_direct", "strip_point", "strip_pre", "strip_post")
        )
        for sources, back in ((strip.live, False), (strip.back, True)):
            away = None if back is strip.plays_back else _switched_away(strip, to_back=back)
            for source, end in zip(sources, direct, strict=False):
                self._hop("source", self._taken(source), end, strip.id, strip.trim_db, sign, away)
        shut = self._shut(strip)
        before = shut if self._mixer.mute_kills_pre else None
        for leg, (start, at, behind, out) in enumerate(zip(direct, point, pre, post, strict=True)):
            self._hop("effects", start, at, strip.id)
            self._insert(strip, leg, at, behind, before)
            self._hop("strip fader", behind, out, strip.id, strip.gain_db, 1, shut)
        if strip.soloed and self._mixer.solo != "in place":
            self._solo(strip, pre if self._mixer.solo == "before the fader" else post)

    def _taken(self, source: StripSource) -> Port:
        if source.mix is not None:
            return Port(source.mix, "mix_post", source.number)
        return Port(self._box.id, "preamp" if source.bank == "jack_in" else "from_computer", source.number)

    def _insert(self, strip: Strip, leg: int, point: Port, pre: Port, before: Block | None) -> None:
        insert = strip.insert
        if insert is None:
            self._hop("past", point, pre, strip.id, 0.0, 1, before)
            return
        off = None if insert.on else _insert_bypassed(strip)
        self._hop("insert send", point, Port(self._box.id, "to_jack", insert.send + leg), strip.id, 0.0, 1, off)
        back = Port(self._box.id, "preamp", insert.back + leg)
        self._hop("insert return", back, pre, strip.id, 0.0, 1, off or before)
        if not insert.on:
            self._hop("past", point, pre, strip.id, 0.0, 1, before)
        elif insert.dry_db is not None:
            self._hop("dry", point, pre, strip.id, insert.dry_db, 1, before)
        else:
            self._hop("past", point, pre, strip.id, 0.0, 1, _insert_in(strip))

    def _shut(self, strip: Strip) -> Block | None:
        """Why nothing passes a strip's fader."""
        if strip.muted and self._mixer.mute_key == "mutes":
            opened = Setting(strip.id, {"muted": False})
            return Block(fact("strip muted", strip=strip.id), strip.id, opened, fact("unmute strip", strip=strip.id))
        if self._mixer.solo == "in place" and self._soloed and not strip.soloed:
            return self._elsewhere()
        return None

    def _elsewhere(self) -> Block:
        """Others are soloed, and so this is not heard there."""
        soloed = [strip.id for strip in self._mixer.strips if strip.soloed]
        opened = _all_of(soloed, "soloed", value=False)
        return Block(fact("others soloed", box=self._box.id), f"{self._box.id}/solo", opened, fact("end solo"))

    def _solo(self, strip: Strip, tap: tuple[Port, ...]) -> None:
        pan = strip.pan if self._mixer.solo == "behind the fader" else None
        for mix in self._mixer.mixes:
            if mix.solo_here:
                for leg, into, turned_db in self._placed(strip.width, mix.width, pan):
                    self._hop("solo", tap[leg - 1], Port(mix.id, "mix", into), strip.id, turned_db)

    def _mix(self, mix: Mix) -> None:
        muted = None
        if mix.muted:
            opened = Setting(mix.id, {"muted": False})
            muted = Block(fact("mix muted", mix=mix.id), mix.id, opened, fact("unmute mix", mix=mix.id))
        starts, ends = legs_of(mix.id, "mix", mix.width), legs_of(mix.id, "mix_post", mix.width)
        for start, end in zip(starts, ends, strict=True):
            self._hop("mix fader", start, end, mix.id, mix.gain_db, 1, muted)

    def _feed(self, feed: Feed) -> None:
        box_id = self._box.id
        if feed.jack is not None:
            start, end = Port(box_id, "preamp", feed.jack), Port(box_id, "to_computer", feed.number)
            self._hop("raw", start, end, feed.id, feed.gain_db, 1, self._off(feed))
            return
        assert feed.item is not None
        strip = self._strips.get(feed.item)
        if strip is not None:
            taps, pan = legs_of(strip.id, TAPS[feed.tap], strip.width), strip.pan if feed.tap != "direct" else None
        else:
            taps, pan = legs_of(feed.item, "mix_post", self._mixes[feed.item].width), None
        pan = pan if feed.pan is None else feed.pan
        legs, block = legs_of(feed.id, "feed", len(taps)), self._off(feed)
        for tap, leg in zip(taps, legs, strict=True):
            self._hop("crosspoint", tap, leg, feed.id, feed.gain_db, 1, block)
        if feed.to is not None:
            ends = legs_of(feed.to, "mix", self._mixes[feed.to].width)
        else:
            bank: Bank = "to_computer" if feed.bank == "capture" else "to_jack"
            ends = tuple([Port(box_id, bank, number) for number in feed.ends])
        for number, into, turned_db in self._placed(len(legs), len(ends), pan):
            self._hop("pan", legs[number - 1], ends[into - 1], feed.id, turned_db)

    def _placed(self, width: int, into: int, pan: float | None) -> tuple[tuple[int, int, float], ...]:
        """Legs into legs; what is not panned goes to both sides at its own level."""
        if pan is None:
            return legs_into(width, into)
        return legs_into(width, into, self._mixer.pan_law, pan)

    def _off(self, feed: Feed) -> Block | None:
        """Why a feed does not play: it is off, the mute key stands the other way, or only solo is heard there."""
        if not feed.on:
            opened = Setting(feed.id, {"on": True})
            return Block(fact("feed off", feed=feed.id), feed.id, opened, fact("switch feed on", feed=feed.id))
        strip = self._strips.get(feed.item or "")
        moves = strip is not None and feed.key != "always" and self._mixer.mute_key == "moves"
        if strip is not None and moves and strip.muted is (feed.key == "key up"):
            key = fact("key is down" if strip.muted else "key is up", strip=strip.id)
            opened = Setting(strip.id, {"muted": not strip.muted})
            said = fact("let the key up" if strip.muted else "press the key", strip=strip.id)
            return Block(key, strip.id, opened, said)
        if feed.to is not None and self._soloed and self._mixer.solo != "in place" and self._mixes[feed.to].solo_here:
            return self._elsewhere()
        return None


def _all_of(items: list[str], field: str, *, value: bool) -> Setting | tuple[SetValues, ...]:
    if len(items) == 1:
        return Setting(items[0], {field: value})
    return tuple([SetValues(item=item, values={field: value}) for item in items])


def _switched_away(strip: Strip, *, to_back: bool) -> Block:
    opened = Setting(strip.id, {"plays_back": to_back})
    if to_back:
        return Block(fact("strip is live", strip=strip.id), strip.id, opened, fact("switch to return", strip=strip.id))
    return Block(fact("strip plays back", strip=strip.id), strip.id, opened, fact("switch to live", strip=strip.id))


def _insert_bypassed(strip: Strip) -> Block:
    opened = Setting(strip.id, strip.insert_with("on", True))
    about = f"{strip.id}/insert"
    return Block(fact("insert bypassed", strip=strip.id), about, opened, fact("put insert in", strip=strip.id))


def _insert_in(strip: Strip) -> Block:
    opened = Setting(strip.id, strip.insert_with("on", False))
    return Block(fact("insert in", strip=strip.id), f"{strip.id}/insert", opened, fact("bypass insert", strip=strip.id))
