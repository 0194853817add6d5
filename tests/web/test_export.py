"""What is exported is what the ledger says."""

import io

import mido
import numpy as np
import pyloudnorm
import pytest
import soundfile
import soxr
from mutagen.flac import FLAC

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.archive import read_archive
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.stage.limiter import true_peak_db
from easy_pocket.demo.tidewater import three_piers
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song, read_song
from easy_pocket.store.songs.selection import Selection
from tests.core.test_audio_marks import chunks, markers
from tests.drums import ROCK, beat
from tests.editing import do, step
from tests.web.test_takes import data


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
    np.testing.assert_allclose(samples, expected, atol=1e-4 if bits == "16" else 4e-5)


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


def test_a_mix_that_is_too_loud_stays_under_its_ceiling(client, store, song):
    loud(store, song)
    for name in ("song.wav", "pattern.wav"):
        sound, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/{name}?bits=32").content))
        assert -1.3 < true_peak_db(sound.T) < -0.9
    do(store, song.id, "stage_ceiling", ceiling_db=-6)
    sound, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/pattern.wav?bits=32").content))
    assert true_peak_db(sound.T) < -5.9


@pytest.mark.parametrize(("rate", "bits"), [(48_000, 24), (88_200, 16), (96_000, 32)])
def test_rates_and_bits_keep_the_length_and_the_sound(client, song, rate, bits):
    plain, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/pattern.wav?bits=32").content))
    made, rate_hz = soundfile.read(
        io.BytesIO(client.get(f"/songs/{song.id}/pattern.wav?bits={bits}&rate={rate}").content)
    )
    assert rate_hz == rate
    assert len(made) == round(len(plain) * rate / 44_100)
    # Gone round, so that the seam is in the middle; back at the old rate it is the same sound.
    half = len(plain) // 2
    back = soxr.resample(np.tile(made, (2, 1)), rate, 44_100, "VHQ")[half : half + len(plain)]
    again = np.roll(plain, -half, axis=0)
    assert np.corrcoef(back[500:-500, 0], again[500:-500, 0])[0, 1] > 0.999
    seam = slice(len(plain) - half - 200, len(plain) - half + 200)
    assert np.abs(back[seam] - again[seam]).max() < 0.02


def test_flac_and_a_loudness_that_is_asked_for(client, song):
    wav, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/pattern.wav?bits=24").content))
    flac, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/pattern.flac?bits=24").content))
    np.testing.assert_allclose(flac, wav, atol=2 / 2**23)
    loud, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/song.wav?loudness=-16").content))
    assert pyloudnorm.Meter(44_100).integrated_loudness(loud) == pytest.approx(-16, abs=0.2)
    assert true_peak_db(loud.T) < -0.9
    answer = client.get(f"/songs/{song.id}/pattern.flac?bits=32", headers={"Accept": "application/json"})
    assert "FLAC holds 16 or 24 bits" in answer.json()["error"]


def placed(store, song):
    """A Stage with chains, a group, rooms and an echo."""
    part = song.part.id
    voices = {voice: f"part:{part}:{voice}" for voice in ("kick", "snare", "hat_closed")}
    duck = {"kind": "duck", "settings": {"by": "kick", "depth_db": -9.0}}
    press = {"kind": "compressor", "settings": {"threshold_db": -30.0, "ratio": 4.0}}
    do(store, song.id, "stage_group", name="tops", members=[voices["snare"], voices["hat_closed"]])
    do(store, song.id, "stage_chain", where="group:g1", chain=[press, duck])
    do(store, song.id, "stage_chain", where=voices["kick"], chain=[{"kind": "drive"}])
    do(store, song.id, "stage_chain", where="whole", chain=[press])
    for where, to in ((voices["snare"], "long"), ("group:g1", "short"), (voices["hat_closed"], "echo")):
        do(store, song.id, "stage_send", where=where, to=to, percent=40)


