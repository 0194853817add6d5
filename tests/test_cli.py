"""The command line as a user calls it: results on stdout, one line on stderr, exit code 2, no partial file."""

import contextlib
import io
import json
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import mido
import numpy as np
import pytest
import soundfile

from easy_pocket.cli import main
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.groove_json import dump_template, load_template
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.samples import house_kits, shipped_samples
from tests.drums import ROCK, SWUNG, beat, raw_wav, rendered, template, wav_bytes, written_sfz


def run(*arguments, cwd):
    """The command in this process: the same words and exit code, without a second of starting Python each time."""
    out, error = io.StringIO(), io.StringIO()
    with contextlib.chdir(cwd), contextlib.redirect_stdout(out), contextlib.redirect_stderr(error):
        try:
            code = main([str(argument) for argument in arguments])
        except SystemExit as left:
            code = left.code
    return SimpleNamespace(returncode=code, stdout=out.getvalue(), stderr=error.getvalue())


def test_the_installed_command_answers(tmp_path):
    (tmp_path / "x.wav").write_bytes(b"")
    command = Path(sys.executable).with_name("easy-pocket")
    done = subprocess.run([command, "listen", "x.wav"], cwd=tmp_path, capture_output=True, text=True)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr == "easy-pocket: x.wav is empty (0 bytes): choose another file, or export it again.\n"


