"""Reading an uploaded file: counted while it comes in; its name is only ever shown."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from starlette.requests import Request

from easy_pocket.core.errors import PocketError
from easy_pocket.store.songs import check_name
from easy_pocket.web.security import MAX_UPLOAD_BYTES, too_large

FileName = Annotated[str, Query(max_length=200)]
FileEditId = Annotated[str, Query(max_length=60, pattern=r"^[A-Za-z0-9_-]*$")]


class TooLargeError(PocketError):
    """A file larger than can be brought in."""


async def read_upload(request: Request) -> bytes:
    """The body is the file. Raises TooLargeError as soon as it has grown too large."""
    data = bytearray()
    async for piece in request.stream():
        data += piece
        if len(data) > MAX_UPLOAD_BYTES:
            raise TooLargeError(too_large(len(data)))
    return bytes(data)


def plain_name(name: str) -> str:
    """The file's own name without folders."""
    return check_name(name.replace("\\", "/").rsplit("/", 1)[-1][-80:] or "file")
