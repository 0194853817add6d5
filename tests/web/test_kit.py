"""The Kit screen over HTTP: what is shown, tried, brought in, refused, and taken away."""

import io
import zipfile

import numpy as np
import pytest
import soundfile

from easy_pocket.core.formats.archive import write_archive
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.demo.load import lamplighter_hits, load_demo
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.conftest import fresh_kits
from tests.editing import fragment
from tests.web.test_bench import Tab

RATE = 44_100


@pytest.fixture
def tab(client, store):
    load_demo(store, songs=False)
    fresh_kits(store)
    with store.transaction() as session:
        voices = ("kick", "snare", "rim", "hat_closed", "hat_open", "tambourine", "shaker")
        song = create_song(session, "Lamplighter", tempo_bpm=104, hits=lamplighter_hits(), voices=voices)
        song_id = song.id
    yield Tab(client, song_id)
    fresh_kits(store)


KIT = {"screen": "kit", "voice": "snare"}
SNARE = {"kind": "kit_voice", "role": "snare"}


def upload(tab, path, name, data, **query):
    answer = tab.client.post(f"/songs/{tab.song_id}/{path}", params={"name": name, **query}, content=data)
    return answer.status_code, answer.json()


def library(tab, **query):
    return tab.client.get(f"/songs/{tab.song_id}/library", params=query).json()


def wav(x, rate=RATE, subtype="PCM_24"):
    out = io.BytesIO()
    soundfile.write(out, x, rate, format="WAV", subtype=subtype)
    return out.getvalue()


def burst(seed=1, seconds=0.2, channels=1):
    dice = np.random.default_rng(seed)
    decay = np.exp(-np.arange(int(seconds * RATE)) / RATE / 0.03)[:, None]
    return dice.normal(0, 0.2, (len(decay), channels)) * decay


def test_an_edit_answers_with_the_voice_as_it_is_now_and_new_audio(tab):
    before = tab.client.get(f"/songs/{tab.song_id}/state", params=KIT).json()["playing"]["felt"]["audio"]
    status, answer = tab.post(
        "edits", edit={"kind": "kit_model", "role": "snare", "layer": 0, "control": "tune_hz", "value": 233.0}, view=KIT
    )
    assert status == 200
    assert "233 Hz" in fragment(answer, "kit-voice")
    assert "B♭3" in fragment(answer, "kit-voice")
    changed = set(answer["playing"]["felt"]["audio"]) - set(before)
    assert changed
    assert all(key.startswith("snare-") for key in changed)
    sound = tab.client.get(f"/audio/sounds/{changed.pop()}.wav")
    samples, rate = soundfile.read(io.BytesIO(sound.content))
    assert rate == RATE
    assert np.abs(samples).max() > 0.05


def test_a_value_out_of_range_is_refused_in_words_and_changes_nothing(tab):
    status, answer = tab.post("edits", edit={**SNARE, "field": "pan", "value": 7}, view=KIT)
    assert (status, answer["error"]) == (422, "The pan of a voice is 7; it must lie between -1 and 1.")
    status, answer = tab.post("edits", edit={**SNARE, "field": "layers", "value": 1}, view=KIT)
    assert (status, answer["error"]) == (422, "A voice has no 'layers'.")


def test_the_tune_says_what_the_key_makes_of_it(tab):
    tab.post("edits", edit={"kind": "kit_voice", "role": "kick", "field": "key_step", "value": 0})
    status, answer = tab.post("edits", edit={"kind": "kit_key", "key_note": 9}, view={"screen": "kit", "voice": "kick"})
    assert status == 200
    assert "→ A1" in fragment(answer, "kit-voice")


def test_a_sound_is_tried_without_being_kept(tab):
    sound = next(one for one in library(tab, role="snare")["sounds"] if one["name"] == "snare, tight")
    query = {"voice": "snare", "layer": 0, "sound_id": sound["id"], "in_beat": True}
    tried = tab.client.get(f"/songs/{tab.song_id}/kit/try", params=query).json()
    assert tried["hit"]["audio"] in [
        key for key in (*tried["playing"]["felt"]["audio"], tried["hit"]["audio"]) if key.startswith("snare-")
    ]
    assert tab.client.get(f"/audio/sounds/{tried['hit']['audio']}.wav").status_code == 200
    now = tab.client.get(f"/songs/{tab.song_id}/state", params=KIT).json()
    assert not set(tried["playing"]["felt"]["audio"]) <= set(now["playing"]["felt"]["audio"])
    assert now["song"]["undo"] is None


