"""Where the state of long work lies, so that any process can tell of it: who does it writes, a page's process reads."""

from __future__ import annotations

import time
from typing import Any

from easy_pocket.jobs.job import JobFile, JobState
from easy_pocket.store.made.made import made

FORGOTTEN_S = 1800.0


def _key(job: str, what: str = "state") -> str:
    return f"job/{job}/{what}"


def read(job: str) -> JobState | None:
    found = made.get_value(_key(job))
    return found if isinstance(found, JobState) else None


def write(job: str, state: JobState) -> None:
    made.put_value(_key(job), state)


def keep_file(job: str, file: JobFile) -> None:
    made.put_value(_key(job, "file"), file)


def take_file(job: str) -> JobFile | None:
    """Once."""
    found = made.get_value(_key(job, "file"))
    if not isinstance(found, JobFile):
        return None
    made.drop(_key(job, "file"))
    return found


def under_way_of(whose: str) -> list[str]:
    """Jobs of one person that have not ended, in whichever process; what nobody speaks of for long is forgotten."""
    known = made.get_value(f"jobs/{whose}") or []
    since = time.time() - FORGOTTEN_S
    states = {job: read(whose + job) for job in known}
    return [job for job, state in states.items() if state and not state.ended and state.seen_at > since]


def note_of(whose: str, jobs: list[str]) -> None:
    made.put_value(f"jobs/{whose}", jobs)


def stop(job: str) -> None:
    made.put(_key(job, "stop"), b"stop")


def is_stopped(job: str) -> bool:
    return made.get(_key(job, "stop")) is not None


def ask(job: str, asked: Any) -> None:
    """What is to be done, for a worker on another machine."""
    made.put_value(_key(job, "asked"), asked)


def asked_of(job: str) -> Any:
    return made.get_value(_key(job, "asked"))


def forget_asked(job: str) -> None:
    made.drop(_key(job, "asked"))
