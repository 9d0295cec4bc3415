"""What a file is called that is saved from the browser."""

import re
from urllib.parse import quote

UNSAFE = r'[\\/:*?"<>|\x00-\x1f\x7f]'
"""Characters that some system does not allow in a file's name."""


def attachment(name: str) -> str:
    """A Content-Disposition header for a name in any script (RFC 6266, RFC 8187).

    Example: ``attachment; filename="Zwlf.wav"; filename*=UTF-8''Zw%C3%B6lf.wav``.
    """
    safe = re.sub(UNSAFE, "-", name).strip(" .")
    plain = safe.encode("ascii", "ignore").decode()
    return f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(safe, safe='')}"
