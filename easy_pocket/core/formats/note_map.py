"""Which note is which voice, and the other way round."""

from __future__ import annotations

from easy_pocket.core.pattern.voices import DRUMS, NEAREST_ROLE, ROLES

PERCUSSION_CHANNEL = 9


EXACT_VOICE = {role.midi_note: role.key for role in DRUMS.values()}


NOTE_PREFIX = "note"


# Everything else General MIDI has on its percussion channel, by the voice of ours that comes nearest.
NEAREST_BY_NOTE = {
    27: "rim", 28: "clap", 29: "shaker", 30: "shaker", 31: "rim", 32: "rim", 33: "rim", 34: "ride",
    54: "tambourine", 56: "rim", 58: "shaker", 60: "tom_high", 61: "tom_mid", 62: "tom_high", 63: "tom_high",
    64: "tom_low", 65: "tom_high", 66: "tom_mid", 67: "rim", 68: "rim", 69: "shaker", 71: "shaker", 72: "shaker",
    73: "shaker", 74: "shaker", 75: "rim", 76: "rim", 77: "rim", 78: "tom_mid", 79: "tom_mid", 80: "ride",
    81: "ride", 82: "shaker", 83: "tambourine", 84: "ride", 85: "rim", 86: "tom_low", 87: "tom_low",
} | NEAREST_ROLE  # fmt: skip


def voice_of_note(note: int) -> str:
    """Name the voice of a MIDI note.

    Parameters
    ----------
    note
        0 to 127.

    Returns
    -------
    str
        A voice of ours, or "noteNN" when none is exactly that: see `nearest_voice`.

    Examples
    --------
    >>> voice_of_note(36), voice_of_note(90)
    ('kick', 'note90')
    """
    return EXACT_VOICE.get(note, f"{NOTE_PREFIX}{note}")


def note_of_voice(voice: str) -> int:
    """Give the MIDI note of a voice, or of "noteNN" its number."""
    return int(voice.removeprefix(NOTE_PREFIX)) if voice.startswith(NOTE_PREFIX) else ROLES[voice].midi_note


def nearest_voice(voice: str) -> str:
    """Name a voice that our kits have.

    Parameters
    ----------
    voice
        A voice, or "noteNN".

    Returns
    -------
    str
        Itself, or for "noteNN" the one that sounds most like it ("rim" for the unheard of).

    Examples
    --------
    >>> nearest_voice("note35"), nearest_voice("snare"), nearest_voice("note100")
    ('kick', 'snare', 'rim')
    """
    if not voice.startswith(NOTE_PREFIX):
        return voice
    return NEAREST_BY_NOTE.get(int(voice.removeprefix(NOTE_PREFIX)), "rim")
