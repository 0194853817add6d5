"""What the Ideas' script keeps of ideas: to hear, put in, mix and pin them."""

from __future__ import annotations

from typing import NotRequired, TypedDict

from easy_pocket.store.ideas.log import StoredChange


class StageOfIdea(TypedDict):
    name: str
    bars: int


class IdeaData(TypedDict):
    """begin, end: the ticks it is about, in the pattern with the idea. id: in the log, when it is pinned."""

    kind: str
    key: str
    words: str
    tags: list[str]
    traits: list[str]
    seed: int
    length_ticks: int
    changes: list[StoredChange]
    begin: int
    end: int
    stages: list[StageOfIdea]
    line: str
    id: NotRequired[int]
    state: NotRequired[str]


class IdeasAnswer(TypedDict):
    """cards: HTML. of: the idea each card shows. learned: from what was kept and dropped, in words."""

    revision: int
    ideas: list[IdeaData]
    cards: list[str]
    of: list[int]
    words: str
    learned: NotRequired[str]


class LoggedIdea(TypedDict):
    id: int
    kind: str
    state: str
    words: str
    seed: int
    changes: int
    key: str


class IdeaLog(TypedDict):
    """learned: from what was kept and dropped, in words."""

    log: list[LoggedIdea]
    learned: NotRequired[str]


class IdeasData(TypedDict):
    """Ticks of bar, pulse and pattern; goes_on: voices that usually go on through a fill."""

    bar: int
    pulse: int
    beats: int
    usual_beats: float
    length: int
    bars: int
    section: str
    goes_on: list[str]
    pinned: list[IdeaData]
