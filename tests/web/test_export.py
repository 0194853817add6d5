"""What is exported is what the ledger says."""

import io

import mido
import numpy as np
import pytest
import soundfile

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.drums import ROCK, beat
from tests.editing import do


@pytest.fixture
def song(store):
    with store.transaction() as session:
        feel, voices = {"swing_percent": 58.0}, {"hat_closed": {"push_ms": -5.0}}
        song = create_song(session, "Lamp/lighter ¤", tempo_bpm=104, hits=beat(ROCK).hits, feel=feel, voice_feel=voices)
        song_id = song.id
    with store.transaction() as session:
        return load_song(session, song_id)


@pytest.mark.parametrize("timing", ["felt", "straight"])
def test_midi_ticks_agree_with_the_ledger(client, song, timing):
    answer = client.get(f"/songs/{song.id}/pattern.mid", params={"timing": timing})
    assert answer.headers["content-disposition"] == f'attachment; filename="Lamplighter {timing}.mid"'
    midi = mido.MidiFile(file=io.BytesIO(answer.content))
    assert (midi.type, midi.ticks_per_beat) == (1, 960)
    ticks = sorted(_starts(midi))
    performance = perform(song.pattern, song.feel, tempo_bpm=104, straight=timing == "straight")
    exact = np.sort(performance.loop_ms) * 104 * 960 / 60_000
    np.testing.assert_allclose(ticks, exact, atol=1.0)
    assert {m.text for track in midi.tracks for m in track if m.type == "marker"} == {"Verse"}


def _starts(midi):
    for track in midi.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on":
                yield now


@pytest.mark.parametrize(("bits", "subtype"), [("16", "PCM_16"), ("24", "PCM_24"), ("32", "FLOAT")])
def test_wav_is_the_loop_exactly(client, song, bits, subtype):
    answer = client.get(f"/songs/{song.id}/pattern.wav", params={"bits": bits})
    info = soundfile.info(io.BytesIO(answer.content))
    assert (info.subtype, info.channels, info.frames) == (subtype, 2, round(2 * 4 * 60 / 104 * 44_100))
    samples, _ = soundfile.read(io.BytesIO(answer.content), dtype="float32")
    performance = perform(song.pattern, song.feel, tempo_bpm=104)
    expected = mixdown(play_events(performance, song.kit, song.mix), song.kit, performance.length_ms / 1000).samples
    np.testing.assert_allclose(samples, expected, atol=4e-5)


def test_an_empty_pattern_exports_silence_of_the_right_length(client, store):
    with store.transaction() as session:
        song_id = create_song(session, "empty", tempo_bpm=120).id
    samples, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song_id}/pattern.wav").content))
    assert samples.shape == (4 * 44_100, 2)
    assert not samples.any()
    assert list(_starts(mido.MidiFile(file=io.BytesIO(client.get(f"/songs/{song_id}/pattern.mid").content)))) == []


def loud(store, song):
    for voice in ("kick", "snare", "hat_closed"):
        do(store, song.id, "mix", voice=voice, field="level_db", value=12)


def test_a_mix_that_would_clip_is_refused_with_how_much_and_what(client, store, song):
    loud(store, song)
    for name in ("song.wav", "pattern.wav"):
        answer = client.get(f"/songs/{song.id}/{name}?bits=16", headers={"Accept": "application/json"})
        assert answer.status_code == 409
        told = answer.json()["clipping"]
        assert told["over_db"] > 0
        assert told["loudest"][0][1] > -20
        fits = client.get(f"/songs/{song.id}/{name}?bits=16&take_off_db={told['take_off_db']}")
        peak = np.abs(soundfile.read(io.BytesIO(fits.content))[0]).max()
        assert 0.97 < peak <= 1.0
        cut = client.get(f"/songs/{song.id}/{name}?bits=16&as_it_is=true")
        assert np.abs(soundfile.read(io.BytesIO(cut.content))[0]).max() == pytest.approx(1.0, abs=1e-3)
        whole = client.get(f"/songs/{song.id}/{name}?bits=32")
        over = 20 * np.log10(np.abs(soundfile.read(io.BytesIO(whole.content))[0]).max())
        assert over == pytest.approx(told["over_db"], abs=0.01)


def test_the_patterns_midi_leaves_out_what_is_muted(client, store, song):
    do(store, song.id, "mix", voice="kick", field="mute", value=True)
    midi = mido.MidiFile(file=io.BytesIO(client.get(f"/songs/{song.id}/pattern.mid").content))
    notes = {message.note for track in midi.tracks for message in track if message.type == "note_on"}
    assert 36 not in notes
    assert 38 in notes
