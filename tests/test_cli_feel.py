"""perform and pocket as a user calls them: feel by voice, tightening, the ledger, the gap to a loop."""

import json
from dataclasses import replace

import pytest

from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.groove_json import dump_template
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from tests.drums import ROCK, SWUNG, beat, rendered, template, wav_bytes
from tests.test_cli import run, starts

TICK_MS = ms_per_tick(104)


@pytest.fixture
def desk(tmp_path):
    (tmp_path / "in.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104)).data)
    (tmp_path / "swung.mid").write_bytes(write_midi(perform(beat(SWUNG), tempo_bpm=96)).data)
    (tmp_path / "t.json").write_text(dump_template(template([float(slot) for slot in range(16)], 104.0)))
    return tmp_path


def ledger(desk, *options):
    done = run("perform", "swung.mid", "-o", "out.mid", "--tempo", "104", "--ledger", "why.json", *options, cwd=desk)
    assert done.returncode == 0, done.stderr
    return json.loads((desk / "why.json").read_text())["hits"]


def offsets(hits, voice):
    return {hit["tick"]: hit["played_ms"] - hit["straight_ms"] for hit in hits if hit["voice"] == voice}


def test_a_setting_can_be_for_one_voice_or_a_group(desk):
    hits = ledger(
        desk, "--swing", "hat_closed=60", "--push", "snare=9", "--push", "hat=-4", "--template", "kick=t.json"
    )
    assert offsets(hits, "hat_closed")[480] == pytest.approx(-4)
    assert list(offsets(hits, "snare").values()) == pytest.approx([9] * 6)
    assert offsets(hits, "kick")[2400] == pytest.approx(10)
    assert all(set(hit["amounts_ms"]) <= {"push", "groove", "swing"} for hit in hits)


def test_a_groove_on_all_but_the_drums(desk):
    hits = ledger(desk, "--template", "t.json", "--template", "drums=none")
    assert set(offsets(hits, "kick").values()) == {0.0}
    assert offsets(hits, "hat_closed")[3360] == pytest.approx(14)


def test_how_a_groove_in_another_metre_is_fitted_is_said(desk):
    six = replace(template([0.0] * 12, 104.0), metre=Metre(6, 8), name="Six")
    (desk / "six.json").write_text(dump_template(six))
    done = run("perform", "in.mid", "-o", "out.mid", "--template", "six.json", cwd=desk)
    assert done.returncode == 0
    assert "Six: a groove in 6/8 on 4/4: each bar begins a bar of it, begun again" in done.stderr


def test_the_ledger_adds_up_and_agrees_with_the_notes_to_one_tick(desk):
    hits = ledger(
        desk, "--swing", "58", "--drift", "4", "--jitter", "2", "--touch", "8", "--seed", "41", "--push", "6",
        "--weaker-hand", "--ghosts", "80", "--depth", "140",
    )  # fmt: skip
    for hit in hits:
        assert hit["straight_ms"] + sum(hit["amounts_ms"].values()) == pytest.approx(hit["played_ms"], abs=1e-6)
        assert hit["written_velocity"] + sum(hit["amounts_velocity"].values()) == hit["velocity"]
    stages = {stage for hit in hits for stage in hit["amounts_ms"]}
    assert stages - {"hand", "order"} == {"swing", "part push", "drift", "jitter"}
    pre_roll = 3840 if min(hit["played_ms"] for hit in hits) < 0 else 0
    wanted = sorted(round(hit["played_ms"] / TICK_MS) + pre_roll for hit in hits)
    found = sorted(tick for ticks in starts(desk / "out.mid").values() for tick in ticks)
    assert all(abs(a - b) <= 1 for a, b in zip(found, wanted, strict=True))
    first = hits[0]
    assert (first["bar"], first["beat"], first["place"]) == (1, 1, "1.1")


def test_the_same_seed_gives_the_same_file(desk):
    loose = ("--drift", "4", "--jitter", "2", "--touch", "8", "--seed", "41")
    for name in ("a.mid", "b.mid"):
        run("perform", "in.mid", "-o", name, *loose, cwd=desk)
    run("perform", "in.mid", "-o", "c.mid", *loose[:-1], "42", cwd=desk)
    assert starts(desk / "a.mid") == starts(desk / "b.mid") != starts(desk / "c.mid")


def test_tightening_halves_what_was_recorded_and_leaves_what_is_near(desk):
    played = Pattern(3840, (Hit("snare", 960, 90, 20.0), Hit("snare", 2880, 90, 2.0), Hit("kick", 0, 90, 11.0)))
    (desk / "take.mid").write_bytes(write_midi(perform(played, tempo_bpm=104)).data)
    run("perform", "take.mid", "-o", "tight.mid", "--tighten", "50", "--leave-alone", "3", cwd=desk)
    hits = {
        (hit.voice, hit.tick): hit.offset_ms for hit in read_midi((desk / "tight.mid").read_bytes(), "t").pattern.hits
    }
    assert hits == {
        ("snare", 960): pytest.approx(10, abs=0.4),
        ("snare", 2880): pytest.approx(2, abs=0.4),
        ("kick", 0): pytest.approx(5.5, abs=0.4),
    }


def test_a_wrong_grid_is_told_with_a_better_one(desk):
    triplets = Pattern(3840, tuple(Hit("ride", tick * 160, 80, 3.0) for tick in range(24)))
    (desk / "take.mid").write_bytes(write_midi(perform(triplets, tempo_bpm=104)).data)
    done = run("perform", "take.mid", "-o", "tight.mid", "--tighten", "100", "--grid", "16", cwd=desk)
    assert "16th triplets" in done.stderr
    assert len(starts(desk / "tight.mid")[51]) == 24


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--tighten", "200"), "strength is 200 %"),
        (("--swing", "hat_closed=often"), "'often', which is no number"),
        (("--swing", "gong=60"), "no voice 'gong'"),
        (("--drift", "-1"), "Drift is -1 ms"),
        (("--tempo", "-90"), "tempo is -90 bpm"),
        (("--lane", "treble"), "no band 'treble'"),
        (("--template", "hat=missing.json"), "missing.json"),
    ],
)
def test_bad_options_are_refused_in_one_line_and_leave_no_file(desk, options, words):
    done = run("perform", "swung.mid", "-o", "out.mid", "--tempo", "104", "--ledger", "why.json", *options, cwd=desk)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert words in done.stderr
    assert not (desk / "out.mid").exists()
    assert not (desk / "why.json").exists()


