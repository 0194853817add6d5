"""Work for workers, for tests: what is quick, slow, wrong, or breaks."""

from __future__ import annotations

import os
import time
from typing import Any

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.progress import OnProgress
from easy_pocket.jobs.kinds import register


def give(value: Any) -> Any:
    return value


def tell_and_wait(seconds: float, told: OnProgress) -> str:
    """Tells that it is half done, then takes so long."""
    told(0.5, "half way")
    time.sleep(seconds)
    return "too late"


def last(seconds: float) -> None:
    time.sleep(seconds)


def refuse(words: str) -> None:
    raise BadValueError(words)


def slip() -> None:
    raise RuntimeError("a slip of ours")


def slip_when_told(told: OnProgress) -> None:
    slip()


def die() -> None:
    os._exit(3)


def take_memory() -> int:
    return len(bytearray(20 << 30))


KEPT: list[object] = []  # what became of jobs of the test kinds


WAIT, SLIP = "test_wait", "test_slip"


@register(WAIT, tell_and_wait)
def _nothing_more(database, job, found, asked):
    KEPT.append(found)
    return {}


@register(SLIP, slip_when_told)
def _never(database, job, found, asked):
    return {}
