"""What can be made of a beat or a loop without a song: played, measured, filled, varied, grown, heard."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import Response

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import Performance, only_sounding, perform
from easy_pocket.core.feel.pocket import pocket_by_voice
from easy_pocket.core.formats.groove_json import template_to_doc
from easy_pocket.core.formats.ledger_json import ledger_doc
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.grow import GrowSettings, grow
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.pattern.timebase import GRID_TICKS
from easy_pocket.samples import house_kits
from easy_pocket.store.grooves.shelf import find_groove, groove_rows
from easy_pocket.store.grooves.templates import template_of_row
from easy_pocket.web.api.models import (
    Beat,
    FillIn,
    GrooveModel,
    GrowIn,
    IdeaModel,
    JobModel,
    Ledger,
    PerformIn,
    VaryIn,
    VoicePocket,
)
from easy_pocket.web.shared.dependencies import Reads, RowId, download
from easy_pocket.web.shared.job_routes import begin, jobs
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter(tags=["beats and loops"])
JobKey = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]
MOST_MIDI_BYTES = 8_000_000


def _performed(sent: PerformIn) -> Performance:
    scopes = sent.feel.scopes
    return perform(sent.beat.pattern, scopes, tempo_bpm=sent.beat.tempo_bpm, straight=sent.straight, loop=sent.loop)


@router.post("/perform")
def perform_beat(sent: PerformIn) -> Ledger:
    """A beat with a feel: every hit with what moved it."""
    return Ledger.model_validate(ledger_doc(_performed(sent)))


@router.post("/perform/midi", response_class=Response)
def perform_as_midi(sent: PerformIn) -> Response:
    """The same as a MIDI file."""
    played = only_sounding(_performed(sent))
    return download(write_midi(played, loop=sent.loop).data, "beat", ".mid", "audio/midi")


@router.post("/beats/from-midi")
async def beat_of_midi(request: Request, name: FileName = "beat.mid") -> Beat:
    """A MIDI file as a beat; the body is the file."""
    data = await read_upload(request, MOST_MIDI_BYTES)
    read = await run_in_threadpool(read_midi, data, plain_name(name))
    return Beat.of(read.pattern, read.tempo_bpm)


@router.post("/pocket")
def pocket(sent: PerformIn, grid: Annotated[str, Query(max_length=5)] = "16") -> list[VoicePocket]:
    """Where the hits of each voice sit against the grid."""
    if grid not in GRID_TICKS:
        raise BadValueError(f"There is no grid '{grid}'; there are {', '.join(GRID_TICKS)}.")
    rows = pocket_by_voice(_performed(sent), step_ticks=GRID_TICKS[grid])
    return [VoicePocket(voice=row.voice, hits=row.count, mean_ms=row.mean_ms, spread_ms=row.spread_ms) for row in rows]


def _scene(beat: Beat, kit: str) -> IdeaContext:
    kits = house_kits()
    if kit not in kits:
        raise BadValueError(f"There is no kit '{kit[:40]}'; there are {', '.join(kits)}.")
    return IdeaContext(beat.pattern, kits[kit].roles, beat.tempo_bpm)


def _told(idea: Idea, tempo_bpm: float) -> IdeaModel:
    changes = [change.words for change in idea.changes]
    return IdeaModel(words=idea.words, tags=list(idea.tags), changes=changes, beat=Beat.of(idea.pattern(), tempo_bpm))


@router.post("/fill")
def fill(sent: FillIn) -> list[IdeaModel]:
    """Fills for the end of a beat; the same seed gives the same."""
    scene = _scene(sent.beat, sent.kit)
    begin, end = window(scene, sent.beats, None)
    made = fills(scene, FillSettings(playable=sent.playable), sent.seed, begin, end, count=sent.count)
    return [_told(idea, sent.beat.tempo_bpm) for idea in made.ideas]


@router.post("/vary")
def vary(sent: VaryIn) -> list[IdeaModel]:
    """Variations of a beat; the same seed gives the same."""
    scene = _scene(sent.beat, sent.kit)
    settings = VariationSettings(sent.changes, sent.distance, tuple(sent.kinds), sent.playable)
    made = variations(scene, settings, sent.seed, 0, scene.pattern.length_ticks, count=sent.count)
    return [_told(idea, sent.beat.tempo_bpm) for idea in made.ideas]


@router.post("/grow")
def grow_beat(sent: GrowIn) -> IdeaModel:
    """A beat made longer, no bar like another."""
    settings = GrowSettings(sent.bars, sent.changes, sent.bigger, sent.fill_beats, plan=sent.plan)
    return _told(grow(_scene(sent.beat, sent.kit), settings, sent.seed).idea, sent.beat.tempo_bpm)


@router.post("/listen", status_code=202)
async def listen(
    request: Request, name: FileName = "loop.wav", bars: Annotated[int, Query(ge=1, le=8)] = 1
) -> JobModel:
    """A loop is listened to, as a job; the body is the audio. Its result has `heard` (tempo, bars, hits) and `groove`
    (a template of so many bars)."""
    data = await read_upload(request)
    work = (data, plain_name(name), bars)
    key = await run_in_threadpool(begin, request, "listen", work)
    return JobModel(id=key, share=0.0, words="waiting")


@router.get("/jobs/{key}")
def job(request: Request, key: JobKey) -> JobModel:
    """How far a job is, and what it gave."""
    return JobModel.model_validate({"id": key, **jobs(request).find(key).doc})


@router.get("/jobs/{key}/file", response_class=Response)
def job_file(request: Request, key: JobKey) -> Response:
    """What a job wrote, once."""
    file = jobs(request).fetch(key)
    return download(file.data, file.title, file.label, file.media_type)


@router.get("/grooves")
def grooves(reader: Reads) -> list[GrooveModel]:
    """The grooves of the shelf."""
    found = [(row.id, template_of_row(row)) for row in groove_rows(reader)]
    return [
        GrooveModel(id=number, name=one.name, tempo_bpm=one.tempo_bpm, metre=str(one.metre), bars=one.bars)
        for number, one in found
    ]


@router.get("/grooves/{groove_id}")
def groove(reader: Reads, groove_id: RowId) -> dict[str, Any]:
    """A groove as a template in JSON, as docs/formats describe it."""
    return template_to_doc(find_groove(reader, groove_id)[1])
