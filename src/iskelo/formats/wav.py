"""Takes as multichannel WAV files, through libsndfile."""

import io
import itertools

import numpy as np
import soundfile
from numpy.typing import NDArray

Samples = NDArray[np.float32]


def write_wav(channels: list[Samples], rate_hz: int) -> bytes:
    """A 24-bit WAV of these channels (the extensible format for more than two).

    Parameters
    ----------
    channels
        One array each, equally long, full scale 1.0; what lies beyond is clipped.
    """
    file = io.BytesIO()
    soundfile.write(
        file,
        np.stack(channels, axis=1),
        rate_hz,
        subtype="PCM_24",
        format="WAVEX" if len(channels) > 2 else "WAV",
    )
    return file.getvalue()


def read_wav(data: bytes) -> tuple[Samples, int]:
    """Samples of shape (channels, samples) and the rate of a WAV file."""
    samples, rate_hz = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True)
    return np.ascontiguousarray(samples.T), int(rate_hz)


def peaks(channel: Samples, bins: int) -> list[tuple[float, float]]:
    """Lowest and highest sample in each of ``bins`` stretches of a channel, for drawing it."""
    edges = np.linspace(0, len(channel), bins + 1).astype(int)
    return [
        (float(channel[a:b].min()), float(channel[a:b].max())) if b > a else (0.0, 0.0)
        for a, b in itertools.pairwise(edges)
    ]
