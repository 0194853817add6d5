"""Hands as JSON (schema: hand.schema.json)."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.pattern.timebase import Metre, check_tempo
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.wander_fit import Figure
from easy_pocket.core.text import one_line

FORMAT = "easy-pocket-hand/1"
MAX_BYTES = 2_000_000
MOST_SLOTS, MOST_VOICES, MOST_TAKES = 256, 64, 512
SINGLE = {  # range of each figure
    "swing_percent": (0.0, 100.0), "drift_sd_ms": (0.0, 250.0), "drift_slope": (-2.0, 4.0),
    "jitter_sd_ms": (0.0, 250.0), "touch_sd": (0.0, 127.0), "flam_ms": (0.0, 250.0),
}  # fmt: skip
BY_SLOT = {"lean_ms": (-250.0, 250.0), "accents": (-200.0, 400.0)}


def hand_to_doc(hand: Hand) -> dict[str, object]:
    """The figures by name, what they lie between under `intervals`, None where too few hits were played."""
    single = {name: getattr(hand, name) for name in SINGLE}
    by_slot = {name: getattr(hand, name) for name in BY_SLOT}
    return {
        "format": FORMAT,
        "name": hand.name,
        "metre": {"beats": hand.metre.beats, "unit": hand.metre.unit},
        "step_ticks": hand.step_ticks,
        "tempos_bpm": list(hand.tempos_bpm),
        "n": hand.count,
        **{name: _value(one) for name, one in single.items()},
        **{name: {voice: list(map(_value, row)) for voice, row in rows.items()} for name, rows in by_slot.items()},
        "counts": {voice: list(row) for voice, row in hand.counts.items()},
        "touch_slow_sd": round(hand.touch_slow_sd, 4),
        "weaker": list(map(_rounded, hand.weaker)) if hand.weaker else None,
        "together": {pair: _rounded(value) for pair, value in hand.together.items()},
        "swing_by_tempo": None if hand.swing_by_tempo is None else _rounded(hand.swing_by_tempo),
        "intervals": {
            **{name: _between(one) for name, one in single.items()},
            **{
                name: {voice: list(map(_between, row)) for voice, row in rows.items()} for name, rows in by_slot.items()
            },
        },
    }


def _rounded(value: float) -> float:
    return round(value, 4)


def _value(one: Figure | None) -> float | None:
    return None if one is None else _rounded(one.value)


def _between(one: Figure | None) -> list[float] | None:
    return None if one is None else [_rounded(one.low), _rounded(one.high)]


def dump_hand(hand: Hand) -> str:
    """As text."""
    return json.dumps(hand_to_doc(hand), indent=1) + "\n"


def load_hand(data: str | bytes, name: str) -> Hand:
    """Read what `dump_hand` wrote, or a file after the schema.

    Raises BadValueError with the file's name and what is wrong in it.
    """
    if len(data) > MAX_BYTES:
        raise BadValueError(f"{name} is larger than a hand can be ({MAX_BYTES // 1_000_000} MB).")
    try:
        doc = json.loads(data)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        raise BadValueError(f"{name} is no hand: it is no JSON. Choose a file that was saved as a hand.") from None
    try:
        return hand_from_doc(doc)
    except BadValueError as error:
        raise BadValueError(f"{name}: {error}") from None


def hand_from_doc(doc: Any) -> Hand:
    """Raises BadValueError for what is missing, of another kind, or out of range."""
    if not isinstance(doc, dict) or doc.get("format") != FORMAT:
        raise BadValueError(f"this is no hand: 'format' is to be '{FORMAT}'.")
    metre, step = _metre_and_step(doc)
    slots = metre.bar_ticks // step
    tempos = doc.get("tempos_bpm")
    if not isinstance(tempos, list) or not 1 <= len(tempos) <= MOST_TAKES:
        raise BadValueError("'tempos_bpm' is to be a list of the tempos of its takes.")
    between = _dict(doc.get("intervals"))
    single = {name: _figure(doc.get(name), between.get(name), name, bounds) for name, bounds in SINGLE.items()}
    swing, touch = single["swing_percent"], single["touch_sd"]
    if swing is None or touch is None:
        raise BadValueError("'swing_percent' and 'touch_sd' are both needed.")
    by_slot = {name: _rows(doc.get(name), between.get(name), name, slots) for name in BY_SLOT}
    if set(by_slot["accents"]) != set(by_slot["lean_ms"]):
        raise BadValueError("'accents' and 'lean_ms' are to name the same voices.")
    counts, together, weaker = _dict(doc.get("counts")), _dict(doc.get("together")), doc.get("weaker")
    by_tempo = doc.get("swing_by_tempo")
    return Hand(
        name=one_line(str(doc.get("name", "hand")), 120) or "hand",
        metre=metre,
        step_ticks=step,
        tempos_bpm=tuple(check_tempo(_number(one, "a tempo", 0, 1000)) for one in tempos),
        count=_whole(doc.get("n", 0), "n", 0, 10_000_000),
        counts={
            voice: tuple(_whole(one, "a count", 0, 10_000_000) for one in _list(counts.get(voice), slots, row))
            for voice, row in by_slot["lean_ms"].items()
        },
        touch_slow_sd=_number(doc.get("touch_slow_sd", 0.0), "touch_slow_sd", 0, 127),
        weaker=(_number(weaker[0], "weaker", -127, 127), _number(weaker[1], "weaker", -250, 250))
        if isinstance(weaker, list) and len(weaker) == 2
        else None,
        together={
            one_line(str(pair), 64): _number(value, "together", -1.001, 1.001)
            for pair, value in list(together.items())[:MOST_SLOTS]
        },
        swing_by_tempo=None if by_tempo is None else _number(by_tempo, "swing_by_tempo", -100, 100),
        lean_ms=by_slot["lean_ms"],
        accents=by_slot["accents"],
        swing_percent=swing,
        touch_sd=touch,
        drift_sd_ms=single["drift_sd_ms"],
        drift_slope=single["drift_slope"],
        jitter_sd_ms=single["jitter_sd_ms"],
        flam_ms=single["flam_ms"],
    )


def _metre_and_step(doc: Mapping[str, Any]) -> tuple[Metre, int]:
    metre = doc.get("metre")
    if not isinstance(metre, dict):
        raise BadValueError("'metre' with 'beats' and 'unit' is missing.")
    metre = Metre(_whole(metre.get("beats"), "beats", 1, 32), _whole(metre.get("unit"), "unit", 2, 16))
    step = _whole(doc.get("step_ticks"), "step_ticks", 60, 960)
    if metre.bar_ticks % step or metre.bar_ticks // step > MOST_SLOTS:
        raise BadValueError(f"'step_ticks' is {step}; a bar of {metre} is no whole number of these.")
    return metre, step


def _dict(sent: Any) -> dict[str, object]:
    return sent if isinstance(sent, dict) else {}


def _list(sent: Any, slots: int, row: tuple[Figure | None, ...]) -> list[Any]:
    if isinstance(sent, list) and len(sent) == slots:
        return sent
    return [int(one is not None) for one in row]


def _rows(sent: Any, between: Any, name: str, slots: int) -> dict[str, tuple[Figure | None, ...]]:
    if not isinstance(sent, dict) or not 1 <= len(sent) <= MOST_VOICES:
        raise BadValueError(f"'{name}' is to hold a list of {slots} values for each voice.")
    between = _dict(between)
    found = {}
    for voice, row in sent.items():
        if not isinstance(row, list) or len(row) != slots:
            raise BadValueError(f"'{name}' of {str(voice)[:30]} is to hold {slots} values, one for each slot of a bar.")
        around = between.get(voice)
        around = around if isinstance(around, list) and len(around) == slots else [None] * slots
        found[check_voice(str(voice))] = tuple(
            _figure(value, one, name, BY_SLOT[name]) for value, one in zip(row, around, strict=True)
        )
    return found


def _figure(value: Any, between: Any, name: str, bounds: tuple[float, float]) -> Figure | None:
    if value is None:
        return None
    number = _number(value, name, *bounds)
    if isinstance(between, list) and len(between) == 2:
        low, high = (_number(one, f"the interval of {name}", -1e6, 1e6) for one in between)
        return Figure(number, low, high)
    return Figure(number, number, number)


def _number(value: Any, name: str, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadValueError(f"'{name}' is '{str(value)[:20]}'; a number is needed.")
    require_range(f"'{name}'", value, low, high)
    return float(value)


def _whole(value: Any, name: str, low: int, high: int) -> int:
    number = _number(value, name, low, high)
    if number != int(number):
        raise BadValueError(f"'{name}' is {number:g}; a whole number is needed.")
    return int(number)
