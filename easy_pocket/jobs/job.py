"""One piece of long work as a page follows it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class JobFile:
    """A file that was written: its bytes, the title of what it holds, a label, and its type."""

    data: bytes
    title: str
    label: str
    media_type: str


@dataclass(frozen=True)
class JobState:
    """share: how much is done, 0-1. result: what it gave; error: in words why it gave nothing. file: whether it wrote
    one that was not fetched yet. seen_at: when whoever does it was heard of last, in s since the epoch; tries: how
    often it was begun; begun: somebody does it, and it does not wait any more."""

    share: float = 0.0
    words: str = "waiting"
    result: dict[str, object] | None = None
    error: str | None = None
    seen_at: float = 0.0
    tries: int = 1
    begun: bool = False

    @property
    def ended(self) -> bool:
        return self.result is not None or self.error is not None

    @property
    def doc(self) -> dict[str, object]:
        return {"share": round(self.share, 3), "words": self.words, "result": self.result, "error": self.error}
