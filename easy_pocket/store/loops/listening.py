"""What was heard of a long recording, kept between processes: who corrects it does not have to wait for the ears."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from threading import Thread

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.kept_listening import KeptListening, kept_again, to_keep
from easy_pocket.core.listen.listened import Listened, listen
from easy_pocket.core.listen.loop_analysis import remember
from easy_pocket.store.made.made import made

LONG_S = 30.0  # a shorter one is heard again as fast
SHAPE = 3  # goes up when KeptListening or how anything is heard changes: what lies there is not opened then


def _key(digest: str) -> str:
    return f"listened/{SHAPE}/{digest}"


def keep_listening(digest: str, heard: Listened) -> None:
    """digest: of the recording as it is kept."""
    if heard.prepared.duration_s >= LONG_S:
        made.put_value(_key(digest), to_keep(heard))


def _kept(digest: str) -> Listened:
    """Raises LookupError when it is not kept."""
    kept = made.get_value(_key(digest))
    if not isinstance(kept, KeptListening):
        raise LookupError(digest)
    return kept_again(kept)


def look_out(digest: str, duration_s: float) -> None:
    """Somebody looks at this recording and may correct it: what was heard of it is fetched meanwhile."""

    def fetch() -> None:
        with suppress(LookupError):
            remember(digest, lambda: _kept(digest))

    if duration_s >= LONG_S:
        Thread(target=fetch, name="what was heard", daemon=True).start()


def listening(digest: str, audio: Callable[[], Audio]) -> Listened:
    """As it was heard before, or heard now. Raises what `listen` raises."""
    with suppress(LookupError):
        return _kept(digest)
    heard = listen(audio())
    keep_listening(digest, heard)
    return heard
