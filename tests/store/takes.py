"""A take in the database, made without a check that takes time."""

from uuid import UUID, uuid4

import numpy as np
from sqlmodel import Session

from iskelo.formats.wav import write_wav
from iskelo.store.database import connect
from iskelo.store.tables import CheckRow, TakeRow
from store.test_rigs import NOW, made


def a_take(database_url: str, seconds: float = 20.0) -> tuple[UUID, int]:
    """A check that is done, with sound of two channels: its id, and the size of its file in bytes."""
    wav = write_wav([np.zeros(int(48_000 * seconds), np.float32)] * 2, 48_000)
    engine, check = connect(database_url, 1), uuid4()
    with Session(engine) as session:
        rig = made(session).id
        session.add(CheckRow(id=check, rig_id=rig, number=1, revision=1, state="done", stage="done", made_at=NOW))
        session.flush()
        session.add(TakeRow(check_id=check, rate_hz=48_000, channels=[0, 1], wav=wav))
        session.commit()
    engine.dispose()
    return check, len(wav)