@pytest.fixture
def desk(tmp_path):
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    (tmp_path / "loop.wav").write_bytes(wav_bytes(audio.samples))
    (tmp_path / "in.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104)).data)
    (tmp_path / "t.json").write_text(dump_template(template([float(slot) for slot in range(16)], 104.0)))
    return tmp_path


def starts(path):
    found = {}
    for track in mido.MidiFile(path).tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on":
                found.setdefault(message.note, []).append(now)
    return found


def test_what_has_no_beat_is_said_beside_what_was_asked_for(desk):
    dice = np.random.default_rng(5)
    x = np.zeros(44_100 * 6)
    for at in dice.integers(0, len(x) - 3000, 30):
        x[at : at + 2000] += 0.3 * dice.standard_normal(2000) * np.exp(-np.arange(2000) / 300)
    (desk / "rain.wav").write_bytes(wav_bytes(x[:, None].astype(np.float32)))
    told = run("listen", "rain.wav", "--json", cwd=desk)
    assert json.loads(told.stdout)["confidence"] < 0.5
    assert "find a steady beat here, because its" in told.stderr
    assert run("listen", "loop.wav", "--json", cwd=desk).stderr == ""


def test_listen_prints_what_was_heard(desk):
    doc = json.loads(run("listen", "loop.wav", "--json", cwd=desk).stdout)
    assert set(doc) == {
        *("tempo_bpm", "beats_per_bar", "beat_unit", "bars", "bar_one_s", "confidence"),
        *("bar_lines_s", "swing_percent", "onsets", "template"),
    }
    assert doc["tempo_bpm"] == pytest.approx(88.5, rel=1e-3)
    assert (doc["beats_per_bar"], doc["beat_unit"], doc["bars"]) == (4, 4, 2)
    assert doc["swing_percent"] == pytest.approx(60, abs=1.5)
    assert len(doc["onsets"]) == 21
    assert set(doc["onsets"][0]) == {"time_s", "strength", "group"}
    assert {len(doc["template"][key]) for key in ("offsets_ms", "accents", "guessed")} == {
        doc["template"]["slots_per_bar"]
    }
    assert doc["template"]["guessed"][1]
    assert "88.5" in run("listen", "loop.wav", cwd=desk).stdout


def test_groove_writes_a_template_that_perform_reads(desk):
    assert run("groove", "loop.wav", "-o", "g.json", "--name", "Low Tide", cwd=desk).returncode == 0
    groove = load_template((desk / "g.json").read_text(), "g.json")
    assert (groove.name, groove.slots_per_bar) == ("Low Tide", 16)
    straight = perform(beat({"rim": "xxxxxxxxxxxxxxxx"}), tempo_bpm=88.5)
    (desk / "even.mid").write_bytes(write_midi(straight).data)
    assert run("perform", "even.mid", "-o", "out.mid", "--template", "g.json", cwd=desk).returncode == 0
    shift = np.array(starts(desk / "out.mid")[37]) - np.arange(16) * 240
    np.testing.assert_allclose(shift[1::2], 0.2 * 240, atol=10)
    np.testing.assert_allclose(shift[0::2], 0, atol=10)


def test_perform_swings_pushes_and_pulls(desk):
    run("perform", "in.mid", "-o", "swung.mid", "--swing", 60, "--swing-unit", 8, cwd=desk)
    hats = np.array(starts(desk / "swung.mid")[42])
    assert (hats[1] - hats[0], hats[2] - hats[0]) == (576, 960)
    run("perform", "in.mid", "-o", "pushed.mid", "--push", "snare=8", "--push", "2", cwd=desk)
    tick_ms = 60_000 / 104 / 960
    late = (np.array(starts(desk / "pushed.mid")[38]) - np.array(starts(desk / "in.mid")[38])) * tick_ms
    np.testing.assert_allclose(late, 10, atol=tick_ms)
    run("perform", "in.mid", "-o", "pulled.mid", "--template", "t.json", "--timing-pull", 50, cwd=desk)
    pulled = (np.array(starts(desk / "pulled.mid")[38]) - np.array(starts(desk / "in.mid")[38])) * tick_ms
    np.testing.assert_allclose(pulled, [2, 6, 2, 6], atol=tick_ms)


def test_perform_loosens_the_same_way_for_the_same_seed(desk):
    for name, seed in (("one", 41), ("same", 41), ("other", 42)):
        run("perform", "in.mid", "-o", f"{name}.mid", "--drift", 4, "--jitter", 2, "--seed", seed, cwd=desk)
    one, same, other = (starts(desk / f"{name}.mid") for name in ("one", "same", "other"))
    assert one == same != other
    tick_ms = 60_000 / 104 / 960
    moved = (
        np.concatenate([np.array(one[note]) - np.array(starts(desk / "in.mid")[note]) for note in (38, 42)]) * tick_ms
    )
    assert 0.5 < moved.std() < 12
    done = run("perform", "in.mid", "-o", "wild.mid", "--drift", 99, cwd=desk)
    assert done.returncode == 2
    assert "Drift is 99 ms" in done.stderr
    assert not (desk / "wild.mid").exists()


def test_straight_takes_the_feel_out(desk):
    run("perform", "in.mid", "-o", "felt.mid", "--push", "4", cwd=desk)
    run("perform", "felt.mid", "-o", "straight.mid", "--straight", cwd=desk)
    assert starts(desk / "straight.mid") == starts(desk / "in.mid")


def test_an_early_hit_gets_a_pre_roll_and_is_told(desk):
    done = run("perform", "in.mid", "-o", "early.mid", "--push", "-20", cwd=desk)
    assert done.returncode == 0
    assert "pre-roll" in done.stderr
    assert min(starts(desk / "early.mid")[36]) == pytest.approx(3840 - 20 / (60_000 / 104 / 960), abs=1)


def test_notes_we_have_no_voice_for_are_kept_and_rendered(desk):
    pattern = Pattern(3840, (Hit("note56", 0, 90), Hit("note40", 960, 90), Hit("snare", 960, 91)))
    (desk / "odd.mid").write_bytes(write_midi(perform(pattern, tempo_bpm=100)).data)
    run("perform", "odd.mid", "-o", "odd2.mid", "--push", "snare=10", cwd=desk)
    found = starts(desk / "odd2.mid")
    assert set(found) == {56, 40, 38}
    assert found[40] == found[38] == [976]
    assert run("render", "odd.mid", "-o", "odd.wav", "--loop", cwd=desk).returncode == 0
    samples, rate = soundfile.read(desk / "odd.wav")
    assert len(samples) == round(2.4 * rate)
    assert np.abs(samples[:2000]).max() > 0.01


def test_render_puts_a_beat_through_a_stage_of_any_parts(desk):
    chain = [{"kind": "tone", "settings": {"low_cut_hz": 800.0}}]
    places = {"part:7:kick": {"chain": chain}, "part:9:snare": {"sends": {"long": 60}}}
    (desk / "stage.json").write_text(json.dumps({"format": "easy-pocket-stage/1", "places": places}))
    for out, more in (("dry.wav", ()), ("wet.wav", ("--stage", "stage.json"))):
        done = run("render", "in.mid", "-o", out, "--bits", 32, *more, cwd=desk)
        assert (done.returncode, done.stderr) == (0, "")
    dry, wet = (soundfile.read(desk / name)[0] for name in ("dry.wav", "wet.wav"))
    assert len(wet) > len(dry) + 20_000  # the long room rings out
    low = [float((np.abs(np.fft.rfft(x[:100_000, 0]))[:200] ** 2).sum()) for x in (dry, wet)]
    assert low[1] < 0.3 * low[0]
    (desk / "none.json").write_text("[]")
    done = run("render", "in.mid", "-o", "x.wav", "--stage", "none.json", cwd=desk)
    assert done.returncode == 2
    assert "holds no Stage" in done.stderr
    assert not (desk / "x.wav").exists()


def test_render_plays_sampled_kits_and_kits_from_a_zip(desk):
    (desk / "dock.zip").write_bytes(written_sfz(house_kits()["dry_dock"], shipped_samples))
    for kit, out in (("dry_dock", "dock.wav"), ("net_loft", "loft.wav"), ("dock.zip", "zip.wav")):
        done = run("render", "in.mid", "--kit", kit, "-o", out, "--loop", "--bits", 32, cwd=desk)
        assert (done.returncode, done.stderr) == (0, "")
    dock, loft, zipped = (soundfile.read(desk / name)[0] for name in ("dock.wav", "loft.wav", "zip.wav"))
    assert np.abs(dock).max() > 0.1
    assert np.abs(loft).max() > 0.1
    null_db = 10 * np.log10(((dock - zipped) ** 2).mean() / (dock**2).mean())
    assert null_db < -80


def test_a_kit_that_is_none_is_refused_in_one_line(desk):
    (desk / "no.zip").write_bytes(b"not a zip")
    for kit, words in (("no.zip", "no zip file"), ("harpsichord", "There is no kit 'harpsichord'")):
        done = run("render", "in.mid", "--kit", kit, "-o", "never.wav", cwd=desk)
        assert done.returncode == 2
        assert words in done.stderr
        assert done.stderr.count("\n") == 1
        assert not (desk / "never.wav").exists()


@pytest.mark.parametrize("kit", ["boathouse", "signal_box"])
def test_render_writes_what_listen_hears_again(desk, kit):
    assert run("render", "in.mid", "--kit", kit, "-o", "out.wav", "--loop", "--bits", 24, cwd=desk).returncode == 0
    assert soundfile.info(desk / "out.wav").subtype == "PCM_24"
    doc = json.loads(run("listen", "out.wav", "--json", cwd=desk).stdout)
    assert (doc["tempo_bpm"], doc["bars"]) == (pytest.approx(104, rel=1e-3), 2)


SMPTE = (lambda data: data[:12] + b"\xe7\x28" + data[14:])(write_midi(perform(beat(ROCK), tempo_bpm=104)).data)


def silence():
    return wav_bytes(np.zeros(44_100))


@pytest.mark.parametrize(
    ("arguments", "content", "words"),
    [
        (("listen", "x.wav"), b"", "is empty"),
        (("listen", "x.wav"), b"just text", "no audio"),
        (("listen", "x.wav"), silence(), "digital silence"),
        (("listen", "x.wav"), raw_wav(b"\1\0"), "1 sample"),
        (("listen", "x.wav"), raw_wav(b"", claimed=952_560_000), "no samples"),
        (("listen", "missing.wav"), b"", "No such file"),
        (("groove", "x.wav", "-o", "out.bin"), silence(), "no hits"),
        (("groove", "loop.wav", "-o", "out.bin", "--bars", "99"), b"", "1 to 8"),
        (("perform", "x.mid", "-o", "out.bin"), SMPTE, "SMPTE"),
        (("perform", "x.mid", "-o", "out.bin"), SMPTE[:40], "SMPTE|damaged"),
        (("perform", "in.mid", "-o", "out.bin", "--swing", "99"), b"", "between 50 and 75"),
        (("perform", "in.mid", "-o", "out.bin", "--timing-pull", "200"), b"", "between 0 and 100"),
        (("perform", "in.mid", "-o", "out.bin", "--push", "kazoo=3"), b"", "no voice 'kazoo'"),
        (("perform", "in.mid", "-o", "out.bin", "--push", "snare=x"), b"", "no number"),
        (("perform", "in.mid", "-o", "out.bin", "--tempo", "0"), b"", "between 20 and 400"),
        (("perform", "in.mid", "-o", "out.bin", "--template", "x.json"), b"{}", "no groove template"),
        (("perform", "in.mid", "-o", "out.bin", "--template", "x.mid"), b"{}", "no MIDI file"),
        (("render", "in.mid", "-o", "out.bin", "--kit", "tin"), b"", "no kit 'tin'"),
        (
            ("render", "in.mid", "-o", "no/such/folder/out.bin"),
            b"",
            "no/such/folder/out.bin cannot be written: no such file",
        ),
        (("perform", "in.mid"), b"", "required"),
        (("dance",), b"", "invalid choice"),
    ],
)
def test_bad_input_is_one_line_exit_code_two_and_no_file(desk, arguments, content, words):
    import re

    for name in ("x.wav", "x.mid", "x.json"):
        (desk / name).write_bytes(content)
    before = sorted(desk.iterdir())
    done = run(*arguments, cwd=desk)
    assert done.returncode == 2
    assert re.search(words, done.stderr), done.stderr
    assert len(done.stderr.strip().splitlines()) == 1
    assert "Traceback" not in done.stderr
    assert sorted(desk.iterdir()) == before


def test_a_file_that_is_there_stays_when_its_successor_fails(desk):
    (desk / "out.mid").write_bytes(b"precious")
    (desk / "bad.mid").write_bytes(b"MThd")
    assert run("perform", "bad.mid", "-o", "out.mid", cwd=desk).returncode == 2
    assert (desk / "out.mid").read_bytes() == b"precious"


def test_a_written_file_is_whole(desk):
    run("render", "in.mid", "-o", "out.wav", cwd=desk)
    samples, _ = soundfile.read(io.BytesIO((desk / "out.wav").read_bytes()))
    assert np.isfinite(samples).all()
    assert np.abs(samples).max() < 1


def test_a_groove_file_is_turned_into_another_kind(desk):
    run("groove", "loop.wav", "-o", "g.json", cwd=desk)
    assert run("groove", "g.json", "-o", "g.csv", cwd=desk).returncode == 0
    assert run("groove", "g.csv", "-o", "again.json", "--name", "Renamed", cwd=desk).returncode == 0
    one, again = (load_template((desk / name).read_text(), name) for name in ("g.json", "again.json"))
    assert again.name == "Renamed"
    assert again.slots_per_bar == one.slots_per_bar
    for name, lane in one.lanes.items():
        np.testing.assert_allclose(again.lanes[name].offset_ms, lane.offset_ms, atol=1e-3)
        np.testing.assert_allclose(again.lanes[name].accent, lane.accent, atol=1e-3)
    assert run("groove", "g.json", "-o", "g.mid", cwd=desk).returncode == 0
    assert run("groove", "g.mid", "-o", "back.json", cwd=desk).returncode == 0
    assert (desk / "back.json").read_text() == (desk / "g.json").read_text()
    file = mido.MidiFile(desk / "g.mid")
    note = next(one for track in file.tracks for one in track if one.type == "note_on" and one.velocity)
    note.velocity = 3 if note.velocity > 60 else 99  # changed elsewhere: its notes count
    file.save(desk / "g.mid")
    assert run("groove", "g.mid", "-o", "changed.json", cwd=desk).returncode == 0
    changed = load_template((desk / "changed.json").read_text(), "changed.json")
    assert any(lane.accent != one.lanes[name].accent for name, lane in changed.lanes.items() if name in one.lanes)


def test_the_version_is_told(desk):
    told = run("--version", cwd=desk)
    assert told.returncode == 0
    assert told.stdout.startswith("easy-pocket 0.")
