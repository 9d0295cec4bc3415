"""Which fields of which thing a user may set, and what the screens and the history call them."""

from typing import Any

from iskelo.core.rig.gear import Aggregate, Destination, Driver, Interface, Member, Offsets, Source
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, LoadReading, Program, ProgramPort, Send, Track, Voice
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.rig.value import Value

SETTABLE: dict[type[Value], dict[str, str]] = {
    Rig: {
        "name": "name",
        "notes": "notes",
        "cores": "cores",
        "jitter_ms": "scheduling jitter (ms)",
        "show_minutes": "length of the recording (minutes)",
        "alignment_dbfs": "alignment (dBFS)",
    },
    Source: {
        "name": "name",
        "notes": "notes",
        "source_kind": "kind",
        "width": "width",
        "level_dbu": "level (dBu)",
        "level_unit": "level told in",
        "headroom_db": "headroom needed (dB)",
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
        "optical_in": "optical channels in",
        "optical_out": "optical channels out",
        "rates_hz": "rates offered (Hz)",
        "rate_hz": "rate (Hz)",
        "connected": "connected",
        "clock_source": "clock from",
        "tolerance_ppm": "clock tolerance (ppm)",
        "measured_ppm": "clock, measured (ppm)",
        "word_clock_in": "word clock input",
        "word_clock_out": "word clock output",
        "converter_in_samples": "converter in (samples)",
        "mixer_samples": "mixer (samples)",
        "link_kind": "link",
        "link_sample_bytes": "bytes a sample on the link",
        "link_in_samples": "link in (samples)",
        "link_out_samples": "link out (samples)",
        "converter_out_samples": "converter out (samples)",
        "input_full_scale_dbu": "input full scale (dBu)",
        "output_full_scale_dbu": "output full scale (dBu)",
        "phantom_jacks": "jacks with phantom supply",
        "phantom_on": "phantom supply on",
        "instrument_jacks": "jacks for instruments",
        "high_impedance_on": "high impedance on",
    },
    Aggregate: {
        "name": "name",
        "notes": "notes",
        "master": "clock master",
        "buffer_samples": "buffer (samples)",
        "margin_samples": "ring buffer margin (samples)",
        "align": "align members",
        "matches": "can match rates",
    },
    Driver: {
        "kind": "kind",
        "installed": "installed",
        "clients": "programs at a time",
        "capture": "capture channels shown",
        "playback": "playback channels shown",
        "buffers_samples": "buffers offered (samples)",
        "buffer_samples": "buffer (samples)",
        "set_in": "buffer and rate are set in",
        "engine_samples": "engine period (samples)",
        "safety_in_samples": "safety offset in (samples)",
        "safety_out_samples": "safety offset out (samples)",
        "offsets": "safety offsets known",
        "resamples": "resamples for programs at another rate",
        "resampling_samples": "resampling (samples)",
    },
    Program: {
        "name": "name",
        "notes": "notes",
        "program_kind": "kind",
        "driver": "driver",
        "matched": "input matched to the output's rate",
        "margin_samples": "ring buffer margin between its devices (samples)",
        "rate_hz": "rate (Hz)",
        "lets_go_in_background": "lets its device go in the background",
        "one_track_per_input": "one track an input",
        "one_file": "all tracks in one file",
        "pan_law": "pan law",
        "delay_compensation": "delay compensation",
        "mute_kills_pre": "mute silences sends before the fader",
        "compensates_samples": "moves overdubs by itself (samples)",
        "load_readings": "load meter",
        "spreads_over_cores": "spreads its work over cores",
        "read_ahead_samples": "read-ahead for what only plays (samples)",
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
        "pan": "pan",
        "effect_delay_samples": "effect delay (samples)",
    },
    Bus: {
        "name": "name",
        "width": "width",
        "output": "output",
        "gain_db": "gain (dB)",
        "muted": "muted",
        "effects": "effects mix",
        "effect_delay_samples": "effect delay (samples)",
    },
    Send: {"tap": "tap", "gain_db": "gain (dB)", "pan": "pan", "on": "on"},
    Voice: {
        "name": "name",
        "width": "width",
        "output": "output",
        "pan": "pan",
        "level_dbfs": "level (dBFS)",
        "headroom_db": "headroom needed (dB)",
    },
    Destination: {
        "name": "name",
        "notes": "notes",
        "destination_kind": "kind",
        "width": "width",
        "highest_dbu": "highest level (dBu)",
        "level_unit": "level told in",
    },
    Outboard: {
        "name": "name",
        "notes": "notes",
        "width": "width",
        "delay_samples": "delay (samples)",
        "rate_hz": "its rate (Hz)",
        "gain_db": "gain (dB)",
        "highest_dbu": "highest level (dBu)",
        "supplies_phantom": "supplies phantom power",
        "effects": "effects (wet)",
    },
    Patch: {"gain_db": "gain (dB)", "muted": "muted", "inverted": "polarity reversed"},
    Line: {
        "name": "name",
        "notes": "notes",
        "purpose": "purpose",
        "from_ports": "from",
        "to_ports": "to",
        "longest_delay_ms": "longest delay (ms)",
        "lowest_dbfs": "lowest level (dBFS)",
        "highest_dbfs": "highest level (dBFS)",
        "alone": "alone",
        "tag": "tag",
    },
}

FIGURES: dict[type[Value], tuple[str, ...]] = {
    Source: ("level_dbu",),
    Interface: (
        "converter_in_samples",
        "mixer_samples",
        "link_in_samples",
        "link_out_samples",
        "converter_out_samples",
        "tolerance_ppm",
        "measured_ppm",
        "input_full_scale_dbu",
        "output_full_scale_dbu",
    ),
    Outboard: ("delay_samples", "highest_dbu"),
    Driver: ("safety_in_samples", "safety_out_samples", "resampling_samples"),
}
"""The figures whose origin is kept."""


def say_value(value: Any) -> str:
    """A field's value as the history shows it."""
    match value:
        case None:
            return "none"
        case bool():
            return "on" if value else "off"
        case float():
            return f"{value:g}"
        case Member():
            return f"{value.device}{' matched' if value.matched else ''}"
        case Offsets():
            place = f"at {value.buffer_samples}, {value.rate_hz / 1000:g} kHz"
            return f"{value.in_samples} in and {value.out_samples} out {place} ({value.origin})"
        case LoadReading():
            return f"{value.percent:g} % at {value.buffer_samples}"
        case tuple() | list():
            return ", ".join(say_value(each) for each in value) or "none"
    return str(value)
