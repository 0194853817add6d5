"""Types of what requests hold, with their bounds: checked while a request is read, before anything is loaded."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from easy_pocket.core.feel.feel import STORED

Voice = Annotated[str, Field(min_length=1, max_length=30, pattern=r"^[a-z_0-9]+$")]
Tick = Annotated[int, Field(ge=0, le=2_000_000)]
Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]
Name = Annotated[str, Field(max_length=400)]
Word = Annotated[str, Field(max_length=20)]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]
Ids = Annotated[list[Id], Field(min_length=1, max_length=128)]
KitKey = Annotated[str, Field(max_length=40)]
Voices = Annotated[list[Voice], Field(max_length=64)]
Places = Annotated[list[tuple[Voice, Tick]], Field(max_length=30_000)]
Bars = Annotated[int, Field(ge=1, le=512)]
if TYPE_CHECKING:
    FeelField = str
else:
    FeelField = Literal[tuple(STORED)]  # a setting of the feel, as it is stored


class Strict(BaseModel):
    """A model that refuses fields it does not know."""

    model_config = ConfigDict(extra="forbid", frozen=True)
