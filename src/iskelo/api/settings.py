"""What the server needs to know from outside."""

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Settings:
    """``web_dir`` holds the built screens; None serves the API alone."""

    database_url: str
    web_dir: Path | None = None
