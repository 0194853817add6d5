"""A small client of the interface for programs.

from easy_pocket.client import Client

with Client(token="pocket-...") as pocket:
    for song in pocket.songs():
        print(song.name, song.tempo_bpm)
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Self, TypeVar

import httpx
from pydantic import BaseModel

from easy_pocket.core.errors import PocketError
from easy_pocket.web.api.models import (
    Beat,
    FeelModel,
    FeelSettings,
    FillIn,
    GrooveModel,
    GrowIn,
    HitModel,
    IdeaModel,
    JobModel,
    Ledger,
    Made,
    NamedBeat,
    NewSong,
    PerformIn,
    SongModel,
    SongPage,
    VaryIn,
    VoicePocket,
    WholeSong,
)

__all__ = [
    "Beat", "Client", "FeelModel", "FeelSettings", "FillIn", "GrooveModel", "GrowIn", "HitModel", "IdeaModel", "Ledger",
    "Made", "NamedBeat", "NewSong", "ProblemError", "SongModel", "VaryIn", "VoicePocket", "WholeSong",
]  # fmt: skip
ADDRESS = "http://127.0.0.1:8000"
LOOK_S = 0.2
M = TypeVar("M", bound=BaseModel)


class ProblemError(PocketError):
    """The server refused: its words, and the status."""

    def __init__(self, status: int, detail: str) -> None:
        super().__init__(detail)
        self.status = status


class Client:
    """Everything of /api/v1 as methods. Raises ProblemError for what is refused."""

    def __init__(self, token: str | None = None, address: str | None = None, timeout_s: float = 60.0) -> None:
        """token, address: else those in EASY_POCKET_TOKEN and EASY_POCKET_ADDRESS, or the usual place."""
        base = (address or os.environ.get("EASY_POCKET_ADDRESS", ADDRESS)).rstrip("/")
        given = token or os.environ.get("EASY_POCKET_TOKEN", "")
        headers = {"Authorization": f"Bearer {given}"}
        self._http = httpx.Client(base_url=f"{base}/api/v1/", headers=headers, timeout=timeout_s)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def _ask(self, method: str, path: str, **sent: Any) -> httpx.Response:
        answer = self._http.request(method, path, **sent)
        if answer.status_code >= 400:
            try:
                words = str(answer.json()["detail"])
            except (ValueError, KeyError, TypeError):
                words = f"Easy Pocket answered with {answer.status_code} and no reason."
            raise ProblemError(answer.status_code, words)
        return answer

    def _one(self, kind: type[M], method: str, path: str, sent: BaseModel | None = None, **more: Any) -> M:
        return kind.model_validate_json(self._ask(method, path, **_body(sent), **more).content)

    def _many(self, kind: type[M], method: str, path: str, sent: BaseModel | None = None, **more: Any) -> list[M]:
        return [kind.model_validate(one) for one in self._ask(method, path, **_body(sent), **more).json()]

    # Songs ---------------------------------------------------------------------------------------------------------
    def songs(self) -> Iterator[SongModel]:
        """All songs of the shelf, page by page."""
        path: str | None = "songs"
        while path:
            found = self._one(SongPage, "GET", path)
            yield from found.items
            path = found.next and found.next.removeprefix("/api/v1/")

    def song(self, song_id: int) -> WholeSong:
        return self._one(WholeSong, "GET", f"songs/{song_id}")

    def make_song(self, song: NewSong) -> WholeSong:
        """A song that plays beats one after another, a section each."""
        return self._one(WholeSong, "POST", "songs", song)

    def bin_song(self, song_id: int) -> None:
        self._ask("DELETE", f"songs/{song_id}")

    def hits(self, song_id: int, part: int, pattern: int) -> Beat:
        return self._one(Beat, "GET", f"songs/{song_id}/parts/{part}/patterns/{pattern}")

    def played(self, song_id: int, part: int, pattern: int, *, straight: bool = False) -> Ledger:
        path = f"songs/{song_id}/parts/{part}/patterns/{pattern}/played"
        return self._one(Ledger, "GET", path, params={"straight": straight})

    def edit(self, song_id: int, edit: dict[str, Any], *, edit_id: str | None = None, **more: Any) -> Made:
        """One change, as the page makes it: {"kind": "tempo", "tempo_bpm": 96}. more: revision, looking_at."""
        sent = {"edit": edit, **({"edit_id": edit_id} if edit_id else {}), **more}
        return Made.model_validate_json(self._ask("POST", f"songs/{song_id}/edits", json=sent).content)

    def undo(self, song_id: int) -> Made:
        return self._one(Made, "POST", f"songs/{song_id}/undo")

    def redo(self, song_id: int) -> Made:
        return self._one(Made, "POST", f"songs/{song_id}/redo")

    def export(self, song_id: int, of: str = "song", name: str = "midi", **options: str | int | bool) -> bytes:
        """The song, what its page opens with ("pattern") or the kit of its first part ("kit") as a file: "midi", "wav",
        "flac", "stems", "sfz". options: of the format, as `bits=16`, and `part`, `pattern` by their ids."""
        params = {"job": True, **options}
        asked = self._ask("GET", f"songs/{song_id}/export/{of}/{name}", params=params)
        if asked.status_code != 202:
            return asked.content
        key = asked.json()["id"]
        self._wait(key)
        return self._ask("GET", f"jobs/{key}/file").content

    def changes(self, song_id: int) -> Iterator[Made]:
        """The newest edit of a song, and then each that follows, as they are made."""
        with self._http.stream("GET", f"songs/{song_id}/events", timeout=None) as answer:
            if answer.status_code >= 400:
                answer.read()
                raise ProblemError(answer.status_code, str(answer.json()["detail"]))
            for line in answer.iter_lines():
                if line.startswith("data: ") and line != "data: {}":
                    yield Made.model_validate({"undo": None, "redo": None, **json.loads(line[6:])})

    # Beats and loops -----------------------------------------------------------------------------------------------
    def perform(self, beat: Beat, feel: FeelModel | None = None, *, loop: bool = True) -> Ledger:
        """Every hit with what moved it."""
        return self._one(Ledger, "POST", "perform", PerformIn(beat=beat, feel=feel or FeelModel(), loop=loop))

    def perform_midi(self, beat: Beat, feel: FeelModel | None = None, *, loop: bool = False) -> bytes:
        """The beat with its feel as a MIDI file."""
        sent = PerformIn(beat=beat, feel=feel or FeelModel(), loop=loop)
        return self._ask("POST", "perform/midi", **_body(sent)).content

    def beat_of_midi(self, file: str | Path) -> Beat:
        data = Path(file).read_bytes()
        return self._one(Beat, "POST", "beats/from-midi", params={"name": Path(file).name}, content=data)

    def pocket(self, beat: Beat, feel: FeelModel | None = None, grid: str = "16") -> list[VoicePocket]:
        sent = PerformIn(beat=beat, feel=feel or FeelModel())
        return self._many(VoicePocket, "POST", "pocket", sent, params={"grid": grid})

    def fill(self, sent: FillIn) -> list[IdeaModel]:
        return self._many(IdeaModel, "POST", "fill", sent)

    def vary(self, sent: VaryIn) -> list[IdeaModel]:
        return self._many(IdeaModel, "POST", "vary", sent)

    def grow(self, sent: GrowIn) -> IdeaModel:
        return self._one(IdeaModel, "POST", "grow", sent)

    def listen(self, file: str | Path, bars: int = 1) -> dict[str, Any]:
        """`heard` (tempo, bars, hits) and `groove` (a template of so many bars) of a loop, waited for."""
        params: dict[str, str | int] = {"name": Path(file).name, "bars": bars}
        job = self._one(JobModel, "POST", "listen", params=params, content=Path(file).read_bytes())
        return self._wait(job.id)

    def grooves(self) -> list[GrooveModel]:
        return self._many(GrooveModel, "GET", "grooves")

    def groove(self, groove_id: int) -> dict[str, Any]:
        found: dict[str, Any] = self._ask("GET", f"grooves/{groove_id}").json()
        return found

    def _wait(self, key: str) -> dict[str, Any]:
        while True:
            job = self._one(JobModel, "GET", f"jobs/{key}")
            if job.error is not None:
                raise ProblemError(422, job.error)
            if job.result is not None:
                return job.result
            time.sleep(LOOK_S)


def _body(sent: BaseModel | None) -> dict[str, Any]:
    if sent is None:
        return {}
    return {"content": sent.model_dump_json(exclude_unset=True), "headers": {"Content-Type": "application/json"}}
