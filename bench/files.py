"""Files: a song packed and unpacked, MIDI in and out, a backup of a large shelf with its memory."""

from __future__ import annotations

import io
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import mido
import numpy as np

from bench.clock import median_ms
from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.pocket_file import read_song_file, write_song_file
from easy_pocket.core.formats.song_midi import write_song_midi
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.demo.load import load_demo
from easy_pocket.home.dumps import write_dump
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.home.upgrade import bring_up_to_date
from easy_pocket.store.database import Database
from easy_pocket.store.loops.loops import save_audio, stored
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents
from easy_pocket.store.songs.shelf import shelf

NOTES, SONGS, AUDIO_MB = 119_000, 200, 1_000
READ = """
import resource, sys, time
from easy_pocket.core.formats.song_midi import read_song_midi
data = open(sys.argv[1], "rb").read()
began = time.perf_counter()
read_song_midi(data, "large.mid")
print(f"{time.perf_counter() - began:.1f} s, {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000:.0f} MB")
"""


def large_midi() -> bytes:
    dice = np.random.default_rng(1)
    track = mido.MidiTrack()
    for note in dice.choice([36, 38, 42, 46], NOTES).tolist():
        track.append(mido.Message("note_on", note=note, velocity=90, channel=9, time=16))
    midi = mido.MidiFile(ticks_per_beat=960)
    midi.tracks.append(track)
    file = io.BytesIO()
    midi.save(file=file)
    return file.getvalue()


def run() -> None:
    with tempfile.TemporaryDirectory(prefix="ep-") as folder:
        home = Path(folder)
        (home / "large.mid").write_bytes(large_midi())
        said = subprocess.run(
            [sys.executable, "-c", READ, str(home / "large.mid")], capture_output=True, text=True, check=True
        )
        print(f"MIDI of {NOTES} notes read as a song: {said.stdout.strip()}")
        server = MariaDb(home)
        try:
            database = Database(server.start())
            bring_up_to_date(database, home, own=True)
            load_demo(database, songs=True)
            _songs(database)
            _backup(database, home)
            database.close()
        finally:
            server.stop()


def _songs(database: Database) -> None:
    song_id = next(one.id for one in shelf(database.reader) if one.name == "Lamplighter")

    def packed() -> bytes:
        with database.transaction() as session:
            return write_song_file(song_contents(session, song_id))

    data = packed()

    def unpacked() -> None:
        with database.transaction() as session:
            song_from_contents(session, read_song_file(data, "x.pocket"), "x.pocket")

    print(f"the demo song packed ({len(data) / 1e6:.1f} MB): {median_ms(packed, 3) / 1000:.2f} s")
    print(f"  and unpacked: {median_ms(unpacked, 3) / 1000:.2f} s")
    song = read_song(database.reader, song_id)
    maps = {part.id: song.notes_of(part.kit_key) for part in song.parts}
    played = perform_song(song.arrangement)
    bars = sum(one.bars * one.repeats for one in song.sections)
    strokes = sum(len(one.played_ms) for one in played.parts)
    took = median_ms(lambda: write_song_midi(perform_song(song.arrangement), maps, name=song.name), 3)
    print(f"MIDI of {bars} bars ({strokes} strokes): {took:.0f} ms, {took * 200 / bars:.0f} ms for 200 bars")


def _backup(database: Database, home: Path) -> None:
    names = [one.id for one in shelf(database.reader)]
    for number in range(SONGS - len(names)):
        with database.transaction() as session:
            duplicate_song(session, names[number % len(names)])
    dice = np.random.default_rng(2)
    one_mb = 0
    while one_mb < AUDIO_MB * 1e6:
        noise = dice.uniform(-0.5, 0.5, (44_100 * 60, 2)).astype(np.float32)
        audio = stored(Audio(noise, 44_100, "noise"))
        with database.transaction() as session:
            save_audio(session, audio)
        one_mb += len(audio.data)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    began = time.perf_counter()
    write_dump(database.url, home / "all.sql.gz")
    took_s = time.perf_counter() - began
    size = (home / "all.sql.gz").stat().st_size
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000
    print(
        f"a backup of {SONGS} songs and {one_mb / 1e6:.0f} MB of audio: {took_s:.1f} s, {size / 1e6:.0f} MB, "
        f"{more:.0f} MB more memory"
    )
    began = time.perf_counter()
    (home / "copy").write_bytes((home / "all.sql.gz").read_bytes())
    print(f"  (a copy of that file: {time.perf_counter() - began:.1f} s)")
