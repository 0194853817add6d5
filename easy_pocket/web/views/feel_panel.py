"""The feel of one scope as sliders: what it sets, what it inherits, and from where."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from easy_pocket.core.feel import DEFAULTS, first_set, swing_ratio
from easy_pocket.core.timebase import ms_per_tick
from easy_pocket.core.voices import ROLES
from easy_pocket.store.songs import LoadedSong


@dataclass(frozen=True)
class Setting:
    """A field: its value in force, and whether this scope sets it itself."""

    field: str
    value: Any
    own: bool
    source: str


@dataclass(frozen=True)
class FeelPanel:
    scope: str
    scope_name: str
    settings: dict[str, Setting]
    swing_ratio: str
    short_note_ms: float
    template_name: str
    template_source: str
    templates: tuple[tuple[int, str], ...]
    template_id: int | None
    push_words: str


def feel_panel(song: LoadedSong, scope: str) -> FeelPanel:
    """The panel of "stack", "part" or a voice of the part; an unknown scope shows the stack."""
    if scope != "part" and scope not in song.part.voices:
        scope = "stack"
    name = {"stack": "the stack", "part": song.part.name}.get(scope) or ROLES[scope].name
    feel = song.feel
    chain = [(feel.stack, "the stack"), (DEFAULTS, "the house")]
    docs = [song.row.feel, {}]
    if scope == "part":
        chain, docs = [(feel.part, name), *chain], [song.part.feel, *docs]
    elif scope != "stack":
        own = feel.voices.get(scope)
        chain = [(own or type(DEFAULTS)(), name), (feel.part, song.part.name), *chain]
        docs = [song.part.voice_feel.get(scope, {}), song.part.feel, *docs]
    settings = {}
    for field in (
        "swing_percent",
        "swing_unit",
        "short_note_ms",
        "timing_pull",
        "accent_pull",
        "groove_scales",
        "push_ms",
        "drift_ms",
        "jitter_ms",
        "touch",
        "seed",
        "runs_on",
    ):
        value = first_set(tuple(scope_feel for scope_feel, _ in chain), field)
        source = next(where for scope_feel, where in chain if getattr(scope_feel, field) is not None)
        settings[field] = Setting(field, value, getattr(chain[0][0], field) is not None, source)
    if scope in song.part.voices:  # a voice's push comes on top of its part's, it does not replace it
        push_ms = chain[0][0].push_ms
        settings["push_ms"] = Setting("push_ms", push_ms or 0.0, push_ms is not None, name)
    template_id = next((doc["template_id"] for doc in docs if doc.get("template_id") in song.templates), None)
    where = next((w for (s, w) in chain if s.template is not None), "the house")
    settings["template_id"] = Setting("template_id", template_id, docs[0].get("template_id") is not None, where)
    template = song.templates.get(template_id) if template_id is not None else None
    swing_percent, unit = settings["swing_percent"].value, settings["swing_unit"].value
    pair_ms = 2 * 3840 / unit * ms_per_tick(song.row.tempo_bpm)
    push_ms = settings["push_ms"].value
    return FeelPanel(
        scope=scope,
        scope_name=name,
        settings=settings,
        swing_ratio=f"{swing_ratio(swing_percent):.2f} : 1",
        short_note_ms=pair_ms * (1 - swing_percent / 100),
        template_name=template.name if template else "no groove",
        template_source=template.source if template else "",
        templates=tuple((key, value.name) for key, value in song.templates.items()),
        template_id=template_id,
        push_words="on the grid" if push_ms == 0 else f"{abs(push_ms):g} ms {'behind' if push_ms > 0 else 'ahead'}",
    )
