"""The rigs that ship with Iskelo, by the name they are asked for."""

from collections.abc import Callable

from iskelo.core.rig.rig import Rig
from iskelo.demo.company import whole_company
from iskelo.demo.legs_to_a_recorder import legs_to_a_recorder
from iskelo.demo.orrin_point import orrin_point
from iskelo.demo.outboard_insert import outboard_insert
from iskelo.demo.two_boxes import two_boxes
from iskelo.demo.two_voices import two_voices_on_one_box
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer

EXAMPLES: dict[str, Callable[[], Rig]] = {
    "orrin-point": whole_company,
    "orrin-point-rehearsal": orrin_point,
    "two-voices-on-one-box": two_voices_on_one_box,
    "two-boxes-as-one": two_boxes,
    "outboard-on-an-insert": outboard_insert,
    "voices-before-the-faders": legs_to_a_recorder,
    "main-mix-and-raw-voices": voices_on_a_mixer,
}
