"""New cables."""

from iskelo.core.rig.cables import Cable
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Interface


def new_cable(name: str, channels: int) -> Interface:
    """A cable on the computer's timer, which any number of programs open, each at its own buffer."""
    return Interface(
        id="n1",
        name=name,
        jack_in=0,
        jack_out=0,
        capture=channels,
        playback=channels,
        converter_in_samples=0,
        mixer_samples=0,
        converter_out_samples=0,
        clock_source="computer",
        link_kind="built in",
        drivers=(Driver(id="n2", own_blocks=True),),
        cable=Cable(),
    )
