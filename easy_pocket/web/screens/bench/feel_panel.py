"""The feel of one scope as sliders: what it sets, what it inherits, and from where."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from easy_pocket.core.feel.feel import DEFAULTS, SETTINGS, Feel, Slider, first_set, swing_ratio
from easy_pocket.core.feel.template_edits import describe_fit
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.pattern.voices import ROLES, VOICE_GROUPS
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.shared.voice_title import voice_title


@dataclass(frozen=True)
class ShownSetting:
    """A field: its value in force, and whether this scope sets it itself."""

    field: str
    value: Any
    own: bool
    source: str

    @property
    def slider(self) -> Slider:
        found = SETTINGS[self.field].slider
        assert found is not None
        return found

    @property
    def label(self) -> str:
        return self.slider.label or SETTINGS[self.field].words

    @property
    def unit(self) -> str:
        unit = SETTINGS[self.field].unit
        return {"velocity": "±"}.get(unit, unit)


@dataclass(frozen=True)
class ReachChip:
    """A voice the groove can reach: whether it does, and whether it is one of the cymbals."""

    voice: str
    name: str
    reached: bool
    glyph: str
    cymbal: bool


@dataclass(frozen=True)
class FeelPanel:
    scope: str
    scope_name: str
    settings: dict[str, ShownSetting]
    notes: dict[str, str]  # words under a slider
    template_name: str
    template_words: str
    template_id: int | None
    fit: str
    reach: tuple[ReachChip, ...]
    writable: bool  # whether there is a feel to write in

    def card(self, name: str) -> list[ShownSetting]:
        """The sliders of one card, in the order of the feel's settings."""
        return [self.settings[key] for key, one in SETTINGS.items() if one.slider and one.slider.card == name]


FIELDS = tuple(name for name in SETTINGS if name != "template")
TRIPLETS = 200 / 3


def feel_panel(song: LoadedSong, scope: str) -> FeelPanel:
    """The panel of "stack", "part" or a voice of the part; an unknown scope shows the stack."""
    if scope != "part" and scope not in song.part.voices:
        scope = "stack"
    name = {"stack": "the stack", "part": song.part.name}.get(scope) or voice_title(song.kit, scope)
    feel = song.feel
    chain = [(feel.stack, "the stack"), (DEFAULTS, "the house")]
    docs = [song.feel_doc, {}]
    if scope == "part":
        chain, docs = [(feel.part, name), *chain], [song.part.feel_doc, *docs]
    elif scope != "stack":
        own = feel.voices.get(scope)
        chain = [(own or Feel(), name), (feel.part, song.part.name), *chain]
        docs = [song.part.voice_feel_docs.get(scope, {}), song.part.feel_doc, *docs]
    settings = {}
    for field in FIELDS:
        value = first_set(tuple(scope_feel for scope_feel, _ in chain), field)
        source = next(where for scope_feel, where in chain if getattr(scope_feel, field) is not None)
        settings[field] = ShownSetting(field, value, getattr(chain[0][0], field) is not None, source)
    if scope in song.part.voices:  # a voice's push comes on top of its part's, it does not replace it
        push_ms = chain[0][0].push_ms
        settings["push_ms"] = ShownSetting("push_ms", push_ms or 0.0, push_ms is not None, name)
    template_id = next((doc["template_id"] for doc in docs if doc.get("template_id") in song.templates), None)
    where = next((w for (s, w) in chain if s.template is not None), "the house")
    settings["template_id"] = ShownSetting("template_id", template_id, docs[0].get("template_id") is not None, where)
    template = song.templates.get(template_id) if template_id is not None else None
    swing_percent, unit = settings["swing_percent"].value, settings["swing_unit"].value
    pair_ms = 2 * 3840 / unit * ms_per_tick(song.tempo_bpm)
    push_ms = settings["push_ms"].value
    push_words = "on the grid" if push_ms == 0 else f"{abs(push_ms):g} ms {'behind' if push_ms > 0 else 'ahead'}"
    return FeelPanel(
        scope=scope,
        scope_name=name,
        settings=settings,
        notes={
            "swing_percent": f"{ratio_words(swing_percent)} · short note {pair_ms * (1 - swing_percent / 100):.0f} ms",
            "density_percent": _density_words(song, scope),
            "push_ms": push_words + (" of its part" if scope not in ("stack", "part") else ""),
        },
        template_name=template.name if template else "no groove",
        template_words=(template.words or (f"from {template.source}" if template.source else "")) if template else "",
        template_id=template_id,
        fit=describe_fit(template, song.metre, song.pattern.bars) if template else "",
        reach=tuple(_reach(song)),
        writable=bool(song.feel_doc or song.part.feel_doc or any(song.part.voice_feel_docs.values())),
    )


def _density_words(song: LoadedSong, scope: str) -> str:
    """How many of the written hits sound, of a voice or of all."""
    played = song.performance()
    of = played.hits.voice_index >= 0
    if scope in song.part.voices:
        voices = played.hits.voices
        of = played.hits.voice_index == (voices.index(scope) if scope in voices else -1)
    heard = of if played.heard is None else of & played.heard
    return f"{int(heard.sum())} of {int(of.sum())} hits sound"


def ratio_words(swing_percent: float) -> str:
    """Long to short note; what triplets would be is named."""
    if abs(swing_percent - TRIPLETS) < 0.34:
        return "2 : 1, triplets"
    return f"{swing_ratio(swing_percent):.2f} : 1"


def _reach(song: LoadedSong) -> list[ReachChip]:
    glyphs = {voice.role: voice.sign for voice in song.kit.voices}
    return [
        ReachChip(
            voice,
            voice_title(song.kit, voice),
            bool(song.feel.resolve(voice).groove_on),
            glyphs.get(voice, ROLES[voice].glyph),
            voice in VOICE_GROUPS["cymbals"],
        )
        for voice in song.part.voices
    ]
