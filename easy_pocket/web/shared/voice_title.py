"""What a voice is called on a kit."""

from __future__ import annotations

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.sound.kit import Kit


def voice_title(kit: Kit, voice: str) -> str:
    known = next((one for one in kit.voices if one.role == voice), None)
    return known.title if known else ROLES[voice].name
