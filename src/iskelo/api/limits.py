"""The published limits for delays, for whoever states a line."""

from fastapi import APIRouter

from iskelo.api.problems import ANSWERS
from iskelo.core.timing.limits import LIMITS, Limit

router = APIRouter(prefix="/api/limits", responses=ANSWERS)


@router.get("")
def delay_limits() -> list[Limit]:
    """How late a sound may be for what it is wanted for, with the source of each figure."""
    return list(LIMITS)