def test_the_library_answers_in_stretches(tab):
    first = library(tab, limit=20)
    second = library(tab, limit=20, offset=20)
    assert first["total"] > 100
    assert len(first["sounds"]) == len(second["sounds"]) == 20
    names = [one["name"].casefold() for one in first["sounds"] + second["sounds"]]
    assert names == sorted(names)
    assert {one["role"] for one in library(tab, role="kick")["sounds"]} == {"kick"}
    assert [one["name"] for one in library(tab, words="wires")["sounds"]] == ["snare, wires only"]


def test_what_goes_with_a_low_snare_is_bright(tab):
    fits = library(tab, fits=True, voice="kick", layer=1, limit=10)["sounds"]
    worst = library(tab, fits=True, voice="kick", layer=1, limit=100)["sounds"][-10:]
    assert np.mean([one["bright"] for one in fits]) > np.mean([one["bright"] for one in worst]) + 10


def test_sounds_come_in_singly_and_zipped_and_only_once(tab):
    status, answer = upload(tab, "library/upload", "..\\gravel/<b>clap</b>.wav", wav(burst(2)))
    assert status == 200
    assert answer["sounds"][0]["name"] == "b>"
    assert answer["sounds"][0]["new"]
    pack = io.BytesIO()
    with zipfile.ZipFile(pack, "w") as archive:
        archive.writestr("a/one.wav", wav(burst(2)))
        archive.writestr("a/two.wav", wav(burst(3)))
        archive.writestr("a/three.wav", b"no audio at all")
    status, answer = upload(tab, "library/upload", "pack.zip", pack.getvalue())
    assert [(one["name"], one["new"]) for one in answer["sounds"]] == [("b>", False), ("two", True)]
    assert answer["refused"][0].startswith("three.wav is no audio")


@pytest.mark.parametrize(
    ("data", "status", "words"),
    [
        (b"", 422, "is empty"),
        (wav(np.zeros((4000, 1))), 422, "is silent"),
        (wav(np.full((4000, 1), np.nan), subtype="FLOAT"), 422, "no numbers"),
        (wav(burst(seconds=45)), 422, "at most 30 s"),
        (b"\0" * 61_000_000, 413, "60 MB"),
    ],
    ids=["empty", "silent", "nan", "long", "large"],
)
def test_what_cannot_come_in_is_refused_and_the_voice_stays(tab, data, status, words):
    before = tab.client.get(f"/songs/{tab.song_id}/state", params=KIT).json()["fragments"]
    found, answer = upload(tab, "library/upload", "x.wav", data)
    assert found == status
    assert words in answer["error"]
    assert tab.client.get(f"/songs/{tab.song_id}/state", params=KIT).json()["fragments"] == before


def test_stereo_24_bit_96_khz_comes_in(tab):
    status, answer = upload(tab, "library/upload", "wide.wav", wav(burst(5, channels=2), 96_000))
    assert status == 200
    sound = answer["sounds"][0]
    query = {"voice": "snare", "layer": 0, "sound_id": sound["id"]}
    key = tab.client.get(f"/songs/{tab.song_id}/kit/try", params=query).json()["hit"]["audio"]
    samples, rate = soundfile.read(io.BytesIO(tab.client.get(f"/audio/sounds/{key}.wav").content))
    assert (samples.ndim, rate) == (2, RATE)


def test_another_kit_plays_the_same_beat_as_loud(tab):
    answer = tab.client.get(f"/songs/{tab.song_id}/kit/beside", params={"kit_key": "signal_box"}).json()
    own = tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]
    assert answer["name"] == "Signal Box"
    assert answer["playing"]["felt"]["start_s"] == own["felt"]["start_s"]
    assert not set(answer["playing"]["felt"]["audio"]) & set(own["felt"]["audio"])
    first = tab.client.get(f"/songs/{tab.song_id}/kit/beside").json()
    assert first["name"] == "Dry Dock"
    ratio_db = 20 * np.log10(answer["playing"]["master_gain"] / own["master_gain"])
    assert ratio_db == pytest.approx(answer["gain_db"])


