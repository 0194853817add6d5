"""What was heard of a long recording, kept between processes: who corrects it does not have to wait for the ears."""

from __future__ import annotations

from collections.abc import Callable

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.kept_listening import KeptListening, kept_again, to_keep
from easy_pocket.core.listen.loop_analysis import Listened, listen
from easy_pocket.store.made.made import made

LONG_S = 30.0  # a shorter one is heard again as fast


def _key(digest: str) -> str:
    return f"listened/1/{digest}"


def keep_listening(digest: str, heard: Listened) -> None:
    """digest: of the recording as it is kept."""
    if heard.prepared.duration_s >= LONG_S:
        made.put_value(_key(digest), to_keep(heard))


def listening(digest: str, audio: Callable[[], Audio]) -> Listened:
    """As it was heard before, or heard now. Raises what `listen` raises."""
    kept = made.get_value(_key(digest))
    if isinstance(kept, KeptListening):
        return kept_again(kept)
    heard = listen(audio())
    keep_listening(digest, heard)
    return heard
