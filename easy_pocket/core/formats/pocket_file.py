"""A song file: a zip of JSON and audio that holds everything a song needs to be opened elsewhere.

`song.json` holds the rows of the song by table, numbered from 1; `audio/HASH.flac` (or .wav) every recording it names.
Nothing in it is a date or a number of this machine: the same song gives the same bytes.
"""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from easy_pocket.core.errors import ArchiveRefusedError
from easy_pocket.core.formats.archive import read_archive
from easy_pocket.core.formats.audio_names import AUDIO, name_of, renamed

Doc = dict[str, Any]
FORMAT, VERSION = "easy-pocket song", 3
TABLES = ("parts", "patterns", "snapshots", "sections", "loops", "takes", "passes", "kits", "grooves")
LATER = {
    "ideas": 2,
    "hands": 3,
    "history": 3,
}  # by the version that has them; left out where empty, so that older programs can read it
MOST_ROWS = 40_000
MOST_AUDIO_BYTES, MOST_BYTES = 250_000_000, 600_000_000  # a guide of ten minutes is longer than any loop
NO_DATE = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class SongContents:
    """doc: "song" and lists of rows by table. audio: kind ("FLAC" or "WAV") and bytes by content hash."""

    doc: Doc
    audio: Mapping[str, tuple[str, bytes]]


def write_song_file(contents: SongContents) -> bytes:
    """The same contents give the same bytes."""
    doc = {table: rows for table, rows in contents.doc.items() if rows or table not in LATER}
    told = {"format": FORMAT, "version": max([1, *(LATER[table] for table in doc if table in LATER)]), **doc}
    text = json.dumps(told, ensure_ascii=False, sort_keys=True, indent=1)
    files = {"song.json": text.encode()}
    for key, (kind, data) in sorted(contents.audio.items()):
        files[f"audio/{key}.{kind.lower()}"] = data
    found = io.BytesIO()
    with zipfile.ZipFile(found, "w") as archive:
        for name, data in files.items():
            entry = zipfile.ZipInfo(name, NO_DATE)
            entry.compress_type = zipfile.ZIP_DEFLATED if name.endswith(".json") else zipfile.ZIP_STORED
            archive.writestr(entry, data, compresslevel=6)
    return found.getvalue()


def read_song_file(data: bytes, name: str) -> SongContents:
    """Read it within bounds; whether its rows make a song is for who opens it to see.

    Raises
    ------
    ArchiveRefusedError
        For what is no song file, is of a newer version, is damaged or holds too much.
    """
    files = read_archive(data, name, (".json", ".flac", ".wav"), most_one=MOST_AUDIO_BYTES, most_all=MOST_BYTES)
    doc = _doc(files.get("song.json"), name)
    # Loops and the guide are named by the bytes of their files.
    named = [row.get("audio_hash") for row in (*doc["loops"], doc["song"].get("guide")) if isinstance(row, dict)]
    by_bytes = {one for one in named if isinstance(one, str)}
    audio, names = {}, {}
    for path, held in files.items():
        found = AUDIO.fullmatch(path)
        if found is None:
            continue
        key, kind = found[1], found[2].upper()
        right = name_of(key, held)
        if right is None or (right != key and key in by_bytes):
            raise ArchiveRefusedError(
                f"{name} is damaged: the audio {key[:12]} in it is not what it was: save it again."
            )
        if right != key:
            names[key] = right
        audio[right] = (kind, held)
    return SongContents(json.loads(renamed(json.dumps(doc), names)) if names else doc, audio)


def _doc(text: bytes | None, name: str) -> Doc:
    try:
        doc = json.loads(text) if text is not None else None
    except (ValueError, RecursionError):
        doc = None
    if not isinstance(doc, dict) or doc.get("format") != FORMAT:
        raise ArchiveRefusedError(f"{name} is no song file of Easy Pocket: choose a file that it saved (.pocket).")
    version = doc.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise ArchiveRefusedError(
            f"{name} was saved by a newer Easy Pocket (version {str(version)[:20]} of the file; this one reads up to "
            f"{VERSION}): bring this Easy Pocket up to date."
        )
    tables = (*TABLES, *LATER)
    rows = [doc.get(table, []) for table in tables]
    if not isinstance(doc.get("song"), dict) or not all(_are_rows(one) for one in rows):
        raise ArchiveRefusedError(f"{name} does not hold a song as Easy Pocket writes it: save it again.")
    if sum(map(len, rows)) > MOST_ROWS:
        raise ArchiveRefusedError(f"{name} holds more than {MOST_ROWS} rows, more than a song can have.")
    return {"song": doc["song"], **dict(zip(tables, rows, strict=True))}


def _are_rows(value: object) -> bool:
    return isinstance(value, list) and all(isinstance(one, dict) and isinstance(one.get("id"), int) for one in value)
