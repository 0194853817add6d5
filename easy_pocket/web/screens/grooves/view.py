"""The groove shelf: every groove with its picture, and one of them to work on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from markupsafe import Markup

from easy_pocket.core.feel.template import LANES, MAX_TEMPLATE_BARS, GrooveTemplate
from easy_pocket.core.feel.template_edits import describe_fit
from easy_pocket.core.pattern.timebase import part_of_beat
from easy_pocket.store.database import Reader
from easy_pocket.store.grooves.shelf import groove_rows
from easy_pocket.store.grooves.templates import template_of_row
from easy_pocket.store.loops.loops import named_loops
from easy_pocket.store.schema.tables import TemplateRow
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.grooves.shapes import GrooveData
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.render import render

PICTURE_LANES = ("low", "mid", "high")
REACHES_MS = (10, 20, 30, 40, 60, 100, 160, 250)
GLYPHS = {"all": "disc", "low": "square", "mid": "triangle", "high": "disc"}


@dataclass(frozen=True)
class GrooveCard:
    """A groove in the list: `picture` is 100 wide and 40 high, early above the middle, accents along the foot."""

    id: int
    name: str
    words: str
    facts: str
    house: bool
    picture: Markup


def groove_cards(rows: Iterable[TemplateRow]) -> list[GrooveCard]:
    return [_card(row, template_of_row(row)) for row in rows]


def _card(row: TemplateRow, groove: GrooveTemplate) -> GrooveCard:
    bars = f"{groove.bars} bar{'s' if groove.bars > 1 else ''} of {groove.metre}"
    return GrooveCard(
        id=row.id,
        name=row.name,
        words=groove.words or (f"from {groove.source}" if groove.source else "drawn by hand"),
        facts=f"{groove.tempo_bpm:.0f} bpm · {bars}",
        house=row.house is not None,
        picture=_picture(groove),
    )


def reach_ms(groove: GrooveTemplate) -> int:
    """The scale a groove is drawn to: the smallest that holds it all."""
    furthest = max(float(np.abs(lane.offsets).max()) for lane in groove.lanes.values())
    return next((reach for reach in REACHES_MS if furthest <= reach), REACHES_MS[-1])


def _picture(groove: GrooveTemplate) -> Markup:
    """Numbers of ours only, and many: written as they are."""
    reach = max(reach_ms(groove), 20)
    lanes = [name for name in PICTURE_LANES if name in groove.lanes] or ["all"]
    slots = groove.slots_per_bar * groove.bars
    across = 2 + 96 * (np.arange(slots) + 0.5) / slots
    drawn = [
        f'<path class="foot" d="{" ".join(f"M{x:.1f} 40v{-1 - 8 * accent:.1f}" for x, accent in zip(across, groove.lanes["all"].accents, strict=True))}"/>'  # noqa: E501
    ]
    for name in lanes:
        down = 15 - 13 * groove.lanes[name].offsets / reach
        points = " ".join(
            f"{'ML'[place > 0]}{x:.1f} {y:.1f}" for place, (x, y) in enumerate(zip(across, down, strict=True))
        )
        drawn.append(f'<path class="line {name}" d="{points}"/>')
    return Markup("".join(drawn))


class GrooveView:
    """Everything the Grooves screen asks for; with a groove that is gone, the first of the shelf."""

    def __init__(self, song: LoadedSong, view: View, reader: Reader, made: int | None = None) -> None:
        rows = groove_rows(reader)
        wanted = made or view.groove
        row = next((row for row in rows if row.id == wanted), rows[0] if rows else None)
        self.song = song
        self.cards = groove_cards(rows)
        self.row = row
        self.groove = template_of_row(row) if row else None
        self.lane = view.lane if view.lane in LANES else "all"
        self.scope = view.scope if view.scope in ("stack", "part", *song.part.voices) else "stack"
        self.loops = named_loops(reader, song.id)

    @property
    def put_on(self) -> list[tuple[str, str, bool]]:
        """Scopes the groove can be put on, and whether it is."""
        docs = {"stack": self.song.feel_doc, "part": self.song.part.feel_doc, **self.song.part.voice_feel_docs}
        names = {"stack": "whole stack", "part": self.song.part.name}
        names |= {voice.role: voice.title for voice in self.song.kit.voices if voice.role in self.song.part.voices}
        here = self.row.id if self.row else None
        return [(scope, name, docs.get(scope, {}).get("template_id") == here) for scope, name in names.items()]

    @property
    def fit(self) -> str:
        return describe_fit(self.groove, self.song.metre, self.song.pattern.bars) if self.groove else ""

    @property
    def most_bars(self) -> int:
        return MAX_TEMPLATE_BARS

    @property
    def others(self) -> list[GrooveCard]:
        return [card for card in self.cards if self.row and card.id != self.row.id]

    def data(self) -> GrooveData | None:
        """The chosen groove as the page draws it."""
        if self.groove is None or self.row is None:
            return None
        groove = self.groove
        ticks = np.arange(groove.slots_per_bar * groove.bars) * groove.metre.bar_ticks / groove.slots_per_bar
        inside = np.mod(ticks, groove.metre.bar_ticks)
        beat, rest = np.divmod(inside, groove.metre.beat_ticks)
        labels = [
            str(int(b) + 1) if r == 0 else part_of_beat(round(r), groove.metre) for b, r in zip(beat, rest, strict=True)
        ]
        return {
            "id": self.row.id,
            "slots": groove.slots_per_bar,
            "bars": groove.bars,
            "reach": max(reach_ms(groove), 20),
            "labels": [label if len(label) < 3 else "" for label in labels],
            "beats": (rest == 0).tolist(),
            "lane": self.lane,
            "lanes": {
                name: {
                    "offset": np.round(lane.offsets, 2).tolist(),
                    "accent": np.round(lane.accents, 3).tolist(),
                    "spread": np.round(np.asarray(lane.spread_ms), 2).tolist(),
                    "count": list(lane.count),
                    "guessed": list(lane.guessed),
                }
                for name, lane in groove.lanes.items()
            },
        }

    def fragments(self) -> dict[str, str]:
        values = {"grooves": self, "song": self.song}
        return {
            "groove-list": render("grooves/_groove_list.html", cards=self.cards, chosen=self.row.id if self.row else 0),
            "groove-head": render("grooves/_groove_head.html", **values),
            "groove-side": render("grooves/_groove_side.html", **values),
        }
