"""The Takes screen, what passes sound like, and devices measured."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import Field
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.takes.free_time import free_readings
from easy_pocket.core.takes.heard_pass import heard_pass
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.core.takes.latency import MOST_TAPS, measure_latency
from easy_pocket.core.takes.played import MOST_HITS, played_from_rows
from easy_pocket.core.takes.quay import quay_beat
from easy_pocket.core.takes.sewing import Sew, SewnHit, as_played, sewn, written, written_over
from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.fields import Strict
from easy_pocket.store.songs.edits.pass_keeping import PlayedRow
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.takes.takes import LaidTake, laid, load_take, takes_of
from easy_pocket.web.screens.takes.shapes import FreeReadingData, LatencyData, QuayData
from easy_pocket.web.screens.takes.view import TakesView
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, SongId, Store, download, song_page
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.uploads import read_upload

router = APIRouter()
Milliseconds = Annotated[float, Field(ge=-1e9, le=1e12, allow_inf_nan=False)]


@router.get("/songs/{song_id}/takes")
def show(request: Request, song: Song, reader: Reads) -> Response:
    takes = TakesView(song, View(screen="takes"), reader)
    return song_page(request, "takes/takes.html", song, takes=takes)


def take_of(song: LoadedSong, reader: Reader, take_id: int) -> LaidTake:
    row = next((one for one in takes_of(reader, song.id) if one.id == take_id), None)
    part = next((one for one in song.parts if row is not None and one.id == row.part_id), None)
    if row is None or part is None:
        raise PocketError("This take is gone: undo brings it back, or play in again.")
    return laid(load_take(reader, row), part.feel)


def hits_of(take: LaidTake, pass_id: int) -> tuple[list[SewnHit], list[Sew]]:
    """Of one pass, or of the result for 0."""
    if not pass_id:
        return take.sewn, list(take.take.sews)
    if all(one.id != pass_id for one in take.take.passes):
        raise PocketError("This pass is gone: undo brings it back, or choose another.")
    sews = [Sew(bar, pass_id) for bar in range(take.take.bars.bars)]
    return sewn(take.passes, sews, take.take.bars), sews


@router.get("/songs/{song_id}/takes/{take_id}/heard")
def heard(
    song: Song,
    reader: Reads,
    take_id: RowId,
    of_pass: Annotated[int, Query(alias="pass", ge=0, le=2**31 - 1)] = 0,
    alone: bool = False,
) -> Response:
    """What the stack plays with a pass or the result in it, or that alone; nothing is changed."""
    take = take_of(song, reader, take_id)
    hits, sews = hits_of(take, of_pass)
    pulls = take.take.pulls if not of_pass else {}
    result = written(hits, take.take.bars, take.feel, pulls)
    before = replace(song.pattern, hits=()) if alone else song.pattern
    pattern = written_over(before, result, take.take.bars, sews, take.take.voices)
    feel = take.feel if take.finds_swing and take.take.part_id == song.part.id else song.feel
    voices = tuple(dict.fromkeys([*song.part.voices, *take.take.voices]))
    part = replace(song.part, voices=voices)
    others = () if alone else tuple(one for one in song.parts if one.id != song.part.id)
    parts = tuple(part if one.id == part.id else one for one in song.parts if one.id == part.id or one in others)
    changed = replace(song, pattern=pattern, feel=feel, part=part, parts=parts)
    return JsonResponse(playing(changed, timings=("felt",)))


@router.get("/songs/{song_id}/takes/{take_id}/take.mid")
def as_midi(
    song: Song, reader: Reads, take_id: RowId, of_pass: Annotated[int, Query(alias="pass", ge=0, le=2**31 - 1)] = 0
) -> Response:
    """A pass, or the result, exactly as it was played."""
    take = take_of(song, reader, take_id)
    hits, _ = hits_of(take, of_pass)
    bars = take.take.bars
    pattern = as_played(hits, bars)
    file = write_midi(perform(pattern, tempo_bpm=bars.tempo_bpm), name=f"{song.name} {take.take.name}")
    return download(file.data, f"{song.name} {take.take.name}", ".mid", "audio/midi")


class Struck(Strict):
    """Hits that were played while nothing was playing: voice, ms, velocity."""

    hits: Annotated[list[PlayedRow], Field(max_length=MOST_HITS)]


@router.post("/songs/{song_id}/takes/readings")
def readings(song: Song, sent: Struck) -> Response:
    """What tempo and bars they may be in, best first."""
    found = free_readings(played_from_rows(sent.hits), song.metre)
    answer: list[FreeReadingData] = [
        {
            "tempo_bpm": round(one.tempo_bpm, 3),
            "length_ticks": one.bars * song.metre.bar_ticks,
            "start_ms": round(one.start_ms, 3),
            "words": one.words,
        }
        for one in found
    ]
    return JsonResponse({"readings": answer})


@router.post("/songs/{song_id}/takes/listen/upload")
async def listen(
    request: Request, store: Store, song_id: SongId, at: At, lead_ms: Annotated[float, Query(ge=0, le=2000)] = 0.0
) -> Response:
    """The hits in one time round that a microphone heard, for an edit that keeps them."""
    data = await read_upload(request)

    def hear() -> list[tuple[str, float, int]]:
        song = read_song(store.reader, song_id, at)
        played = heard_pass(read_audio(data, "the microphone"), song.part.voices, lead_ms)
        return [(voice, round(time_ms, 3), size) for voice, time_ms, size in played.rows]

    return JsonResponse({"hits": await run_in_threadpool(hear)})


class Taps(Strict):
    """When clicks were to be heard and when taps came, in ms on one clock."""

    clicks_ms: Annotated[list[Milliseconds], Field(max_length=MOST_TAPS)]
    taps_ms: Annotated[list[Milliseconds], Field(max_length=MOST_TAPS)]


@router.post("/takes/latency")
def latency(sent: Taps) -> Response:
    found = measure_latency(sent.clicks_ms, sent.taps_ms)
    answer: LatencyData = {
        "latency_ms": round(found.latency_ms, 2),
        "spread_ms": round(found.spread_ms, 2),
        "error_ms": round(found.error_ms, 2),
        "counts": list(found.counts),
        "words": found.words,
    }
    return JsonResponse(answer)


@router.get("/songs/{song_id}/takes/quay")
def quay(
    song: Song,
    hand: Literal["capstan", "slipway", "foghorn"] = "capstan",
    passes: Annotated[int, Query(ge=1, le=16)] = 4,
    bars: Annotated[int, Query(ge=1, le=16)] = 2,
    seed: Annotated[int, Query(ge=0, le=2**31)] = 1,
) -> Response:
    """A performance of the beat that is looked at, for the simulated pad controller."""
    performance = quay_beat(
        song.pattern, song.kit.roles, HOUSE_HANDS[hand], song.tempo_bpm, bars=bars, passes=passes, seed=seed
    )
    notes = song.notes_of(song.kit.key)
    known = [row for row in performance.rows if row[0] in notes]
    answer: QuayData = {
        "time_s": [round(row[1] / 1000, 6) for row in known],
        "note": [notes[row[0]] for row in known],
        "velocity": [row[2] for row in known],
        "length_s": performance.length_ms / 1000,
    }
    return JsonResponse(answer)
