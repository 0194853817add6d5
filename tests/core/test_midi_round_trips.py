"""500 generated MIDI files of every kind, read by ours and two other libraries: times to one tick, nothing lost."""

import io
from random import Random

import mido
import music21
import numpy as np
import pretty_midi
import pytest

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_track import Manner
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.song_midi import read_song_midi
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import OFFERED_METRES, PPQ, Metre, ms_per_tick
from easy_pocket.core.pattern.voices import DRUMS, ROLES

FILES, OFTEN, SELDOM = 500, 10, 50  # every tenth by the second library, every fiftieth by the slow third
STEPS = (80, 120, 137, 160, 192, 240, 320, 480)


def written_file(seed):
    """A performance and its file: any metre, tempo, grid, feel, ornaments, names, type."""
    draw = Random(seed)
    metre = Metre(*map(int, draw.choice(OFFERED_METRES).split("/")))
    bars, tempo_bpm = draw.randint(1, 4), draw.choice((60.0, 96.5, 120.0, 133.333, 180.0, 250.0))
    length = bars * metre.bar_ticks
    hits = {}
    for _ in range(draw.randint(1, 60)):
        voice, step = draw.choice(list(DRUMS)), draw.choice(STEPS)
        tick = draw.randrange(0, length) // step * step
        ornament = draw.choice(("", "", "", "flam", "drag", "ratchet", "roll"))
        shape = Articulation(ornament, 4, 240) if ornament in ("ratchet", "roll") else Articulation(ornament)
        hits[voice, tick] = Hit(voice, tick, draw.randint(1, 127), draw.uniform(-20, 20), articulation=shape)
    feel = Feel(
        swing_percent=draw.choice((50.0, 58.0, 62.0)), swing_unit=draw.choice((8, 16)), jitter_ms=2.0, seed=seed
    )
    played = perform(Pattern(length, tuple(hits.values()), metre), FeelScopes(feel), tempo_bpm=tempo_bpm, loop=False)
    manner = Manner(pedal=draw.random() < 0.3, ornaments=draw.choice(("notes", "notes", "text")))
    file = write_midi(
        played, name=draw.choice(("Low Tide", "Grüße", "潮", "")), marker="Verse é", file_type=draw.randint(0, 1),
        loop=draw.random() < 0.5, manner=manner,
    )  # fmt: skip
    return played, file


def notes_of(data):
    """(tick, note, velocity) of a file, sorted, as mido reads them."""
    found, sounding = [], set()
    for track in mido.MidiFile(file=io.BytesIO(data), charset="utf-8").tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity:
                assert message.note not in sounding
                sounding.add(message.note)
                found.append((now, message.note, message.velocity))
            elif message.type == "note_off":
                sounding.remove(message.note)
        assert not sounding
    return sorted(found)


def once_each(notes):
    """Equal notes on one tick are one, the louder."""
    loudest = {}
    for tick, note, velocity in notes:
        loudest[tick, note] = max(velocity, loudest.get((tick, note), 0))
    return sorted((tick, note, velocity) for (tick, note), velocity in loudest.items())


def as_played(pattern, tempo_bpm):
    per_ms = 1 / ms_per_tick(tempo_bpm)
    return sorted(
        (round(hit.tick + hit.offset_ms * per_ms), ROLES[hit.voice].midi_note, hit.velocity) for hit in pattern.hits
    )


@pytest.mark.parametrize("first", range(0, FILES, 100))
def test_every_note_comes_back_where_it_was(first):
    for seed in range(first, first + 100):
        played, file = written_file(seed)
        expected = once_each(notes_of(file.data))
        back = read_midi(file.data, "x.mid")
        assert back.tempo_bpm == pytest.approx(played.tempo_bpm, rel=1e-5), seed
        assert as_played(back.pattern, back.tempo_bpm) == expected, seed
        song = read_song_midi(file.data, "x.mid")
        assert sum(len(part.hits) for part in song.parts) == len(expected), seed
        assert all(1 <= ROLES[hit.voice].midi_note <= 127 for part in song.parts for hit in part.hits)


@pytest.mark.parametrize("first", range(0, FILES, 250))
def test_a_second_library_reads_the_same(first):
    for seed in range(first, first + 250, OFTEN):
        played, file = written_file(seed)
        other = pretty_midi.PrettyMIDI(io.BytesIO(file.data))
        (drums,) = other.instruments
        assert drums.is_drum
        tick_s = ms_per_tick(mido.tempo2bpm(round(60_000_000 / played.tempo_bpm))) / 1000
        expected = notes_of(file.data)
        starts = sorted((note.start, note.pitch, note.velocity) for note in drums.notes)
        assert len(starts) == len(expected), seed
        assert np.allclose([one[0] for one in starts], [tick * tick_s for tick, *_ in expected], atol=tick_s / 2), seed
        metre = other.time_signature_changes[0]
        assert str(Metre(metre.numerator, metre.denominator)) == str(played.metre)


def test_a_third_library_reads_the_same():
    for seed in range(0, FILES, SELDOM):
        _, file = written_file(seed)
        reader = music21.midi.MidiFile()
        reader.readstr(file.data)
        found = []
        for track in reader.tracks:
            now = 0
            for event in track.events:
                if event.isDeltaTime():
                    now += event.time
                elif event.isNoteOn() and event.velocity:
                    found.append((now, event.pitch, event.velocity))
        assert sorted(found) == notes_of(file.data), seed
        assert reader.ticksPerQuarterNote == PPQ
