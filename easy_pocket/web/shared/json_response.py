"""Answers as JSON. Columns go as they are: an edit of a large pattern sends tens of thousands of numbers."""

from __future__ import annotations

from typing import Any

import numpy as np
import orjson
from starlette.responses import JSONResponse

OPTIONS = orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS


def to_json(content: Any) -> bytes:
    """Arrays become lists; infinity and NaN become null."""
    return orjson.dumps(content, default=_other, option=OPTIONS)


def _other(value: Any) -> Any:
    """Arrays the encoder does not take as they lie in memory."""
    if isinstance(value, np.ndarray):
        return value.tolist()
    raise TypeError(f"{type(value).__name__} cannot be sent as JSON")


class JsonResponse(JSONResponse):
    def render(self, content: Any) -> bytes:
        return to_json(content)
