"""Audio loops of a song: the audio by content, what was heard in it, and what the user overruled."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import AudioFacts, audio_facts, read_audio, write_audio
from easy_pocket.core.listen.file_hints import NO_HINTS, FileHints
from easy_pocket.core.listen.loop_analysis import Corrections, LoopAnalysis
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Grid, Reading
from easy_pocket.core.listen.sound_groups import StoredGroup
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.store.database import Reads
from easy_pocket.store.people.quotas import check_kept_already
from easy_pocket.store.schema.tables import AudioRow, LoopRow

MAX_LOOPS = 64


@dataclass(frozen=True)
class StoredAudio:
    """Audio as it is kept: FLAC, or float WAV when it is louder than full scale."""

    digest: str
    kind: str
    data: bytes


def stored(audio: Audio) -> StoredAudio:
    loud = float(np.abs(audio.samples).max()) > 1.0 or audio.channels > 8
    kind, data = ("WAV", write_audio(audio, "WAV", 32)) if loud else ("FLAC", write_audio(audio, "FLAC", 24))
    return StoredAudio(hashlib.sha256(data).hexdigest(), kind, data)


def save_audio(session: Session, audio: StoredAudio) -> str:
    """Keep it, once; returns its content hash."""
    if session.scalar(select(AudioRow.hash).where(AudioRow.hash == audio.digest).with_for_update(read=True)) is None:
        session.add(AudioRow(hash=audio.digest, kind=audio.kind, data=audio.data))
    else:
        check_kept_already(session, {audio.digest})
    return audio.digest


def load_audio(session: Reads, digest: str, name: str) -> Audio:
    row = session.get(AudioRow, digest)
    assert row is not None, "a loop's audio is kept as long as the loop"
    return read_audio(row.data, name)


def load_facts(session: Reads, digest: str, name: str) -> AudioFacts:
    """How long a recording is, its rate and channels, without reading it."""
    row = session.get(AudioRow, digest)
    assert row is not None, "a loop's audio is kept as long as the loop"
    return audio_facts(row.data, name)


def add_loop(session: Session, song_id: int, name: str, audio: StoredAudio, heard: LoopAnalysis) -> LoopRow:
    if session.query(LoopRow).filter(LoopRow.song_id == song_id).count() >= MAX_LOOPS:
        raise BadValueError(f"This song has {MAX_LOOPS} loops, the most it can have: duplicate the song for more.")
    row = LoopRow(
        song_id=song_id,
        name=name,
        audio_hash=save_audio(session, audio),
        found=analysis_to_doc(heard),
        overruled=corrections_to_doc(Corrections()),
        removed=False,
    )
    session.add(row)
    session.flush()
    return row


def loops_of(session: Reads, song_id: int) -> list[LoopRow]:
    return list(
        session.scalars(
            select(LoopRow).where(LoopRow.song_id == song_id, LoopRow.removed.is_(False)).order_by(LoopRow.id)
        )
    )


class NamedLoop(NamedTuple):
    id: int
    name: str


def named_loops(session: Reads, song_id: int) -> list[NamedLoop]:
    """Loops of a song by their names only: what was heard in ten minutes is half a megabyte."""
    asked = select(LoopRow.id, LoopRow.name).where(LoopRow.song_id == song_id, LoopRow.removed.is_(False))
    return [NamedLoop(row.id, row.name) for row in session.execute(asked.order_by(LoopRow.id))]


def get_loop(session: Reads, song_id: int, loop_id: int) -> LoopRow:
    row = session.scalar(select(LoopRow).where(LoopRow.id == loop_id, LoopRow.song_id == song_id))
    if row is None or row.removed:
        raise BadValueError("There is no such loop in this song: it may have been removed; undo brings it back.")
    return row


def corrections_to_doc(corrections: Corrections) -> dict[str, object]:
    doc = asdict(corrections)
    doc["metre"] = str(corrections.metre) if corrections.metre else None
    return doc


def corrections_from_doc(doc: dict[str, Any]) -> Corrections:
    beats, _, unit = (doc.get("metre") or "").partition("/")
    return Corrections(
        sensitivity=doc.get("sensitivity", 0.5),
        metre=Metre(int(beats), int(unit)) if beats else None,
        bars=doc.get("bars"),
        one_s=doc.get("one_s"),
        added_s=tuple(doc.get("added_s", ())),
        removed_s=tuple(doc.get("removed_s", ())),
        ignored_s=tuple((begin_s, end_s) for begin_s, end_s in doc.get("ignored_s", ())),
        kept_s=tuple(doc.get("kept_s", ())),
        follows=bool(doc.get("follows", False)),
        cut_s=doc.get("cut_s"),
        groups=tuple(
            StoredGroup(
                group["name"], group["kind"], group["voice"], tuple(group["times_s"]), tuple(group["certainty"])
            )
            for group in doc.get("groups", ())
        ),
    )


def analysis_to_doc(heard: LoopAnalysis) -> dict[str, Any]:
    onsets = heard.onsets
    return {
        "duration_s": onsets.duration_s,
        # Digits nobody hears would double what every step of a long recording keeps.
        "time_s": onsets.time_s.round(9).tolist(),
        "strength": onsets.strength.round(7).tolist(),
        "rise_db": onsets.log_odds_db.round(4).tolist(),
        "bands": onsets.bands.round(6).tolist(),
        "middle_ms": onsets.middle_ms.round(4).tolist(),
        "level": onsets.level.round(7).tolist(),
        "reading": reading_to_doc(heard.reading),
        "readings": [reading_to_doc(reading) for reading in heard.readings],
        **({"hints": asdict(heard.hints)} if heard.hints != NO_HINTS else {}),
    }


def analysis_from_doc(doc: dict[str, Any]) -> LoopAnalysis:
    onsets = Onsets(
        np.asarray(doc["time_s"], dtype=np.float64),
        np.asarray(doc["strength"], dtype=np.float64),
        np.asarray(doc["rise_db"], dtype=np.float64),
        np.asarray(doc["bands"], dtype=np.float64).reshape(-1, 3),
        doc["duration_s"],
        np.asarray(doc.get("middle_ms", ()), dtype=np.float64),
        np.asarray(doc.get("level", ()), dtype=np.float64),
    )
    readings = tuple(reading_from_doc(reading) for reading in doc["readings"])
    return LoopAnalysis(onsets, reading_from_doc(doc["reading"]), readings, _hints_from_doc(doc.get("hints") or {}))


def _hints_from_doc(doc: dict[str, Any]) -> FileHints:
    loop_s = doc.get("loop_s")
    return FileHints(
        doc.get("tempo_bpm"), loop_s and (float(loop_s[0]), float(loop_s[1])), tuple(doc.get("markers_s", ()))
    )


def reading_to_doc(reading: Reading) -> dict[str, object]:
    return asdict(replace(reading, score=float(reading.score)))


def reading_from_doc(doc: dict[str, Any]) -> Reading:
    lines = tuple(doc.get("bar_lines_s", ()))
    return Reading(**{**doc, "metre": Metre(**doc["metre"]), "grid": Grid(**doc["grid"]), "bar_lines_s": lines})
