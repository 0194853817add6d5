"""Text from outside: only what can be shown and kept."""

from __future__ import annotations

import re

NUMBER = re.compile(r"\d{1,9}", re.ASCII)


def one_line(text: str, most: int) -> str:
    r"""Bring a text from outside onto one line that can be shown.

    Parameters
    ----------
    text
        Control characters, half signs and double spaces are left out.
    most
        So many characters at most.

    Examples
    --------
    >>> one_line("  Low \x07 Tide ", 40)
    'Low Tide'
    """
    return " ".join("".join(c for c in text if c.isprintable()).split())[:most]


def initials(name: str) -> str:
    """Two letters somebody is known by.

    Examples
    --------
    >>> initials("Ada Quill"), initials("ben"), initials("Jo van der Berg")
    ('AQ', 'BE', 'JB')
    """
    words = name.split()
    return (words[0][0] + words[-1][0] if len(words) > 1 else name[:2]).upper()


def several_lines(text: str) -> str:
    """Bring a text from outside into lines that can be shown."""
    return "".join(c for c in text if c.isprintable() or c == "\n").strip()


def whole_number(text: str) -> int | None:
    """Read plain digits, at most nine.

    Other scripts have signs that count as digits and cannot be read as a number.

    Returns
    -------
    int or None
        None for anything else.

    Examples
    --------
    >>> whole_number("42"), whole_number("²"), whole_number("-1")
    (42, None, None)
    """
    return int(text) if NUMBER.fullmatch(text) else None


def plain_line(text: str) -> str:
    """A name as part of a line or file name: letters, digits, spaces and a few marks."""
    return "".join(c if c.isalnum() or c in " -_'," else " " for c in text).strip()[:60] or "kit"


def counted(count: int, word: str) -> str:
    """A number of things in words.

    Examples
    --------
    >>> counted(1, "bar"), counted(3, "bar")
    ('1 bar', '3 bars')
    """
    return f"{count} {word}{'' if count == 1 else 's'}"
