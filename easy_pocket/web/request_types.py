"""Types that requests share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Voice = Annotated[str, Field(min_length=1, max_length=30, pattern=r"^[a-z_0-9]+$")]
Tick = Annotated[int, Field(ge=0, le=2_000_000)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Name = Annotated[str, Field(max_length=400)]


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")