@pytest.mark.parametrize("rooms", ["inside", "apart"])
@pytest.mark.parametrize("by", ["voice", "part", "group"])
@pytest.mark.parametrize("name", ["song", "pattern"])
def test_stems_add_up_to_the_mix_before_the_whole(client, store, song, name, by, rooms):
    placed(store, song)
    answer = client.get(f"/songs/{song.id}/{name}.zip?stems={by}&rooms={rooms}&bits=32")
    files = read_archive(answer.content, "stems.zip", (".wav",))
    sounds = {path: soundfile.read(io.BytesIO(data))[0] for path, data in files.items()}
    before = next(sound for path, sound in sounds.items() if path.endswith("mix before.wav"))
    stems = {path: sound for path, sound in sounds.items() if " - mix" not in path}
    assert len({len(sound) for sound in sounds.values()}) == 1
    added = np.sum(list(stems.values()), axis=0)
    assert np.abs(added - before).max() < 1e-5 * np.abs(before).max()
    titles = [path.split(" - ", 1)[1] for path in sorted(stems)]
    assert [title[:2] for title in titles] == [f"{number:02d}" for number in range(1, len(titles) + 1)]
    assert ("long room" in " ".join(titles)) == (rooms == "apart")
    if by == "voice":
        assert len([title for title in titles if "kick" in title.lower()]) == 1


def test_dry_stems_are_the_sounds_as_they_were(client, store, song):
    before, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/pattern.wav?bits=32").content))
    placed(store, song)
    answer = client.get(f"/songs/{song.id}/pattern.zip?stems=voice&dry=true&bits=32")
    files = read_archive(answer.content, "stems.zip", (".wav",))
    stems = [soundfile.read(io.BytesIO(data))[0] for path, data in files.items() if " - mix" not in path]
    np.testing.assert_allclose(np.sum(stems, axis=0), before, atol=1e-5)


def test_some_bars_of_the_song_are_as_they_are_in_it(client, song):
    whole, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/song.wav?bits=32").content))
    second, _ = soundfile.read(io.BytesIO(client.get(f"/songs/{song.id}/song.wav?bits=32&from_bar=2&bars=1").content))
    bar = round(4 * 60 / 104 * 44_100)
    assert abs(len(second) - bar) <= 1
    found = min(np.abs(whole[bar + roll : bar + roll + 2000] - second[:2000]).max() for roll in (0, bar))
    assert found < 1e-5
    answer = client.get(f"/songs/{song.id}/song.wav?from_bar=99", headers={"Accept": "application/json"})
    assert "there is no bar 99" in answer.json()["error"]


def test_the_patterns_midi_leaves_out_what_is_muted(client, store, song):
    do(store, song.id, "mix", voice="kick", field="mute", value=True)
    midi = mido.MidiFile(file=io.BytesIO(client.get(f"/songs/{song.id}/pattern.mid").content))
    notes = {message.note for track in midi.tracks for message in track if message.type == "note_on"}
    assert 36 not in notes
    assert 38 in notes


def now(store, song):
    with store.transaction() as session:
        return load_song(session, song.id).values


def with_hands(store, song):
    """A second part with two hits; its values."""
    do(store, song.id, "part_add", kit_key="net_loft", name="Hands")
    other = now(store, song).parts[1]
    for tick in (480, 1920):
        there = Selection(other.id, other.patterns[0].id, 0)
        do(store, song.id, "write", voice=other.voices[0], tick=tick, velocity=100, selection=there)
    return now(store, song).parts[1]


def notes_of(data):
    """By the name of the track: (tick, note) of each."""
    found = {}
    for track in mido.MidiFile(file=io.BytesIO(data)).tracks:
        now, notes = 0, []
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity:
                notes.append((now, message.note))
        if notes:
            found[track.name] = notes
    return found


def test_this_pattern_as_midi_holds_all_that_plays(client, song, store):
    hands = with_hands(store, song)
    name = now(store, song).parts[0].name
    every = notes_of(client.get(f"/songs/{song.id}/pattern.mid").content)
    assert list(every) == [name, "Hands"]
    assert [round(tick, -1) for tick, _ in every["Hands"]] == [480, 1920, 4320, 5760]  # it turns under two bars
    alone = notes_of(client.get(f"/songs/{song.id}/pattern.mid?only=part").content)
    assert list(alone) == [name]
    assert alone[name] == every[name]
    do(store, song.id, "part_set", part_id=hands.id, field="mute", value=True)
    assert list(notes_of(client.get(f"/songs/{song.id}/pattern.mid").content)) == [name]
    do(store, song.id, "part_set", part_id=hands.id, field="mute", value=False)
    do(store, song.id, "part_set", part_id=hands.id, field="solo", value=True)
    assert list(notes_of(client.get(f"/songs/{song.id}/pattern.mid").content)) == ["Hands"]


