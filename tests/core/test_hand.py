"""Hands: what is learned of players whose ways are known, and how they play other beats."""

import json
from dataclasses import replace
from pathlib import Path

import jsonschema_rs
import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats import hand_json
from easy_pocket.core.formats.hand_json import dump_hand, hand_to_doc, load_hand
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.takes.hand import TakeToLearn, learn_hand
from easy_pocket.core.takes.hand_player import hand_feel, hand_groove, played_by
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.core.takes.played import TakeBars, played_from_rows
from tests.core.players import BEAT, any_player


def written(bars):
    slots = [(voice, (bar * 16 + slot) * 240) for bar in range(bars) for voice, row in BEAT.items() for slot in row]
    return Pattern(bars * 3840, tuple(Hit(voice, tick, 96) for voice, tick in slots))


def rms(values):
    return float(np.sqrt(np.mean(np.square(values))))


def known_leans(hand, player):
    return [
        (hand.lean_ms[voice][slot], player.lean_ms[voice][slot])
        for voice, slots in BEAT.items()
        for slot in slots
        if hand.lean_ms[voice][slot] is not None
    ]


def test_a_known_player_is_given_back(deep):
    dice = np.random.default_rng(11)
    errors = {"lean": [], "swing": [], "jitter": [], "drift": [], "slope": [], "touch": []}
    for _ in range(200 if deep else 4):
        player = any_player(dice)
        hand = learn_hand([player.plays(dice, 64, dice.uniform(80, 130))])
        errors["lean"] += [found.value - true for found, true in known_leans(hand, player)]
        errors["swing"].append(hand.swing_percent.value - player.swing_percent)
        errors["jitter"].append(hand.jitter_sd_ms.value / player.jitter_ms - 1)
        errors["drift"].append(hand.drift_sd_ms.value / player.drift_ms - 1)
        errors["slope"].append(hand.drift_slope.value - player.slope)
        errors["touch"].append(hand.touch_sd.value / player.touch - 1)
    assert rms(errors["lean"]) < 1
    assert rms(errors["swing"]) < 1
    assert rms(errors["jitter"]) < 0.15
    assert rms(errors["drift"]) < 0.15
    assert rms(errors["slope"]) < 0.3
    assert rms(errors["touch"]) < 0.15


def test_from_four_bars_the_intervals_hold_the_truth(deep):
    dice = np.random.default_rng(12)
    held = {name: [] for name in ("lean", "swing", "jitter", "drift", "slope", "touch")}
    for _ in range(200 if deep else 40):
        player = any_player(dice)
        hand = learn_hand([player.plays(dice, 4)])
        pairs = {
            "swing": (hand.swing_percent, player.swing_percent),
            "jitter": (hand.jitter_sd_ms, player.jitter_ms),
            "drift": (hand.drift_sd_ms, player.drift_ms),
            "slope": (hand.drift_slope, player.slope),
            "touch": (hand.touch_sd, player.touch),
        }
        for name, (found, true) in pairs.items():
            held[name].append(found.low <= true <= found.high)
        held["lean"] += [found.low <= true <= found.high for found, true in known_leans(hand, player)]
    for name, row in held.items():
        assert np.mean(row) >= 0.9 - (0.02 if deep else 0.05), name


