"""A Stage as the page's graph is to build it: every unit with the numbers its twin needs, curves as points.

The page computes no rule of its own: filters come as the browser's own kinds or as coefficients, smoothing as the share
that is kept from sample to sample, ducks, gates and sways as points in time.
"""

from __future__ import annotations

from typing import TypedDict

import numpy as np

from easy_pocket.core.stage.compressor import kept
from easy_pocket.core.stage.curves import BeatMap, Curve
from easy_pocket.core.stage.drive import FEWEST_STEPS, MOST_STEPS, into, matching_gain
from easy_pocket.core.stage.filters import BUTTERWORTH, cut, first_order_cut
from easy_pocket.core.stage.over_sections import sends_over, units_over
from easy_pocket.core.stage.rooms import room_key
from easy_pocket.core.stage.stage import RETURNS, ROOMS, Stage, Unit
from easy_pocket.core.stage.unit_fields import HIGHEST_CUT_HZ, LOWEST_CUT_HZ
from easy_pocket.core.stage.units import FILTER_STEPS, Music, curve_of, filter_weights, sway_corners

FOLLOW_MUSIC = ("duck", "gate", "sway", "echo")


class FilterPlan(TypedDict):
    """type: of the browser's filter node, with its quality in dB for cuts; or "iir" with coefficients b and a."""

    type: str
    hz: float
    quality: float
    gain_db: float
    b: list[float]
    a: list[float]


class Points(TypedDict):
    """A curve over one pass: times in s and values, straight between them."""

    times_s: list[float]
    values: list[float]


class UnitPlan(TypedDict):
    """One unit that is on.

    numbers: what its twin computes with; points: what it follows, by name. With "on" and "off" among them it is heard
    in some sections only, and what goes in is heard in the others.
    """

    kind: str
    character: str
    side: str
    numbers: dict[str, float]
    filters: list[FilterPlan]
    points: dict[str, Points]
    delays: list[tuple[float, float]]


class PlacePlan(TypedDict):
    """A chain with what leaves after it.

    to: the place its sound goes to next; sends: by "short", "long", "echo", as gains; send_points: of those that are
    others in other sections.
    """

    to: str
    units: list[UnitPlan]
    sends: dict[str, float]
    send_points: dict[str, Points]


class ReturnPlan(TypedDict):
    """What a room or the echo gives back. room: the key of its impulse response, "" for the echo."""

    room: str
    gain: float
    unit: UnitPlan | None
    place: PlacePlan


class StagePlan(TypedDict):
    """places: those with a chain, sends or another way than to the whole; the whole is among them."""

    ceiling_db: float
    places: dict[str, PlacePlan]
    returns: dict[str, ReturnPlan]


def stage_plan(stage: Stage, music: Music, *, hits_to_room: bool = False) -> StagePlan:
    """What the page's graph is to be for this music. hits_to_room: some hits go to the long room by themselves.

    Parameters
    ----------
    stage
        Chains, sends, rooms and groups.
    music
        Tempo, bars and hits of what plays.
    hits_to_room
        Whether some hits go to the long room by themselves.

    Returns
    -------
    StagePlan
        Chains, sends and curves for the page's graph.
    """
    if not stage.on:
        stage = Stage(ceiling_db=stage.ceiling_db)
    places: dict[str, PlacePlan] = {}
    grouped = {member: f"group:{one.key}" for one in stage.groups for member in one.members}
    for where in dict.fromkeys([*stage.named_places, *grouped, *grouped.values(), "whole"]):
        if where not in RETURNS:
            places[where] = place_plan(stage, where, _to(where, grouped, stage), music)
    used = {name for where in stage.named_places for name in sends_over(stage, where, music)}
    used |= {"long"} if hits_to_room and stage.on else set()
    returns = {name: _return_plan(stage, name, music) for name in RETURNS if name in used}
    return {"ceiling_db": stage.ceiling_db, "places": places, "returns": returns}


