"""A slider that is being dragged, as the page sends it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from easy_pocket.core.feel.feel import SETTINGS
from easy_pocket.store.songs.edits.fields import Finite, Strict, Voice
from easy_pocket.web.shared.edit_requests import Revision

if TYPE_CHECKING:
    SliderField = str
else:
    SliderField = Literal[tuple(name for name, setting in SETTINGS.items() if setting.slider)]


class FeelTry(Strict):
    """On the song as the page has it. scope: "stack", "part" or a voice. pocket: the chart is wanted too."""

    revision: Revision
    scope: Voice
    field: SliderField
    value: Finite
    pocket: bool = False
