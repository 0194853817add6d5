"""Reading an uploaded file: counted while it comes in; its name is only ever shown."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import Query
from starlette.requests import Request

from easy_pocket.core.errors import PocketError
from easy_pocket.store.songs.create import check_name
from easy_pocket.web.security import MAX_UPLOAD_BYTES, UPLOAD_S, too_large, too_slow

FileName = Annotated[str, Query(max_length=200)]
FileEditId = Annotated[str, Query(max_length=60, pattern=r"^[A-Za-z0-9_-]*$")]


class TooLargeError(PocketError):
    """A file larger than can be brought in."""


class TooSlowError(PocketError):
    """A file that does not come in time."""


async def read_upload(request: Request, most: int = MAX_UPLOAD_BYTES) -> bytes:
    """The body is the file. Raises TooLargeError when it has more bytes than `most`, TooSlowError after UPLOAD_S."""
    data = bytearray()
    try:
        async with asyncio.timeout(UPLOAD_S):
            async for piece in request.stream():
                data += piece
                if len(data) > most:
                    raise TooLargeError(too_large(len(data), most))
    except TimeoutError:
        raise TooSlowError(too_slow(UPLOAD_S)) from None
    return bytes(data)


def plain_name(name: str) -> str:
    """The file's own name without folders."""
    return check_name(name.replace("\\", "/").rsplit("/", 1)[-1][-80:] or "file")
