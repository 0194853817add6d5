"""hand, and perform --hand, as a user calls them."""

import json

import numpy as np
import pytest

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from tests.core.players import any_player
from tests.drums import ROCK, beat
from tests.test_cli import run

TICK_MS = ms_per_tick(104)


def as_midi(take):
    """A take as a MIDI file: each hit on the tick nearest to when it was played."""
    hits = {}
    for voice, time_ms, size in take.played.rows:
        hits[(voice, max(0, round(time_ms / TICK_MS)))] = size
    pattern = Pattern(take.bars.length_ticks, tuple(Hit(voice, tick, size) for (voice, tick), size in hits.items()))
    return write_midi(perform(pattern, tempo_bpm=104)).data


@pytest.fixture
def desk(tmp_path):
    dice = np.random.default_rng(3)
    player = any_player(dice)
    for number in (1, 2):
        (tmp_path / f"take{number}.mid").write_bytes(as_midi(player.plays(dice, 12)))
    (tmp_path / "in.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104)).data)
    (tmp_path / "one.mid").write_bytes(write_midi(perform(Pattern(3840, (Hit("kick", 0, 90),)), tempo_bpm=104)).data)
    return tmp_path, player


def test_a_hand_is_learned_from_takes_and_plays_another_beat(desk):
    folder, player = desk
    done = run("hand", "take1.mid", "take2.mid", "-o", "left.json", "--json", cwd=folder)
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert said == json.loads((folder / "left.json").read_text())
    assert said["name"] == "left"
    assert said["n"] == 23 * 24
    assert said["swing_percent"] == pytest.approx(player.swing_percent, abs=1.5)
    assert said["lean_ms"]["snare"][4] == pytest.approx(player.lean_ms["snare"][4], abs=5)
    for number, seed in (("one", 1), ("again", 1), ("other", 2)):
        play = run("perform", "in.mid", "-o", f"{number}.out.mid", "--hand", "left.json", "--seed", seed, cwd=folder)
        assert play.returncode == 0, play.stderr
    one, again, other = (
        read_midi((folder / f"{name}.out.mid").read_bytes(), name).pattern for name in ("one", "again", "other")
    )
    assert one == again != other
    before = read_midi((folder / "in.mid").read_bytes(), "in").pattern
    assert len(one.hits) == len(before.hits)
    assert any(abs(hit.offset_ms) > 0.5 for hit in one.hits)


def test_what_was_found_is_told_in_lines(desk):
    folder, _ = desk
    done = run("hand", "take1.mid", "-o", "h.json", "--name", "Harbour left", cwd=folder)
    assert "Harbour left: 276 hits" in done.stdout
    assert "jitter" in done.stdout


def test_too_few_hits_are_refused_and_nothing_is_written(desk):
    folder, _ = desk
    done = run("hand", "one.mid", "-o", "h.json", cwd=folder)
    assert done.returncode == 2
    assert "1 hit was played; a hand is learned from 32 at least" in done.stderr
    assert not (folder / "h.json").exists()
    bad = run("perform", "in.mid", "-o", "o.mid", "--hand", "in.mid", cwd=folder)
    assert bad.returncode == 2
    assert "is no hand" in bad.stderr
