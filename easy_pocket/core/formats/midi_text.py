"""Names and markers in MIDI files: written as UTF-8, read as UTF-8 or, where they are none, as Latin-1."""

from __future__ import annotations

from contextlib import suppress

from easy_pocket.core.text import one_line

WRITTEN_AS = "utf-8"
MOST_CHARACTERS = 120


def to_midi(text: str) -> str:
    r"""One line that a file can hold.

    >>> to_midi("Grüße, 潮\n")
    'Grüße, 潮'
    """
    return one_line(text, MOST_CHARACTERS)


def from_midi(text: str, most: int = 80) -> str:
    r"""The text of a message that was read byte by byte, on one line of so many characters at most.

    >>> from_midi("GrÃ¼Ã\x9fe"), from_midi("Grüße")
    ('Grüße', 'Grüße')
    """
    with suppress(UnicodeError):  # of an older file each byte is a character
        text = text.encode("latin-1").decode("utf-8")
    return one_line(text, most)
