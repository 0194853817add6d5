"""The kinds of long work, each in one place: what computes, anywhere; and what becomes of its result, in the database.
Both are functions of plain values, so that they run in this process, in a worker beside it, or on another machine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from easy_pocket.jobs.job import JobFile
from easy_pocket.jobs.work import analyze_file, backup, export, heard_groove, prepare
from easy_pocket.jobs.workers import Work
from easy_pocket.store.agreed import done_before, done_now
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.edits.loops import AnalyzedFile, BringInLoop
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.edits.prepared import keep_prepared
from easy_pocket.store.songs.selection import ANYWHERE, Selection
from easy_pocket.store.songs.song_header import header_doc

Result = dict[str, object] | JobFile
Keep = Callable[[Database, str, Any, dict[str, Any]], Result]  # database, id of the job, what was found, what was asked


@dataclass(frozen=True)
class JobKind:
    """work: what computes; keep: what becomes of it. found_as: what comes out depends on nothing but what goes in, so
    it is looked for under this name before it is done ("": it is done each time)."""

    name: str
    work: Work
    keep: Keep
    found_as: str = ""


KINDS: dict[str, JobKind] = {}


def register(name: str, work: Work, *, found_as: str = "") -> Callable[[Keep], Keep]:
    def registered(keep: Keep) -> Keep:
        KINDS[name] = JobKind(name, work, keep, found_as)
        return keep

    return registered


@register("export", export)
def _exported(database: Database, job: str, found: tuple[str, bytes], asked: dict[str, Any]) -> Result:
    """asked: label and media_type of the file."""
    return JobFile(found[1], found[0], asked["label"], asked["media_type"])


@register("prepare", prepare)
def _prepared(database: Database, job: str, found: tuple[str, Any], asked: dict[str, Any]) -> Result:
    """Whoever makes the edit finds it."""
    keep_prepared(*found)
    return {"ready": True}


@register("backup", backup)
def _backed_up(database: Database, job: str, found: str, asked: dict[str, Any]) -> Result:
    return {"dump": found}


@register("listen", heard_groove, found_as="heard")
def _heard(database: Database, job: str, found: dict[str, object], asked: dict[str, Any]) -> Result:
    return found


@register("loop", analyze_file, found_as="analyzed")
def _loop_of_song(database: Database, job: str, found: AnalyzedFile, asked: dict[str, Any]) -> Result:
    """asked: song_id, at, edit_id. Done twice, the edit is made once."""
    sent = SentEdit(BringInLoop(file=found), None, Selection(*asked["at"]), asked["edit_id"] or f"job-{job}")
    made = make_edit(database, asked["song_id"], sent)
    address = f"/songs/{asked['song_id']}/loops/{made.changed.made}"
    return {"address": address, "song": header_doc(made.song, made.undo, made.redo)}


@register("song_of_loop", analyze_file, found_as="analyzed")
def _song_of_loop(database: Database, job: str, found: AnalyzedFile, asked: dict[str, Any]) -> Result:
    """asked: name. Done twice, it is the same song."""
    reading = found.heard.reading
    with database.transaction() as session:
        before = done_before(session, f"song {job}") if job else None
        if before is None:
            song = create_song(session, asked["name"], tempo_bpm=round(reading.tempo_bpm, 2), metre=reading.metre).id
            if job:
                done_now(session, f"song {job}", str(song))
        else:
            song = int(before)
    made = make_edit(database, song, SentEdit(BringInLoop(file=found), None, ANYWHERE, f"job-{job}" if job else ""))
    return {"address": f"/songs/{song}/loops/{made.changed.made}"}