def test_a_performance_by_the_hand_passes_for_the_player():
    """A logistic classifier of bars does not tell them apart on takes it was not fitted on."""
    dice = np.random.default_rng(13)
    player = any_player(dice)
    hand = learn_hand([player.plays(dice, 64) for _ in range(4)])
    own = [bars_in_figures(player.plays(dice, 64)) for _ in range(6)]
    other = [bars_in_figures(as_take(played_by(written(64), hand, tempo_bpm=104.0, seed=seed))) for seed in range(6)]
    known = np.concatenate([*own[:3], *other[:3]])
    weights, constant = logistic(known, np.repeat([1.0, 0.0], len(known) // 2))
    mine, theirs = (np.concatenate(rows[3:]) @ weights + constant for rows in (own, other))
    assert area(mine, theirs) < 0.6
    # What is only tightened to the grid is told at once.
    stiff = bars_in_figures(as_take(written(64)))
    weights, constant = logistic(np.concatenate([own[0], stiff]), np.repeat([1.0, 0.0], 64))
    assert area(own[1] @ weights + constant, stiff @ weights + constant) > 0.95


def bars_in_figures(take):
    """Of each bar and voice: means and spreads of offsets and velocities, and the steps of offsets."""
    place_ms = 240 * take.bars.tick_ms
    found = [[] for _ in range(take.bars.bars)]
    rows = np.array([(time_ms, size) for _, time_ms, size in take.played.rows])
    names = np.array(take.played.names)
    place = np.rint(rows[:, 0] / place_ms - 0.1)
    off_ms = rows[:, 0] - place * place_ms
    for voice in BEAT:
        for bar in range(take.bars.bars):
            own = (names == voice) & (place // 16 == bar)
            off, sizes = off_ms[own], rows[own, 1]
            found[bar] += [off.mean(), off.std(), sizes.mean(), sizes.std(), np.mean(np.diff(off) ** 2)]
    return np.array(found)


def as_take(pattern, tempo_bpm=104.0):
    bars = TakeBars(pattern.length_ticks, COMMON_TIME, tempo_bpm)
    return TakeToLearn(
        played_from_rows([(hit.voice, hit.tick * bars.tick_ms + hit.offset_ms, hit.velocity) for hit in pattern.hits]),
        bars,
    )


def logistic(x, y):
    """Fitted by Newton's steps with a small ridge; weights for raw features, and the constant."""
    middle, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    z = np.c_[(x - middle) / spread, np.ones(len(x))]
    weights = np.zeros(z.shape[1])
    for _ in range(25):
        guess = 1 / (1 + np.exp(-z @ weights))
        slope = z.T @ (guess - y) + 3.0 * weights
        weights -= np.linalg.solve((z * (guess * (1 - guess))[:, None]).T @ z + 3.0 * np.eye(len(weights)), slope)
    plain = weights[:-1] / spread
    return plain, weights[-1] - middle @ plain


def area(ones, noughts):
    """Under the ROC curve."""
    ranks = (ones[:, None] > noughts[None, :]) + 0.5 * (ones[:, None] == noughts[None, :])
    return float(ranks.mean())


def test_the_same_seed_plays_the_same_and_another_one_plays_otherwise():
    dice = np.random.default_rng(14)
    hand = learn_hand([any_player(dice).plays(dice, 16)])
    one, again, other = (played_by(written(2), hand, tempo_bpm=90.0, seed=seed) for seed in (1, 1, 2))
    assert one == again != other
    assert [(hit.voice, hit.tick) for hit in one.hits] == [(hit.voice, hit.tick) for hit in other.hits]


def test_accents_are_taken_only_where_none_are_written():
    dice = np.random.default_rng(15)
    player = any_player(dice)
    hand = learn_hand([player.plays(dice, 64)])
    flat = played_by(written(8), hand, tempo_bpm=104.0)
    of_hat = {
        slot: np.mean([hit.velocity for hit in flat.hits if hit.voice == "hat_closed" and hit.tick // 240 % 16 == slot])
        for slot in range(16)
    }
    assert np.corrcoef(list(of_hat.values()), player.accents["hat_closed"])[0, 1] > 0.9
    shaped = Pattern(3840, tuple(Hit("hat_closed", slot * 240, 30 if slot % 2 else 120) for slot in range(16)))
    sizes = [hit.velocity for hit in played_by(shaped, hand, tempo_bpm=104.0).hits]
    assert min(sizes[::2]) > max(sizes[1::2])


def test_voices_and_metres_it_never_played_go_by_what_it_does_there():
    dice = np.random.default_rng(16)
    hand = learn_hand([any_player(dice).plays(dice, 16)])
    other = Pattern(2880, tuple(Hit("shaker", tick, 90) for tick in range(0, 2880, 240)), Metre(6, 8))
    played = played_by(other, hand, tempo_bpm=100.0)
    assert len(played.hits) == len(other.hits)
    assert any(hit.offset_ms for hit in played.hits)
    assert played_by(Pattern(3840), hand, tempo_bpm=100.0) == Pattern(3840)


def test_as_a_groove_it_leans_as_the_hand_does():
    dice = np.random.default_rng(17)
    hand = learn_hand([any_player(dice).plays(dice, 64)])
    groove = hand_groove(hand)
    beat = written(1)
    felt = perform(beat, FeelScopes(Feel(template=groove)), tempo_bpm=104.0)
    for voice in ("kick", "snare"):
        own = felt.hits.voice_index == felt.hits.voices.index(voice)
        slots = felt.hits.tick[own] // 240
        swing_ms = (hand.swing_percent.value - 50) / 100 * 480 * 60_000 / 104 / 960
        wanted = [hand.lean_ms[voice][slot].value + (slot % 2) * swing_ms for slot in slots.tolist()]
        assert felt.offset_ms[own] == pytest.approx(wanted, abs=0.01)
    assert set(hand_feel(hand)) == {"drift_ms", "jitter_ms", "touch"}
    Feel(**hand_feel(hand))


def test_takes_at_several_tempi_say_how_swing_goes_with_tempo():
    dice = np.random.default_rng(18)
    player = any_player(dice)
    takes = [
        replace(player, swing_percent=percent).plays(dice, 16, tempo)
        for tempo, percent in ((80, 64.0), (100, 60.0), (120, 56.0))
    ]
    hand = learn_hand(takes)
    assert hand.swing_by_tempo == pytest.approx(-2.0, abs=0.6)
    assert hand.tempo_bpm == 100


def test_a_hand_is_a_file_that_goes_in_and_out():
    dice = np.random.default_rng(19)
    hand = learn_hand([any_player(dice).plays(dice, 8)], "Harbour left")
    text = dump_hand(hand)
    back = load_hand(text, "left.json")
    assert dump_hand(back) == text
    doc = json.loads(text)
    assert {"lean_ms", "swing_percent", "drift_sd_ms", "drift_slope", "jitter_sd_ms", "touch_sd", "n"} <= set(doc)
    assert len(doc["lean_ms"]["hat_closed"]) == 16
    low, high = doc["intervals"]["jitter_sd_ms"]
    assert low < doc["jitter_sd_ms"] < high


def test_what_is_written_is_after_the_schema_that_ships():
    schema = json.loads(Path(hand_json.__file__).with_name("hand.schema.json").read_text())
    dice = np.random.default_rng(21)
    for hand in (learn_hand([any_player(dice).plays(dice, 4)]), *HOUSE_HANDS.values()):
        jsonschema_rs.validate(schema, hand_to_doc(hand))
    with pytest.raises(jsonschema_rs.ValidationError):
        jsonschema_rs.validate(schema, {**hand_to_doc(hand), "swing_percent": "much"})


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "other"}, "'format' is to be"),
        ({"step_ticks": 241}, "no whole number"),
        ({"swing_percent": None}, "both needed"),
        ({"jitter_sd_ms": "much"}, "a number is needed"),
        ({"lean_ms": {"kick": [0.0]}}, "16 values"),
        ({"lean_ms": {"gong": [0.0] * 16}}, "gong"),
        ({"tempos_bpm": []}, "tempos"),
        ({"drift_sd_ms": 1e9}, "must lie between"),
    ],
)
def test_a_file_that_is_no_hand_says_why(change, words):
    dice = np.random.default_rng(20)
    doc = hand_to_doc(learn_hand([any_player(dice).plays(dice, 4)]))
    with pytest.raises(BadValueError, match=words):
        load_hand(json.dumps({**doc, **change}), "h.json")


def test_too_little_is_refused_and_little_leaves_figures_open():
    one = played_from_rows([("kick", 0, 90)])
    with pytest.raises(BadValueError, match="1 hit was played; a hand is learned from 32"):
        learn_hand([TakeToLearn(one, TakeBars(3840, COMMON_TIME, 100.0))])
    rows = [("hat_closed", slot * 240 * 60_000 / 96_000, 90) for slot in range(32)]
    hand = learn_hand([TakeToLearn(played_from_rows(rows), TakeBars(2 * 3840, COMMON_TIME, 100.0))])
    assert hand.count == 32
    assert hand.lean_ms["hat_closed"][0] is not None
    six = TakeBars(2880 * 2, Metre(6, 8), 100.0)
    with pytest.raises(BadValueError, match="learn a hand from takes of one metre"):
        learn_hand(
            [
                TakeToLearn(played_from_rows(rows), six),
                TakeToLearn(played_from_rows(rows), TakeBars(7680, COMMON_TIME, 100.0)),
            ]
        )
