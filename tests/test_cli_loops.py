"""hits, slices, sit-in and retime as a user calls them."""

import json

import mido
import numpy as np
import pytest
import soundfile

from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.listen.loop_analysis import analyze_loop
from tests.drums import SWUNG, beat, rendered, wav_bytes
from tests.test_cli import run

TEMPO = 96.0


@pytest.fixture(scope="module")
def desk(tmp_path_factory):
    folder = tmp_path_factory.mktemp("desk")
    audio, _ = rendered(beat(SWUNG), TEMPO, Feel(swing_percent=60))
    (folder / "loop.wav").write_bytes(wav_bytes(audio.samples))
    (folder / "in.mid").write_bytes(write_midi(perform(beat(SWUNG), tempo_bpm=TEMPO)).data)
    return folder


def test_the_rhythm_of_a_loop_as_midi_with_its_true_offsets(desk):
    done = run("hits", "loop.wav", "-o", "hits.mid", "--json", cwd=desk)
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["tempo_bpm"] == pytest.approx(TEMPO, rel=0.005)
    back = read_midi((desk / "hits.mid").read_bytes(), "hits.mid")
    wanted = {(hit.voice, hit.tick) for hit in beat(SWUNG).hits}
    told = {(hit["voice"], hit["tick"]) for hit in found["hits"]}
    assert len(wanted & told) / len(wanted) > 0.9
    late = [hit["offset_ms"] for hit in found["hits"] if hit["voice"] == "hat_closed" and hit["tick"] % 480 == 240]
    assert np.median(late) == pytest.approx(0.1 * 2 * 60000 / TEMPO / 4, abs=1)
    assert len(back.pattern.hits) == len(found["hits"])


def test_hits_on_a_few_voices_only(desk):
    assert run("hits", "loop.wav", "-o", "few.mid", "--voices", "kick,clap", cwd=desk).returncode == 0
    back = read_midi((desk / "few.mid").read_bytes(), "few.mid")
    assert {hit.voice for hit in back.pattern.hits} <= {"kick", "clap"}
    done = run("hits", "loop.wav", "-o", "no.mid", "--voices", "gong", cwd=desk)
    assert (done.returncode, "no voice 'gong'" in done.stderr) == (2, True)
    assert not (desk / "no.mid").exists()


def test_slices_come_with_what_replays_them(desk):
    assert run("slices", "loop.wav", "-o", "cut", cwd=desk).returncode == 0
    names = sorted(path.name for path in (desk / "cut" / "samples").iterdir())
    pieces = [soundfile.read(desk / "cut" / "samples" / name)[0] for name in names]
    whole, _ = soundfile.read(desk / "loop.wav")
    assert sum(map(len, pieces)) == len(whole)
    sfz = (desk / "cut" / "loop.sfz").read_text()
    assert sfz.count("<region>") == len(names)
    notes = [m for track in mido.MidiFile(desk / "cut" / "loop.mid").tracks for m in track if m.type == "note_on"]
    assert sorted(note.note for note in notes) == [24 + number for number in range(len(names))]


def test_more_slices_than_keys_leave_no_folder(desk):
    fine = beat({"hat_closed": "x" * 128}, step=120)
    audio, _ = rendered(fine, 60.0)
    (desk / "long.wav").write_bytes(wav_bytes(audio.samples))
    done = run("slices", "long.wav", "-o", "many", cwd=desk)
    assert (done.returncode, "there are keys for 104" in done.stderr) == (2, True), done.stderr
    assert not (desk / "many").exists()


def test_a_beat_sits_in_with_the_loop(desk):
    done = run("sit-in", "in.mid", "loop.wav", "-o", "sat.mid", "--strength", "100", "--json", cwd=desk)
    found = json.loads(done.stdout)
    assert found["before"]["mean_size_ms"] > 5
    assert found["after"]["mean_size_ms"] < 1
    assert found["before"]["worst"][0]["place"]
    assert found["hits"] == len(read_midi((desk / "sat.mid").read_bytes(), "sat.mid").pattern.hits)
    half = json.loads(
        run("sit-in", "in.mid", "loop.wav", "-o", "half.mid", "--strength", "50", "--json", cwd=desk).stdout
    )
    assert half["after"]["mean_size_ms"] == pytest.approx(found["before"]["mean_size_ms"] / 2, rel=0.1)


def test_a_loop_at_another_tempo_is_heard_there(desk):
    assert run("retime", "loop.wav", "--tempo", "110", "-o", "fast.wav", cwd=desk).returncode == 0
    heard = analyze_loop(read_audio(desk / "fast.wav", "fast.wav"))
    assert heard.reading.tempo_bpm == pytest.approx(110, rel=0.01)
    asked = ("retime", "loop.wav", "--tempo", "110", "--how", "stretch", "--semitones", "-3", "-o", "low.wav")
    assert run(*asked, cwd=desk).returncode == 0
    fast, low = (read_audio(desk / name, name) for name in ("fast.wav", "low.wav"))
    assert low.duration_s == fast.duration_s
    assert analyze_loop(low).reading.tempo_bpm == pytest.approx(110, rel=0.01)


@pytest.mark.parametrize(
    ("command", "words"),
    [
        (("retime", "loop.wav", "--tempo", "-90", "-o", "x.wav"), "tempo is -90"),
        (("retime", "loop.wav", "--tempo", "90", "--semitones", "30", "-o", "x.wav"), "pitch is 30"),
        (("sit-in", "in.mid", "loop.wav", "-o", "x.mid", "--strength", "200"), "strength is 200 %"),
        (("slices", "loop.wav", "-o", "x", "--by", "grid", "--slots", "99"), "slots in a slice is 99"),
        (("hits", "in.mid", "-o", "x.mid"), "in.mid"),
    ],
)
def test_bad_input_is_one_line_and_no_file(desk, command, words):
    done = run(*command, cwd=desk)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert words in done.stderr
    assert not (desk / "x.wav").exists()
    assert not (desk / "x.mid").exists()
