"""A file that cannot be read: the place in it and the reason."""


class Unreadable(ValueError):
    """``place`` says where in the file, ``reason`` why, in words for the person who sent it."""

    def __init__(self, place: str, reason: str) -> None:
        super().__init__(f"{place}: {reason}" if place else reason)
        self.place = place
        self.reason = reason
