"""The map of grooves, as the page draws it."""

from __future__ import annotations

from collections.abc import Sequence

from easy_pocket.core.feel.groove_map import alike, groove_map, in_words, opposed
from easy_pocket.store.songs.comparable_grooves import Comparable
from easy_pocket.web.screens.grooves.shapes import GrooveMapData, GroovePoint


def groove_map_doc(found: Sequence[Comparable], to: str = "") -> GrooveMapData:
    """to: the key of one they are compared with; "" for none."""
    grooves = [one.groove for one in found]
    laid = groove_map(grooves)
    chosen = next((place for place, one in enumerate(found) if one.key == to), None)
    points: list[GroovePoint] = []
    for place, one in enumerate(found):
        across, up = laid.places[place].tolist()
        point: GroovePoint = {
            "key": one.key, "name": one.name, "kind": one.kind, "words": in_words(one.groove),
            "across": round(across, 4), "up": round(up, 4),
        }  # fmt: skip
        points.append(point)
    if chosen is not None:
        shares = zip(alike(grooves, chosen).tolist(), opposed(grooves, chosen).tolist(), strict=True)
        for point, (like, opposite) in zip(points, shares, strict=True):
            point |= {"like": round(like, 3), "opposite": round(opposite, 3)}
    return {"points": points, "across": [laid.across.low, laid.across.high], "up": [laid.up.low, laid.up.high]}
