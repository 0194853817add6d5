"""Small things whose answer is known: a wrong sign, factor or index in one of them is heard by nobody at once."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.stages import MIN_GAP_MS, keep_order, seed_of
from easy_pocket.core.listen.bar_context import _strongest_other
from easy_pocket.core.listen.hit_classifier import DB_OF_ODDS
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.selection_edits import MoveHits, PasteHits
from easy_pocket.core.song.energy import energy_of
from easy_pocket.core.song.flatten import flatten
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.sound.character import _pitch, measure
from easy_pocket.core.sound.loudness import programme_loudness_lufs
from easy_pocket.core.sound.tones import RATE_HZ
from tests.core.songs import BEAT, small


@given(st.integers(2, 9), st.integers(1, 12), st.integers(0, 2**32 - 1))
def test_the_strongest_other_bar_is_never_the_bar_itself(bars: int, slots: int, seed: int) -> None:
    held = np.random.default_rng(seed).random((bars, slots))
    other = _strongest_other(held)
    assert not (other == np.arange(bars)[:, None]).any()
    for bar in range(bars):
        for slot in range(slots):
            others = np.delete(held[:, slot], bar)
            assert held[other[bar, slot], slot] == others.max()


def test_odds_of_ten_to_one_are_ten_db() -> None:
    assert np.log(10.0) * DB_OF_ODDS == pytest.approx(10.0)
    assert np.log(0.01) * DB_OF_ODDS == pytest.approx(-20.0)


@pytest.mark.parametrize(("part_db", "cell_db"), [(6.0, 0.0), (0.0, -10.0), (3.0, 4.0)])
def test_the_level_of_part_and_cell_is_in_the_energy(part_db: float, cell_db: float) -> None:
    song = small()
    alone = replace(song, parts=song.parts[:1])
    before = energy_of(flatten(alone)).energy
    (part,) = alone.parts
    sections = tuple(
        replace(one, cells={key: replace(cell, level_db=cell_db) for key, cell in one.cells.items()})
        for one in alone.sections
    )
    louder = replace(alone, parts=(replace(part, level_db=part_db),), sections=sections)
    after = energy_of(flatten(louder)).energy
    sounding = before > 0
    assert sounding.sum() > 4
    np.testing.assert_allclose(10 * np.log10(after[sounding] / before[sounding]), part_db + cell_db)


def sine(level_db: float, seconds: float) -> np.ndarray:
    t = np.arange(int(seconds * RATE_HZ)) / RATE_HZ
    return np.outer(10 ** (level_db / 20) * np.sin(2 * np.pi * 997 * t), [1.0, 1.0])


def test_loudness_of_a_sine_and_what_is_quiet_beside_it_does_not_count() -> None:
    loud = programme_loudness_lufs(sine(-20, 5))
    assert loud == pytest.approx(-20.0, abs=0.1)  # 997 Hz in both channels: the standard's own example
    half = programme_loudness_lufs(np.concatenate([sine(-20, 5), sine(-35, 5)]))
    assert half == pytest.approx(loud, abs=0.25)  # 15 dB below is gated out; without a gate it would be 3 dB less
    near = programme_loudness_lufs(np.concatenate([sine(-20, 5), sine(-25, 5)]))
    assert near < loud - 1.0  # 5 dB below counts


def test_the_gap_at_the_seam_of_a_loop_is_as_clean_as_inside() -> None:
    hits = Pattern(3840, (Hit("kick", 0, 99), Hit("kick", 3720, 99))).arrays
    length_ms = 2000.0
    played = np.array([-3.0, 1996.0])  # the first comes 1 ms after the last of the pass before
    kept = keep_order(hits, played, length_ms)
    assert kept[0] + length_ms - kept[1] == pytest.approx(MIN_GAP_MS)
    assert kept[1] == pytest.approx(1996.0)
    alone = keep_order(hits, played, None)
    np.testing.assert_allclose(alone, played)


def test_two_parts_with_the_same_line_and_feel_are_two_players() -> None:
    song = small()
    loose = FeelScopes(Feel(drift_ms=8, jitter_ms=4, touch=10, seed=5))
    backbone = replace(song.parts[0], feel=loose)
    twin = replace(backbone, key=2, name="Twin")
    verse = song.sections[0]
    both = replace(
        song, parts=(backbone, twin), sections=(replace(verse, cells={1: verse.cells[1], 2: verse.cells[1]}),)
    )
    one, other = perform_song(both).parts
    np.testing.assert_array_equal(one.straight_ms, other.straight_ms)
    assert np.abs(one.played_ms - other.played_ms).max() > 1.0
    assert (one.velocity != other.velocity).any()
    assert seed_of(5, 0) == 5
    assert len({seed_of(5, player) for player in range(50)}) == 50
    same = replace(both, parts=(replace(backbone, player=7), replace(twin, player=7)))
    one, other = perform_song(same).parts
    np.testing.assert_array_equal(one.played_ms, other.played_ms)


def locked(pattern: Pattern, voice: str, tick: int) -> Pattern:
    hit = pattern.at(voice, tick)
    assert hit is not None
    return pattern.exchanged([hit], [replace(hit, articulation=Articulation(locked=True))])


def test_a_copy_of_a_locked_hit_is_made_and_locked_and_the_hit_stays() -> None:
    pattern = locked(BEAT, "kick", 0)
    after = apply_edit(pattern, MoveHits((("kick", 0, "kick", 240),), copies=True))
    copy, first = after.at("kick", 240), after.at("kick", 0)
    assert copy is not None
    assert first is not None
    assert copy.articulation.locked
    assert first.articulation.locked
    pasted = apply_edit(pattern, PasteHits((first,), 480))
    assert pasted.at("kick", 480) is not None
    with pytest.raises(EditRefusedError, match="locked"):
        apply_edit(pattern, MoveHits((("kick", 0, "kick", 240),)))
    with pytest.raises(EditRefusedError, match="locked"):  # a copy does not push a locked hit away
        apply_edit(pattern, MoveHits((("snare", 960, "kick", 0),), copies=True))


def test_a_copy_into_a_locked_row_is_refused() -> None:
    pattern = replace(BEAT, locked_voices=frozenset({"snare"}))
    with pytest.raises(EditRefusedError, match="row of snare is locked"):
        apply_edit(pattern, MoveHits((("kick", 0, "snare", 240),), copies=True))


def test_a_loop_performed_has_no_two_strokes_of_a_voice_closer_than_the_least_gap_over_its_seam() -> None:
    pattern = Pattern(3840, (Hit("kick", 0, 99, -10.0), Hit("kick", 3810, 99, 8.0)))
    played = perform(pattern, tempo_bpm=120)
    times = np.sort(played.played_ms)
    assert times[0] + played.length_ms - times[-1] >= MIN_GAP_MS - 1e-9


def test_a_sound_that_is_like_itself_only_turned_over_has_no_pitch() -> None:
    frames = np.zeros((1500, 1), dtype=np.float32)
    frames[0], frames[200:] = 1.0, -0.01 + 0.001 * np.sin(np.arange(1300) / 6)[:, None]
    frames[:200, 0] += 0.5 * np.linspace(1, 0, 200) ** 8
    found = measure(frames)
    assert found.peak == pytest.approx(1.5, abs=0.01)
    turned = [
        _pitch(np.random.default_rng(seed).standard_normal(1100) * np.linspace(1, -1, 1100)) for seed in range(60)
    ]
    assert all(clarity >= 0 for _, clarity in turned)


@given(st.integers(0, 2**32 - 1), st.integers(70, 4000), st.floats(0, 60))
def test_any_sound_whatever_is_measured(seed: int, frames: int, steep: float) -> None:
    rng = np.random.default_rng(seed)
    line = np.sign(rng.standard_normal(frames)) * np.exp(-steep * np.arange(frames) / frames)
    line[rng.integers(0, frames)] += 20.0
    found = measure(line[:, None].astype(np.float32))
    assert 0 <= found.noisy <= 1
    assert found.length_s > 0
