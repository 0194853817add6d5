"""Text from outside: only what can be shown and kept."""

from __future__ import annotations

import re

NUMBER = re.compile(r"\d{1,9}", re.ASCII)


def one_line(text: str, most: int) -> str:
    """Without control characters, half signs and double spaces; at most so many characters."""
    return " ".join("".join(c for c in text if c.isprintable()).split())[:most]


def several_lines(text: str) -> str:
    return "".join(c for c in text if c.isprintable() or c == "\n").strip()


def whole_number(text: str) -> int | None:
    """Plain digits, at most nine. Other scripts have signs that count as digits and cannot be read as a number."""
    return int(text) if NUMBER.fullmatch(text) else None


def plain_line(text: str) -> str:
    """A name as part of a line or file name: letters, digits, spaces and a few marks."""
    return "".join(c if c.isalnum() or c in " -_'," else " " for c in text).strip()[:60] or "kit"
