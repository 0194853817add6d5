"""A value one draws sideways or types: its limits, its words, where it lies between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Drag:
    """A value one drags, and can type: `curve` "ratio" moves by factors. blank: what the value None is called."""

    field: str
    label: str
    value: float | None
    low: float
    high: float
    step: float
    unit: str
    shown: str
    curve: str = "even"
    kind: str = "layer"  # "voice", "layer" or "model": what is edited
    blank: str = ""
    note: str = ""  # a second way to say the value: a note name

    @property
    def scale(self) -> int:
        """What the value is multiplied by where it is typed: seconds are typed in ms, shares in percent."""
        return {"s": 1000, "%": 100}.get(self.unit, 100 if self.field == "pan" else 1)

    @property
    def share(self) -> float:
        """Where the value lies between its limits, in percent."""
        value = self.high if self.value is None else self.value
        if self.curve == "ratio":
            return round(100 * float(np.log(value / self.low) / np.log(self.high / self.low)), 1)
        return round(100 * (value - self.low) / (self.high - self.low), 1)
