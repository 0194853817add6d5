"""The column beside the rails: the pocket in full, and what tightening would do."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field
from starlette.responses import Response

from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs.edits.feel import TightenRequest, tighten_of
from easy_pocket.store.songs.edits.fields import Places, Strict
from easy_pocket.store.songs.feels import tightening, with_feel
from easy_pocket.store.songs.preview_cache import preview_song
from easy_pocket.web.screens.bench.feel_panel import feel_panel
from easy_pocket.web.screens.bench.feel_requests import FeelTry
from easy_pocket.web.screens.bench.pocket_chart import pocket_piece
from easy_pocket.web.screens.bench.pocket_compare import pocket_page
from easy_pocket.web.screens.bench.rails_view import leans
from easy_pocket.web.screens.bench.tighten_view import tighten_doc
from easy_pocket.web.shared.dependencies import Reads, Song, SongId, Store
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.selection import At

router = APIRouter()


class PocketRequest(Strict):
    """Whose pocket, compared with what (nothing: ""), of which hits (none: all)."""

    one: Annotated[str, Field(max_length=40)] = "felt"
    other: Annotated[str, Field(max_length=40)] = ""
    places: Places = Field(default_factory=list)


@router.post("/songs/{song_id}/pocket")
def pocket(song: Song, reader: Reads, sent: PocketRequest) -> Response:
    """The pocket in full; nothing is changed."""
    return JsonResponse({"html": pocket_page(reader, song, sent.one, sent.other, sent.places)})


@router.post("/songs/{song_id}/tighten")
def preview(song: Song, reader: Reads, sent: TightenRequest) -> Response:
    """What tightening would do: nothing is changed."""
    done = tightening(song, tighten_of(reader, song, sent))
    return JsonResponse({"revision": song.revision, **tighten_doc(done)})


@router.post("/songs/{song_id}/feel/try")
def try_feel(store: Store, song_id: SongId, at: At, sent: FeelTry) -> Response:
    """What a slider that is being dragged would do, drawn and heard: nothing is changed, so many come a second."""
    try:
        held = preview_song(store, song_id, at, sent.revision)
    except StaleRevisionError:
        return JsonResponse({"error": "The song was changed in another tab: let go, and see it as it is now."}, 409)
    song = with_feel(held, sent.scope, sent.field, sent.value)
    return JsonResponse(
        {
            "revision": sent.revision,
            "note": feel_panel(song, sent.scope).notes.get(sent.field, ""),
            "leans": leans(song.performance(), song.part.voices),
            "pocket": pocket_piece(song) if sent.pocket else None,
            "playing": playing(song, timings=("felt",)),
        }
    )
