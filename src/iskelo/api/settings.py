"""What the server needs to know from outside."""

import gc
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Settings:
    """``web_dir`` holds the built screens; None serves the API alone. ``data_dir`` keeps our own database, if we have
    one. ``walk``: telephones in the network around may see set-up lists, and nothing else.
    """

    database_url: str
    web_dir: Path | None = None
    data_dir: Path | None = None
    walk: bool = False


def quiet_collector() -> None:
    """Let Python look for circles of garbage seldom: a survey makes many objects, and none of them are circles."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(100_000, 20, 20)
