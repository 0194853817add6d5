"""The text of an SFZ file: regions with the opcodes that reach them from the headers above."""

from __future__ import annotations

import re
from dataclasses import dataclass

from easy_pocket.core.errors import KitRefusedError

MAX_BYTES = 4_000_000
MAX_REGIONS = 4_096
MAX_DEFINES = 256
MAX_OPCODES = 512  # of one header
MAX_LINE = 20_000  # characters, #defines written out
HEADER = re.compile(r"<(\w+)>")
OPCODE = re.compile(r"(?:^|\s)([a-zA-Z_]\w*)=")
LEVELS = {"global": 0, "master": 1, "group": 2, "region": 3}


@dataclass(frozen=True)
class SfzText:
    """regions: opcodes by name, lower case, inherited ones included; remarks: what was passed over, in words."""

    regions: tuple[dict[str, str], ...]
    remarks: tuple[str, ...]


def parse_sfz(data: bytes, name: str) -> SfzText:
    """Read the regions of an SFZ text, what they inherit written out.

    Parameters
    ----------
    data
        The file's bytes.
    name
        For messages.

    Raises
    ------
    KitRefusedError
        For a file that is no text, too large, or holds no region.

    Examples
    --------
    >>> text = parse_sfz(b"<group> volume=-3 <region> sample=kick.wav key=36", "kit.sfz")
    >>> text.regions
    ({'volume': '-3', 'sample': 'kick.wav', 'key': '36'},)
    """
    if len(data) > MAX_BYTES:
        raise KitRefusedError(f"{name} has {len(data) / 1e6:.0f} MB of text; an SFZ of at most 4 MB can be read.")
    if b"\0" in data:
        raise KitRefusedError(f"{name} is no text file: choose an .sfz, or a zip that holds one.")
    text = data.decode("utf-8", "replace")
    remarks: list[str] = []
    defines: dict[str, str] = {}
    lines = []
    known: re.Pattern[str] | None = None
    written = 0
    for line in text.splitlines():
        line = line.split("//", 1)[0].strip()
        if line.startswith("#define"):
            pieces = line.split(None, 2)
            if len(pieces) == 3 and pieces[1].startswith("$") and len(defines) < MAX_DEFINES:
                defines[pieces[1][:100]] = pieces[2][:200]
                known = None
            continue
        if line.startswith("#"):
            if len(remarks) < MAX_REGIONS:
                remarks.append(f"'{line[:60]}' was passed over: only one file is read.")
            continue
        if "$" in line and defines:
            # The longest name first; what comes of one is not looked at again, so a line cannot grow without end.
            known = known or re.compile("|".join(map(re.escape, sorted(defines, key=len, reverse=True))))
            line = known.sub(lambda found: defines[found[0]], line)
            written += len(line)
            if len(line) > MAX_LINE or written > MAX_BYTES:
                raise KitRefusedError(f"{name} grows too large by its #defines: write the opcodes out, or use fewer.")
        lines.append(line)
    regions = _regions("\n".join(lines), name)
    if not regions:
        raise KitRefusedError(f"{name} holds no <region>: it is no SFZ kit, or it is empty. Choose another file.")
    return SfzText(tuple(regions), tuple(remarks))


def _regions(text: str, name: str) -> list[dict[str, str]]:
    scopes: list[dict[str, str]] = [{}, {}, {}, {}]
    control: dict[str, str] = {}
    regions: list[dict[str, str]] = []
    pieces = HEADER.split(text)
    for header, body in zip(pieces[1::2], pieces[2::2], strict=True):
        header = header.lower()
        opcodes = _opcodes(body, name)
        if header == "control":
            control |= opcodes
        elif header in LEVELS:
            level = LEVELS[header]
            scopes[level] = opcodes
            for deeper in range(level + 1, 4):
                scopes[deeper] = {}
            if header == "region":
                merged = {**scopes[0], **scopes[1], **scopes[2], **scopes[3]}
                merged["sample"] = control.get("default_path", "") + merged.get("sample", "")
                regions.append(merged)
                if len(regions) > MAX_REGIONS:
                    raise KitRefusedError(f"{name} holds more than {MAX_REGIONS} regions, the most that can be read.")
    return regions


def _opcodes(body: str, name: str) -> dict[str, str]:
    """name=value pairs; a value may hold spaces and ends where the next name= begins, or with its line."""
    found: dict[str, str] = {}
    for line in body.splitlines():
        marks = list(OPCODE.finditer(line))
        for number, mark in enumerate(marks, start=1):
            value = line[mark.end() : marks[number].start() if number < len(marks) else len(line)]
            found[mark.group(1).lower()] = value.strip()[:400]
            if len(found) > MAX_OPCODES:
                raise KitRefusedError(f"{name} sets more than {MAX_OPCODES} things at once: it is no SFZ kit.")
    return found
