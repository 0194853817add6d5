"""Where a song's files are taken from."""

from __future__ import annotations

from easy_pocket.core.formats.registry import Format, written


def export_address(one: Format) -> str:
    """Of a format, after the song's address: "pattern.mid", "kit-sounds.zip"."""
    first = next(other for other in written(one.of) if other.ending == one.ending)
    return f"{one.of}{one.ending}" if one is first else f"{one.of}-{one.name}{one.ending}"
