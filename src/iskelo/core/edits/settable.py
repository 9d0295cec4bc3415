"""Which fields of which thing a user may set, and what the screens and the history call them."""

from typing import Any

from iskelo.core.rig.gear import (
    Destination,
    Driver,
    Interface,
    Program,
    ProgramPort,
    Source,
    Track,
    Value,
)
from iskelo.core.rig.rig import Line, Patch, Rig

SETTABLE: dict[type[Value], dict[str, str]] = {
    Rig: {"name": "name", "notes": "notes"},
    Source: {
        "name": "name",
        "notes": "notes",
        "source_kind": "kind",
        "width": "width",
        "level_dbu": "level (dBu)",
        "needs_phantom": "phantom supply",
        "needs_high_impedance": "high-impedance input",
    },
    Interface: {
        "name": "name",
        "notes": "notes",
        "jack_in": "input jacks",
        "jack_out": "output jacks",
        "capture": "capture channels",
        "playback": "playback channels",
        "rates_hz": "rates offered (Hz)",
        "rate_hz": "rate (Hz)",
        "converter_in_samples": "converter in (samples)",
        "mixer_samples": "mixer (samples)",
        "link_in_samples": "link in (samples)",
        "link_out_samples": "link out (samples)",
        "converter_out_samples": "converter out (samples)",
        "input_full_scale_dbu": "input full scale (dBu)",
    },
    Driver: {
        "buffers_samples": "buffers offered (samples)",
        "buffer_samples": "buffer (samples)",
        "safety_in_samples": "safety offset in (samples)",
        "safety_out_samples": "safety offset out (samples)",
    },
    Program: {
        "name": "name",
        "notes": "notes",
        "enabled_in": "enabled inputs",
        "enabled_out": "enabled outputs",
    },
    ProgramPort: {"name": "name", "legs": "channels"},
    Track: {
        "name": "name",
        "width": "width",
        "input": "input",
        "output": "output",
        "armed": "armed",
        "monitored": "monitored",
        "muted": "muted",
        "gain_db": "gain (dB)",
        "effect_delay_samples": "effect delay (samples)",
    },
    Destination: {"name": "name", "notes": "notes", "destination_kind": "kind", "width": "width"},
    Patch: {"gain_db": "gain (dB)", "muted": "muted", "inverted": "turned over"},
    Line: {
        "name": "name",
        "notes": "notes",
        "purpose": "purpose",
        "from_ports": "from",
        "to_ports": "to",
        "longest_delay_ms": "longest delay (ms)",
        "alone": "alone",
    },
}


def say_value(value: Any) -> str:
    """A field's value as the history shows it."""
    match value:
        case None:
            return "none"
        case bool():
            return "on" if value else "off"
        case float():
            return f"{value:g}"
        case tuple() | list():
            return ", ".join(say_value(each) for each in value) or "none"
    return str(value)