def test_pocket_measures_one_beat(desk):
    run("perform", "swung.mid", "-o", "felt.mid", "--swing", "60", "--push", "snare=9", cwd=desk)
    done = run("pocket", "felt.mid", "--json", cwd=desk)
    doc = json.loads(done.stdout)["a"]
    voices = {row["voice"]: row for row in doc["voices"]}
    assert voices["hat_closed"]["swing"]["percent"] == pytest.approx(60, abs=0.3)
    assert voices["snare"]["accents"][4] == 112
    assert doc["swing"]["ratio"] == pytest.approx(1.5, abs=0.03)
    words = run("pocket", "felt.mid", cwd=desk).stdout
    assert "felt.mid: 96.00 bpm, swing" in words
    assert "snare" in words


def test_pocket_lists_the_gap_to_another_beat_and_to_a_loop(desk):
    run("perform", "swung.mid", "-o", "felt.mid", "--push", "snare=9", cwd=desk)
    doc = json.loads(run("pocket", "swung.mid", "felt.mid", "--json", cwd=desk).stdout)
    assert doc["gap"]["worst"][0]["voice"] == "snare"
    assert doc["gap"]["worst"][0]["gap_ms"] == pytest.approx(9, abs=0.4)
    assert (doc["gap"]["only_a"], doc["gap"]["only_b"]) == ([], [])
    audio, _ = rendered(beat(SWUNG), 96.0, Feel(swing_percent=60))
    (desk / "loop.wav").write_bytes(wav_bytes(audio.samples))
    run("perform", "swung.mid", "-o", "close.mid", "--swing", "60", cwd=desk)
    close, far = (
        json.loads(run("pocket", name, "loop.wav", "--json", cwd=desk).stdout)["gap"]["mean_size_ms"]
        for name in ("close.mid", "swung.mid")
    )
    assert close < 3 < far
    assert "pairs" in run("pocket", "swung.mid", "loop.wav", cwd=desk).stdout


def test_pocket_refuses_what_has_no_common_length(desk):
    waltz = Pattern(2880, (Hit("kick", 0, 90),), Metre(3, 4))
    (desk / "three.mid").write_bytes(write_midi(perform(waltz, tempo_bpm=96)).data)
    done = run("pocket", "swung.mid", "three.mid", cwd=desk)
    assert done.returncode == 2
    assert "neither" in done.stderr
