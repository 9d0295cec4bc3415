"""Copies in words."""

from iskelo.core.timing.copies import Comb


def say_comb(found: Comb) -> str:
    """Two copies in words: how far apart, which notches."""
    if found.delay_samples == 0:
        return "both at the same time" + (", one with its polarity reversed" if found.inverted else "")
    apart = f"{found.delay_samples:g} samples = {found.delay_ms:.2f} ms apart"
    if not found.notches_hz:
        return apart
    turned = ", one with its polarity reversed" if found.inverted else ""
    return f"{apart}{turned}; notches {', '.join(f'{hz:.0f}' for hz in found.notches_hz)} Hz"