def test_the_kit_goes_out_and_comes_in_as_a_new_one(tab):
    data = tab.client.get(f"/songs/{tab.song_id}/kit.zip").content
    assert read_sfz(data, "x.zip").kit.roles[:2] == ("kick", "snare")
    status, answer = upload(tab, "kit/upload", "Boathouse.zip", data, revision=tab.revision)
    assert (status, answer["remarks"], answer["name"]) == (200, [], "Boathouse")
    assert answer["song"]["undo"] == "bring in the kit Boathouse"
    tab.revision = answer["song"]["revision"]
    status, answer = tab.post("undo", view=KIT)
    assert "14 voices" in fragment(answer, "kit-voices")
    with zipfile.ZipFile(io.BytesIO(tab.client.get(f"/songs/{tab.song_id}/kit-sounds.zip").content)) as archive:
        assert len(archive.namelist()) == 14


def test_a_kit_that_names_missing_samples_says_which(tab):
    sfz = b"<region> key=36 sample=kick.wav\n<region> key=38 sample=gone.wav"
    data = write_archive({"k.sfz": sfz, "kick.wav": wav(burst(6))})
    _, answer = upload(tab, "kit/upload", "k.zip", data, revision=tab.revision)
    assert answer["remarks"] == ["gone.wav is named but not in the zip."]
    tab.revision = answer["song"]["revision"]
    status, answer = upload(tab, "kit/upload", "k.zip", b"PK not a zip", revision=tab.revision)
    assert status == 422
    assert "no zip file" in answer["error"]
    status, answer = upload(tab, "kit/upload", "k.zip", data, revision=1)
    assert status == 409


def test_markup_in_names_is_shown_as_text(tab):
    tab.post("edits", edit={**SNARE, "field": "name", "value": "<script>x</script>"}, view=KIT)
    page = tab.client.get(f"/songs/{tab.song_id}/kit", headers={"accept": "text/html"}).text
    assert "<script>x" not in page
    assert "&lt;script&gt;x" in page


def test_the_bench_says_what_is_not_heard(tab, store):
    for field in ("velocity_level", "velocity_bright"):
        tab.post("edits", edit={**SNARE, "field": field, "value": 0})
    tab.post("edits", edit={"kind": "kit_voice_off", "role": "rim"})
    rails = fragment(tab.client.get(f"/songs/{tab.song_id}/state").json(), "rails")
    assert "velocity is not heard" in rails
    assert "not in Boathouse: silent" in rails
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
        assert any(hit.voice == "rim" for hit in song.pattern.hits)
    tab.post("undo")
    assert "not in Boathouse" not in fragment(tab.client.get(f"/songs/{tab.song_id}/state").json(), "rails")


def test_the_kits_notes_go_into_the_midi_file(tab):
    tab.post("edits", edit={**SNARE, "field": "note", "value": 40})
    data = tab.client.get(f"/songs/{tab.song_id}/pattern.mid").content
    assert b"\x99\x28" in data or b"\x28" in data[data.index(b"\x99") :]
    import mido

    notes = {m.note for track in mido.MidiFile(file=io.BytesIO(data)).tracks for m in track if m.type == "note_on"}
    assert 40 in notes
    assert 38 not in notes


def test_writes_need_our_own_origin(tab):
    foreign = {"origin": "http://elsewhere.example"}
    sound = library(tab, limit=1)["sounds"][0]
    for path in (f"/library/{sound['id']}", f"/songs/{tab.song_id}/library/upload?name=x.wav"):
        answer = tab.client.post(path, headers=foreign, json={"favourite": True})
        assert answer.status_code == 403
        assert "does not come from an Easy Pocket page" in answer.json()["error"]
    assert not library(tab, limit=1)["sounds"][0]["favourite"]
