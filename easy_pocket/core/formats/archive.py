"""Zip files from outside, read in memory within bounds; names inside are only compared, never opened as paths."""

from __future__ import annotations

import io
import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterable

from easy_pocket.core.errors import ArchiveRefusedError

MAX_FILES = 2_000
MAX_ONE_BYTES = 60_000_000
MAX_ALL_BYTES = 300_000_000
PIECE = 1 << 18
# What zipfile and the decompressors under it raise for damaged data.
DAMAGED = (
    zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, EOFError, OSError, ValueError, RuntimeError,
    zlib.error, lzma.LZMAError, struct.error, IndexError, KeyError, OverflowError,
)  # fmt: skip


def read_archive(
    data: bytes, name: str, endings: Iterable[str], *, most_one: int = MAX_ONE_BYTES, most_all: int = MAX_ALL_BYTES
) -> dict[str, bytes]:
    """The files with these endings by their plain path, bytes counted while they unfold.

    Parameters
    ----------
    data
        Bytes of a zip file.
    name
        What the file is called, for messages only.
    endings
        Endings of the files that are wanted, with their dot.
    most_one, most_all
        How many bytes one file, and all of them, may unfold to.

    Returns
    -------
    dict[str, bytes]
        Bytes of each file by its path.

    Raises
    ------
    ArchiveRefusedError
        For what is no zip, holds more than 2,000 files or unfolds to too much.
    """
    wanted = tuple(ending.lower() for ending in endings)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = [entry for entry in archive.infolist() if not entry.is_dir()]
            if len(entries) > MAX_FILES:
                raise ArchiveRefusedError(
                    f"{name} holds {len(entries)} files; at most {MAX_FILES} can be brought in at once: split it."
                )
            found: dict[str, bytes] = {}
            total = 0
            for entry in entries:
                path = plain_path(entry.filename)
                if not path.lower().endswith(wanted) or path.rsplit("/", 1)[-1].startswith("."):
                    continue
                if entry.flag_bits & 1:
                    raise ArchiveRefusedError(f"{name} is locked with a password: make the zip without one.")
                content = _unfold(archive, entry, name, (most_one, most_all), most_all - total)
                total += len(content)
                found[path] = content
            return found
    except DAMAGED as error:
        reason = str(error).splitlines()[0].rstrip(".") if str(error) else "it ends in the middle"
        raise ArchiveRefusedError(f"{name} is no zip file that can be read ({reason}): make it again.") from None


def _unfold(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, name: str, most: tuple[int, int], left: int) -> bytes:
    """An entry's bytes; what its header claims about its size is not believed."""
    out = bytearray()
    with archive.open(entry) as opened:
        while piece := opened.read(PIECE):
            out += piece
            if len(out) > min(most[0], left):
                raise ArchiveRefusedError(
                    f"{name} unfolds to more than {most[1] // 1_000_000} MB, or holds a file of more than "
                    f"{most[0] // 1_000_000} MB: take out what is not needed."
                )
    return bytes(out)


def plain_path(path: str) -> str:
    """Give a path with forward slashes, "." and ".." worked out and never above the top.

    Parameters
    ----------
    path
        As an archive or a file in it says it.

    Examples
    --------
    >>> plain_path("kit/./samples/../../../etc/x.wav")
    'etc/x.wav'
    """
    pieces: list[str] = []
    for piece in path.replace("\\", "/").split("/"):
        if piece == "..":
            pieces = pieces[:-1]
        elif piece not in ("", "."):
            pieces.append(piece)
    return "/".join(pieces)


def write_archive(files: dict[str, bytes], *, packed: bool = True) -> bytes:
    """Pack files into a zip; the same files give the same bytes.

    Parameters
    ----------
    files
        Content by path.
    packed
        Made smaller; sound hardly gets smaller, and takes long.

    Examples
    --------
    >>> data = write_archive({"a.txt": b"one"})
    >>> data == write_archive({"a.txt": b"one"})
    True
    >>> read_archive(data, "x.zip", (".txt",))
    {'a.txt': b'one'}
    """
    out = io.BytesIO()
    how = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
    with zipfile.ZipFile(out, "w", how) as archive:
        for path, content in files.items():
            entry = zipfile.ZipInfo(path, (2026, 1, 1, 0, 0, 0))
            entry.compress_type = how
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, content)
    return out.getvalue()
