"""The levels that figures of gear are told from."""

import math

DBU_REFERENCE_VOLTS = math.sqrt(0.6)
"""0 dBu: the voltage that puts 1 mW into 600 ohms, 0.7746 V."""

DBV_TO_DBU = 20 * math.log10(1 / DBU_REFERENCE_VOLTS)
"""0 dBV (1 V) in dBu: 2.218."""

PROFESSIONAL_DBU, CONSUMER_DBV = 4.0, -10.0
"""Nominal levels of professional and consumer gear; common practice, no published source."""

CONSUMER_BELOW_PROFESSIONAL_DB = PROFESSIONAL_DBU - CONSUMER_DBV - DBV_TO_DBU
"""+4 dBu less -10 dBV: 11.78 dB."""


HALF_DB = 20 * math.log10(0.5)
"""Half the voltage, in dB: -6.02."""


def say_figure(value: float, digits: int | None = None) -> str:
    """A figure as people read it, with a minus that is one: '−18.0', '20'. Without ``digits`` as short as it is."""
    said = f"{value + 0.0:g}" if digits is None else f"{value:.{digits}f}"
    return said.replace("-", "−")
