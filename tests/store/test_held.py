"""What is held in memory is asked for, kept and forgotten by many threads at once."""

import sys
import threading
import time
from uuid import uuid4

from iskelo.core.held import Held
from iskelo.core.rig.rig import Rig
from iskelo.store import revisions

SECONDS = 1.5


def at_once(*works: object) -> list[BaseException]:
    """Do several things again and again, in threads that give way as often as they can; what they raised."""
    raised: list[BaseException] = []
    until = time.monotonic() + SECONDS

    def again(work: object) -> None:
        try:
            while time.monotonic() < until:
                work()  # type: ignore[operator]
        except BaseException as error:
            raised.append(error)

    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        threads = [threading.Thread(target=again, args=(work,)) for work in works for _ in range(3)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    finally:
        sys.setswitchinterval(before)
    return raised


def test_revisions_are_held_and_forgotten_at_the_same_moment() -> None:
    """A revision that was committed is not answered with an error for what memory does beside it."""
    ids = [uuid4() for _ in range(40)]
    numbers = iter(range(10**9))
    rig = Rig(name="Any")

    def hold() -> None:
        revisions.hold(ids[next(numbers) % 40], next(numbers), rig)

    def forget() -> None:
        revisions.forget(ids[next(numbers) % 40])

    assert at_once(hold, forget) == []


def test_the_newest_few_are_held() -> None:
    held: Held[int, str] = Held(2)
    for number in (1, 2, 1, 3):
        assert held.keep(number, str(number)) == str(number)
    assert (held.get(1), held.get(2), held.get(3)) == ("1", None, "3")
    held.forget(lambda key: key == 3)
    assert held.get(3) is None
