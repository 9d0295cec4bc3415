"""Takes as multichannel WAV files, through libsndfile."""

import io
import itertools
from collections.abc import Callable
from typing import Any

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


class _Parts(io.RawIOBase):
    """A file whose bytes are fetched when they are read."""

    def __init__(self, part: Callable[[int, int], bytes], size: int) -> None:
        self._part, self._size, self._at = part, size, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        begin = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence]
        self._at = max(0, begin + offset)
        return self._at

    def readinto(self, buffer: Any) -> int:
        wanted = min(len(buffer), self._size - self._at)
        if wanted <= 0:
            return 0
        data = self._part(self._at, wanted)
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)


FETCHED_BYTES = 4 * 1024 * 1024
FRAMES_AT_ONCE = 65_536


def read_channel(part: Callable[[int, int], bytes], size: int, place: int) -> NDArray[np.float32]:
    """One channel of a WAV file of which ``part(start, count)`` gives bytes; only a few of them are held at a time.

    Parameters
    ----------
    size
        The file's length in bytes.
    place
        The channel, from nought.
    """
    with soundfile.SoundFile(io.BufferedReader(_Parts(part, size), FETCHED_BYTES)) as file:
        channel = np.empty(file.frames, np.float32)
        at = 0
        for block in file.blocks(FRAMES_AT_ONCE, dtype="float32", always_2d=True):
            channel[at : at + len(block)] = block[:, place]
            at += len(block)
    return channel[:at]


def peaks(channel: Samples, bins: int) -> list[tuple[float, float]]:
    """Lowest and highest sample in each of ``bins`` stretches of a channel, for drawing it."""
    edges = np.linspace(0, len(channel), bins + 1).astype(int)
    return [
        (float(channel[a:b].min()), float(channel[a:b].max())) if b > a else (0.0, 0.0)
        for a, b in itertools.pairwise(edges)
    ]
