"""The heads of the rails: a voice's name and sign, its level and pan, whether it sounds."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from easy_pocket.core.pattern.voices import ROLES, SLICES
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit, KitVoice
from easy_pocket.web.shared.voice_title import voice_title

MOST_SLICE_RAILS = 16  # of the slices of a loop so many are shown, the others are folded away


@dataclass(frozen=True)
class Rail:
    voice: str
    name: str
    mix: VoiceMix
    sounding: bool
    glyph: str
    alternates: int = 0
    hint: str = ""  # what about its sound one should know when writing
    muted_here: bool = False  # by the section
    pan: float = 0.0
    folded: bool = False

    @property
    def pan_words(self) -> str:
        if abs(self.pan) < 0.005:
            return "middle"
        return f"{abs(self.pan) * 100:.0f} % {'right' if self.pan > 0 else 'left'}"


def rail_heads(
    voices: Iterable[str],
    mix: Mapping[str, VoiceMix],
    sounding: set[str],
    kit: Kit,
    muted: frozenset[str] = frozenset(),
) -> list[Rail]:
    """muted: voices that the selected section leaves out."""
    known = {voice.role: voice for voice in kit.voices}
    voices = tuple(voices)
    folded = set([voice for voice in voices if voice in SLICES][MOST_SLICE_RAILS:])
    return [
        Rail(
            voice=voice,
            name=voice_title(kit, voice),
            mix=mix.get(voice, VoiceMix()),
            sounding=voice in sounding and voice in known,
            glyph=known[voice].sign if voice in known else ROLES[voice].glyph,
            alternates=len(known[voice].alternates) if voice in known else 0,
            hint=_hint(known.get(voice), kit),
            muted_here=voice in muted,
            pan=_pan(mix.get(voice, VoiceMix()), known.get(voice)),
            folded=voice in folded,
        )
        for voice in voices
    ]


def _pan(mix: VoiceMix, voice: KitVoice | None) -> float:
    if mix.pan is not None:
        return mix.pan
    return voice.pan if voice else 0.0


def _hint(voice: KitVoice | None, kit: Kit) -> str:
    if voice is None:
        return f"not in {kit.name}: silent"
    return "" if voice.hears_velocity else "velocity is not heard"