def _to(where: str, grouped: dict[str, str], stage: Stage) -> str:
    if where in grouped:
        return grouped[where]
    part, colon, _voice = where.removeprefix("part:").partition(":")
    if where.startswith("part:") and colon:
        part_place = f"part:{part}"
        if part_place in stage.named_places or part_place in grouped:
            return part_place
    return "" if where == "whole" else "whole"


def place_plan(stage: Stage, where: str, to: str, music: Music) -> PlacePlan:
    """A chain with what leaves after it.

    Parameters
    ----------
    stage
        Chains, sends, rooms and groups.
    where
        Key of the place.
    to
        Key of the place it leads to.
    music
        Tempo, bars and hits of what plays.

    Returns
    -------
    PlacePlan
        Its units and curves.
    """
    sends, points = {}, {}
    for name, share in sends_over(stage, where, music).items():
        sends[name] = float(share.values[0]) if isinstance(share, Curve) else share
        if isinstance(share, Curve):
            points[name] = _points(share)
    units = [_switched(unit_plan(unit, music), share) for unit, share in units_over(stage, where, music)]
    return {"to": to, "units": units, "sends": sends, "send_points": points}


def _switched(plan: UnitPlan, share: Curve | None) -> UnitPlan:
    if share is not None:
        off = Curve(share.times_s, 1 - share.values)
        plan["points"] = {**plan["points"], "on": _points(share), "off": _points(off)}
    return plan


def _return_plan(stage: Stage, name: str, music: Music) -> ReturnPlan:
    settings = stage.rooms[name] if name in ROOMS else stage.echo
    gain = 10 ** (float(settings["level_db"]) / 20)
    place = place_plan(stage, name, "whole", music)
    if name in ROOMS:
        return {"room": room_key(settings), "gain": gain, "unit": None, "place": place}
    own = {key: value for key, value in settings.items() if key != "level_db"}
    unit = unit_plan(Unit("echo", settings={**own, "mix_percent": 100.0}), music)
    return {"room": "", "gain": gain, "unit": unit, "place": place}


def unit_plan(unit: Unit, music: Music) -> UnitPlan:
    """Raises nothing: a unit is checked when it is made."""
    plan: UnitPlan = {
        "kind": unit.kind, "character": str(unit.settings.get("character", "")),
        "side": str(unit.settings.get("side", "")), "numbers": {}, "filters": [], "points": {}, "delays": [],
    }  # fmt: skip
    value = unit.number
    if unit.kind == "tone":
        plan["filters"] = _tone_filters(unit)
    elif unit.kind == "drive":
        character, amount = plan["character"], value("amount_percent")
        steps = MOST_STEPS * (FEWEST_STEPS / MOST_STEPS) ** (amount / 100)
        plan["numbers"] = {"into": into(amount), "after": matching_gain(character, amount), "steps": steps}
    elif unit.kind == "compressor":
        plan["numbers"] = {
            "threshold_db": value("threshold_db"), "ratio": value("ratio"), "knee_db": value("knee_db"),
            "attack": kept(value("attack_ms")), "release": kept(value("release_ms")),
            "wet": value("mix_percent") / 100, "lift": 10 ** (value("makeup_db") / 20),
        }  # fmt: skip
    elif unit.kind == "echo":
        low, high = cut(value("low_cut_hz"), 12, high=True), cut(value("high_cut_hz"), 12, high=False)
        plan["filters"] = [
            {**_filter("iir", 0.0), "b": one[:3].tolist(), "a": one[3:].tolist()} for one in (*low, *high)
        ]
        plan["numbers"] = {
            "again": value("feedback_percent") / 100, "cross": value("sides_percent") / 100,
            "mix": value("mix_percent") / 100,
        }  # fmt: skip
        plan["delays"] = [(frame / 44_100, delay / 44_100) for frame, delay in music.echo_delays(value("beats"))]
    elif unit.kind == "wide":
        plan["numbers"] = {"width": value("width_percent") / 100}
    else:
        _follow(plan, unit, music)
    return plan