def test_the_song_has_notes_of_its_own_in_its_files_and_on_pads(client, song, store):
    def struck(address="song.mid"):
        found = notes_of(client.get(f"/songs/{song.id}/{address}").content)
        return {note for notes in found.values() for _, note in notes}

    assert struck() == {36, 38, 42}
    do(store, song.id, "key", voice="snare", note=40)
    assert struck() == struck("pattern.mid") == {36, 40, 42}
    pads = {pad["voice"]: pad["note"] for pad in data(client, song.id)["pads"]}
    assert (pads["snare"], pads["kick"]) == (40, 36)
    do(store, song.id, "key", voice="kick", note=40)
    assert "Also Kick: one file cannot tell them apart" in client.get(f"/songs/{song.id}/keys").text
    assert step(store, song.id, "undo") == "note of kick 40"
    do(store, song.id, "keys_all", like="general_midi")
    assert struck() == {36, 38, 42}
    do(store, song.id, "keys_all", like="kits")
    assert step(store, song.id, "undo") == "notes as the kits say"
    assert len(read_song(store.reader, song.id).key_map) > 8
    do(store, song.id, "keys_all", like="kits")
    with pytest.raises(EditRefusedError, match="The notes are as the kits say already"):
        do(store, song.id, "keys_all", like="kits")  # pressed twice: one step
    do(store, song.id, "key", voice="snare", note=40)
    do(store, song.id, "key", voice="snare", note=None)
    assert read_song(store.reader, song.id).key_map == {}


def test_midi_and_audio_start_together_and_say_so(client, song, store):
    do(store, song.id, "remove", voice="kick", tick=0)
    do(store, song.id, "offset", voice="hat_closed", tick=0, offset_ms=-20.0)
    midi = client.get(f"/songs/{song.id}/song.mid").content
    first_ticks = min(tick for notes in notes_of(midi).values() for tick, _ in notes)
    data = client.get(f"/songs/{song.id}/song.wav?bits=32").content
    with soundfile.SoundFile(io.BytesIO(data)) as file:
        comment, audio = file.comment, file.read(dtype="float32")
    bar_s = 4 * 60 / 104
    assert comment == f"A bar of pre-roll: the first beat is at {bar_s:.3f} s."
    loud = np.abs(audio).max(axis=1)
    first_s = int(np.flatnonzero(loud > 0.02 * loud.max())[0]) / 44_100
    assert first_s == pytest.approx(first_ticks * 60 / 104 / 960, abs=0.003)
    assert first_s < bar_s
    # Nothing early: both begin with the first beat.
    do(store, song.id, "offset", voice="hat_closed", tick=0, offset_ms=30.0)
    data = client.get(f"/songs/{song.id}/song.wav?bits=32").content
    with soundfile.SoundFile(io.BytesIO(data)) as file:
        assert file.comment == ""
    assert "pre-roll" not in client.get(f"/songs/{song.id}/song.mid").content.decode("latin-1")


def test_a_wav_says_where_bars_and_sections_begin_and_a_loop_that_it_goes_round(client, store):
    with store.transaction() as session:
        number = three_piers(session).id
    song = read_song(store.reader, number)
    bar_s = song.metre.bar_ticks / 960 * 60 / song.tempo_bpm
    loop = client.get(f"/songs/{number}/pattern.wav").content
    first = markers(loop)
    assert [label for _, label in first] == [f"bar {bar + 1}" for bar in range(len(first))]
    assert [at / 44_100 for at, _ in first] == [pytest.approx(bar * bar_s, abs=1e-4) for bar in range(len(first))]
    assert b"smpl" in chunks(loop)
    whole = client.get(f"/songs/{number}/song.wav?rate=48000").content
    assert b"smpl" not in chunks(whole)
    starts = [(span.start_ms / 1000, span.section.name) for span in song.arrangement.spans]
    shift = markers(whole)[0][0] / 48_000  # a bar of pre-roll, where a sound begins early
    assert [label for _, label in markers(whole)] == [name for _, name in starts]
    assert [at / 48_000 - shift for at, _ in markers(whole)] == [pytest.approx(at, abs=1e-4) for at, _ in starts]
    flac = FLAC(io.BytesIO(client.get(f"/songs/{number}/pattern.flac").content))
    assert flac["bpm"] == [f"{song.tempo_bpm:g}"]
    assert flac["title"] == [song.name]
