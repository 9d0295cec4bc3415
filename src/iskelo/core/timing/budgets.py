"""What a file has room for."""

FILE_LIMIT_BYTES = 2**32
"""A plain WAV counts its bytes in 32 bits; larger ones need the 64-bit form (ITU-R BS.2088, from memory)."""

FILE_SAMPLE_BYTES = 3
"""Recorders write 24 bits. Common practice, no published source."""


def recording_bytes_per_s(channels: int, rate_hz: int) -> int:
    """Example: 32 channels at 48 kHz: 4 608 000 bytes a second."""
    return channels * FILE_SAMPLE_BYTES * rate_hz


def seconds_to_limit(channels: int, rate_hz: int) -> float:
    """When a plain WAV of so many channels is full. Example: 32 at 48 kHz after 932 s, 15 min 32 s."""
    return FILE_LIMIT_BYTES / recording_bytes_per_s(channels, rate_hz)