def unit_alone_plan(unit: Unit) -> UnitPlan | None:
    """As `unit_plan`, of a unit that does not follow the music; None of one that does."""
    if unit.kind in FOLLOW_MUSIC:
        return None
    return unit_plan(unit, Music(BeatMap.steady(1.0, 1.0)))


def _follow(plan: UnitPlan, unit: Unit, music: Music) -> None:
    """Units that follow a curve."""
    curve = curve_of(unit, music)
    assert curve is not None
    if unit.kind != "sway":
        plan["points"] = {"gain": _points(curve)}
        return
    depth = 10 ** (unit.number("level_db") / 20) - 1
    plan["points"] = {"pan": _points(Curve(curve.times_s, curve.values * unit.number("pan_percent") / 100))}
    if depth:
        plan["points"]["gain"] = _points(Curve(curve.times_s, 1 + depth * (0.5 - 0.5 * curve.values)))
    if unit.number("filter_percent"):
        plan["filters"] = [_second_order("lowpass", hz, 2**-0.5) for hz in sway_corners(unit)]
        full = _with_corners(curve, unit)
        for number, weights in enumerate(filter_weights(unit, full.values)):
            plan["points"][f"weight {number}"] = _points(Curve(full.times_s, weights))


def _with_corners(curve: Curve, unit: Unit) -> Curve:
    """The same curve with points where it goes from one filter to the next, so that weights are straight between."""
    depth = unit.number("filter_percent") / 100
    edges = 1 - 2 * np.arange(FILTER_STEPS) / (depth * (FILTER_STEPS - 1))
    times, values = curve.times_s, curve.values
    rise = np.diff(values)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = (edges[:, None] - values[None, :-1]) / rise[None, :]
    crossing = (share > 0) & (share < 1)
    more = (times[None, :-1] + share * np.diff(times)[None, :])[crossing]
    every = np.unique(np.concatenate([times, more]))
    return Curve(every, np.interp(every, times, values))


def _points(curve: Curve) -> Points:
    return {"times_s": np.round(curve.times_s, 7).tolist(), "values": np.round(curve.values, 7).tolist()}


def _tone_filters(unit: Unit) -> list[FilterPlan]:
    value = unit.number
    found: list[FilterPlan] = []
    if value("low_cut_hz") > LOWEST_CUT_HZ:
        found += _cut(value("low_cut_hz"), int(unit.settings["low_cut_slope"]), high=True)
    if value("low_shelf_db"):
        found.append(_filter("lowshelf", value("low_shelf_hz"), gain_db=value("low_shelf_db")))
    for number in (1, 2):
        if value(f"bell_{number}_db"):
            quality, gain_db = value(f"bell_{number}_q"), value(f"bell_{number}_db")
            found.append(_filter("peaking", value(f"bell_{number}_hz"), quality, gain_db))
    if value("high_shelf_db"):
        found.append(_filter("highshelf", value("high_shelf_hz"), gain_db=value("high_shelf_db")))
    if value("high_cut_hz") < HIGHEST_CUT_HZ:
        found += _cut(value("high_cut_hz"), int(unit.settings["high_cut_slope"]), high=False)
    return found


def _cut(hz: float, slope_db: int, *, high: bool) -> list[FilterPlan]:
    first, qualities = BUTTERWORTH[slope_db]
    found: list[FilterPlan] = []
    if first:
        section = first_order_cut(hz, high=high)[0]
        found.append({**_filter("iir", hz), "b": section[:2].tolist(), "a": section[3:5].tolist()})
    return found + [_second_order("highpass" if high else "lowpass", hz, quality) for quality in qualities]


def _second_order(kind: str, hz: float, quality: float) -> FilterPlan:
    return _filter(kind, hz, float(20 * np.log10(quality)))  # the browser takes the quality of a cut in dB


def _filter(kind: str, hz: float, quality: float = 1.0, gain_db: float = 0.0) -> FilterPlan:
    return {"type": kind, "hz": hz, "quality": quality, "gain_db": gain_db, "b": [], "a": []}
