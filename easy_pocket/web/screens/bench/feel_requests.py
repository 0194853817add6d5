"""A slider that is being dragged, as the page sends it."""

from __future__ import annotations

from typing import Literal

from easy_pocket.store.songs.edits.fields import Finite, Strict, Voice
from easy_pocket.web.shared.edit_requests import Revision


class FeelTry(Strict):
    """On the song as the page has it. `pocket`: the chart is wanted too."""

    revision: Revision
    scope: Voice  # "stack", "part" or a voice
    field: Literal[
        "swing_percent", "timing_pull", "accent_pull", "push_ms", "drift_ms", "jitter_ms", "touch", "ghost_percent",
        "depth_percent", "density_percent",
    ]  # fmt: skip
    value: Finite
    pocket: bool = False
