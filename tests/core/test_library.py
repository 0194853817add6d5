"""Finding sounds, on an index whose answers are known."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.sound.character import measure
from easy_pocket.core.sound.library import Query, SoundIndex, fit, free_bands, search
from easy_pocket.core.sound.spectrum import THIRD_HZ, third_energy
from easy_pocket.core.sound.tones import RATE_HZ

NAMES = ("deep snare", "crack snare", "round kick", "tick hat", "Deep Kick", "long crash")


def peak_at(band):
    row = np.full(30, -60.0, dtype=np.float32)
    row[band] = 0.0
    return row


INDEX = SoundIndex(
    ids=np.array([10, 11, 12, 13, 14, 15]),
    names=NAMES,
    roles=np.array(["snare", "snare", "kick", "hat_closed", "kick", "crash"]),
    sources=np.array(["model", "yours", "model", "model", "folded", "sampled"]),
    bright_hz=np.array([300.0, 3000.0, 80.0, 9000.0, 60.0, 5000.0]),
    length_s=np.array([0.3, 0.1, 0.4, 0.05, 0.9, 2.5]),
    noisy=np.array([0.5, 0.8, 0.1, 0.95, 0.1, 0.7]),
    thirds_db=np.stack([peak_at(band) for band in (9, 19, 4, 25, 3, 22)]),
    favourite=np.array([True, False, False, True, False, False]),
    used_at=np.array([0.0, 50.0, 0.0, 0.0, 70.0, 60.0]),
)


def found(**asked):
    return [NAMES[place] for place in search(INDEX, Query(**asked))]


def test_filters():
    assert found(role="snare") == ["crack snare", "deep snare"]
    assert found(words="DEEP") == ["Deep Kick", "deep snare"]
    assert found(words="snare deep") == ["deep snare"]
    assert found(source="model", role="kick") == ["round kick"]
    assert found(favourite=True) == ["deep snare", "tick hat"]
    assert found(recent=True) == ["Deep Kick", "long crash", "crack snare"]
    assert found(words="nothing like it") == []


def test_names_are_in_the_order_of_their_numbers():
    names = ("thud 10", "thud 2", "thud 1")
    numbered = replace(INDEX, names=(*names, *NAMES[3:]))
    order = [numbered.names[place] for place in search(numbered, Query(words="thud"))]
    assert order == ["thud 1", "thud 2", "thud 10"]


def test_character_keeps_a_half_of_what_matches():
    assert found(role="snare", bright=1) == ["crack snare"]
    assert found(role="snare", bright=-1) == ["deep snare"]
    assert set(found(long=1)) == {"round kick", "Deep Kick", "long crash"}
    assert set(found(noisy=-1)) == {"deep snare", "round kick", "Deep Kick"}


def test_more_like_this_leaves_itself_out_and_begins_with_the_nearest():
    assert found(like=12)[0] == "Deep Kick"
    assert "round kick" not in found(like=12)
    assert len(found(like=999)) == 6  # a sound that is gone: nothing to be like


def test_goes_with_this_fills_what_is_free():
    low = np.zeros(30)
    low[:8] = 1.0
    free = free_bands(low)
    assert free[3] == 0
    assert free[20] == 1
    ranked = found(free_bands=free)
    assert set(ranked[-2:]) == {"round kick", "Deep Kick"}
    assert fit(INDEX.thirds_db, free).max() == pytest.approx(1.0, abs=1e-3)


@given(
    st.sampled_from([None, "snare", "kick"]),
    st.sampled_from(["", "deep", "a"]),
    st.integers(-1, 1),
    st.integers(-1, 1),
    st.booleans(),
)
def test_a_search_gives_each_match_once_and_only_matches(role, words, bright, long, favourite):
    places = search(INDEX, Query(role=role, words=words, bright=bright, long=long, favourite=favourite))
    assert len(set(places.tolist())) == len(places)
    for place in places:
        assert role is None or INDEX.roles[place] == role
        assert words in NAMES[place].casefold()
        assert INDEX.favourite[place] or not favourite


@given(
    st.integers(0, 5),
    st.sampled_from(["crack snare", "a new name"]),
    st.sampled_from(["tambourine", "kick"]),
    st.booleans(),
)
def test_a_changed_row_is_as_if_the_index_were_made_anew(place, name, role, favourite):
    search(INDEX, Query(like=12))  # what is cached must not go stale
    search(INDEX, Query(words="x"))
    changed = INDEX.with_row(place, name, role, favourite, 99.0)
    roles, names = INDEX.roles.tolist(), list(NAMES)
    roles[place], names[place] = role, name
    favourites, used = INDEX.favourite.copy(), INDEX.used_at.copy()
    favourites[place], used[place] = favourite, 99.0
    anew = replace(INDEX, names=tuple(names), roles=np.array(roles), favourite=favourites, used_at=used)
    for query in (
        Query(),
        Query(role=role),
        Query(words="new"),
        Query(favourite=True),
        Query(recent=True),
        Query(like=12),
    ):
        assert search(changed, query).tolist() == search(anew, query).tolist()
    assert INDEX.names == NAMES


def test_an_empty_library_finds_nothing():
    empty = replace(
        INDEX,
        ids=INDEX.ids[:0], names=(), roles=INDEX.roles[:0], sources=INDEX.sources[:0], bright_hz=INDEX.bright_hz[:0],
        length_s=INDEX.length_s[:0], noisy=INDEX.noisy[:0], thirds_db=INDEX.thirds_db[:0],
        favourite=INDEX.favourite[:0], used_at=INDEX.used_at[:0],
    )  # fmt: skip
    assert len(search(empty, Query(words="x", bright=1))) == 0


def tone(hz, seconds=0.4, decay=0.08):
    t = np.arange(int(seconds * RATE_HZ)) / RATE_HZ
    return (np.sin(2 * np.pi * hz * t) * np.exp(-t / decay)).astype(np.float32)[:, None]


@pytest.mark.parametrize("hz", [55.0, 187.0, 440.0, 1500.0])
def test_a_tone_is_measured_as_that_tone(hz):
    character = measure(tone(hz))
    assert character.pitch_hz == pytest.approx(hz, rel=0.01)
    assert character.noisy < 0.2
    assert character.bright_hz == pytest.approx(hz, rel=0.35)
    assert character.length_s == pytest.approx(min(0.08 * np.log(100), 0.4), abs=0.02)  # 40 dB of an exponential


def test_noise_has_no_pitch_and_silence_no_length():
    noise = np.random.default_rng(0).normal(0, 0.2, (8000, 1)).astype(np.float32)
    assert measure(noise).pitch_hz is None
    assert measure(noise).noisy > 0.7
    assert measure(np.zeros((4000, 1), dtype=np.float32)).length_s == 0


def test_thirds_hold_the_energy_where_the_tone_is():
    energy = third_energy(tone(1000.0)[:, 0])
    assert THIRD_HZ[int(np.argmax(energy))] == pytest.approx(1000)
    x = np.random.default_rng(1).normal(0, 0.3, 16_384)
    assert third_energy(x).sum() == pytest.approx((x**2).sum(), rel=0.02)
