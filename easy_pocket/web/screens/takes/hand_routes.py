"""Hands: what a take says of the player, drawn; hands as files, in and out."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.hand_json import dump_hand, load_hand
from easy_pocket.core.takes.hand import TakeToLearn, learn_hand
from easy_pocket.store.songs.edits.hands import MOST_PASSES, BringHand, KeepHand
from easy_pocket.store.songs.edits.prepared import prepared_before
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.takes.hands import find_hand
from easy_pocket.web.screens.takes.hand_picture import hand_picture
from easy_pocket.web.screens.takes.routes import take_of
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, SongId, Store, download, edit_from_file
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.job_routes import begin
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.song_state import result_state
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter()
MANY_HITS = 600  # to learn from that many takes about half a second


@router.get("/songs/{song_id}/takes/{take_id}/hand")
def of_take(
    request: Request,
    song: Song,
    reader: Reads,
    take_id: RowId,
    passes: Annotated[str, Query(max_length=2000, pattern=r"^[0-9,]*$")] = "",
    beside: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
) -> Response:
    """The hand in some passes of a take (none named: all), with one of the shelf beside it. Of many hits it is learned
    by a job first, which the page follows."""
    take = take_of(song, reader, take_id).take
    wanted = {int(one) for one in passes.split(",") if one}
    chosen = [one for one in take.passes if not wanted or one.id in wanted]
    asked = KeepHand(kind="hand_keep", take_id=take_id, pass_ids=sorted(wanted)[:MOST_PASSES])
    with reader.together() as session:
        found = prepared_before(load_song(session, song.id, song.selection), asked)
    if found is None and sum(len(one.played) for one in chosen) > MANY_HITS:
        return JsonResponse({"job": begin(request, "prepare", (song.id, song.selection, asked))}, 202)
    learned = found or learn_hand([TakeToLearn(one.played, take.bars) for one in chosen], song.name)
    hand = replace(learned, name=song.name)
    other = find_hand(reader, beside) if beside else None
    pictures = {"picture": hand_picture(hand), "other_picture": hand_picture(other) if other else []}
    return JsonResponse({"html": render("takes/_hand.html", hand=hand, other=other, **pictures)})


@router.get("/hands/{hand_id}/picture")
def of_shelf(reader: Reads, hand_id: RowId) -> Response:
    hand = find_hand(reader, hand_id)
    return JsonResponse({"html": render("takes/_hand.html", hand=hand, other=None, picture=hand_picture(hand))})


@router.get("/hands/{hand_id}/hand.json")
def as_file(reader: Reads, hand_id: RowId) -> Response:
    hand = find_hand(reader, hand_id)
    return download(dump_hand(hand).encode(), hand.name, ".json", "application/json")


@router.post("/songs/{song_id}/hands/upload")
async def bring(request: Request, store: Store, song_id: SongId, at: At, name: FileName) -> Response:
    """A hand from a file."""
    known, data = plain_name(name), await read_upload(request)
    hand = await run_in_threadpool(load_hand, data, known)
    result = await run_in_threadpool(edit_from_file, store, song_id, BringHand(hand=hand), at)
    return JsonResponse(result_state(result, View(screen="takes"), store.reader))
