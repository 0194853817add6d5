"""Edits as the page sends them: the edit itself, which one it is, what the page looks at, and on which revision."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import AfterValidator, Field

from easy_pocket.store.songs.edits.fields import Strict, Voice
from easy_pocket.store.songs.edits.registry import any_edit
from easy_pocket.store.songs.selection import Selection

EditId = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{6,60}$")]
Revision = Annotated[int, Field(ge=0, le=2**31 - 1)]
RowId = Annotated[int, Field(ge=0, le=2**31 - 1)]
SONG_SCREENS: set[str] = set()  # by name; screens add themselves (screen.py)

if TYPE_CHECKING:
    AnyEdit = Any
else:
    AnyEdit = any_edit()


class LookingAt(Strict):
    """Ids of part, pattern and section; 0 is not chosen."""

    part: RowId = 0
    pattern: RowId = 0
    section: RowId = 0

    @property
    def selection(self) -> Selection:
        return Selection(self.part, self.pattern, self.section)


def _of_a_song(name: str) -> str:
    if name not in SONG_SCREENS:
        raise ValueError(f"there is no screen '{name}' of a song")
    return name


ScreenName = Annotated[str, Field(max_length=20), AfterValidator(_of_a_song)]


class View(Strict):
    """What the page shows: which screen, whose feel, whether it is heard straight; on the Kit screen which voice,
    layer, and alternate sound (0 its own); on the Grooves screen which groove and lane; on the Stage which place, and
    which room the height of its floor stands for, and whether it is set for the song or for a section; on the Takes
    screen which take (0: the newest)."""

    screen: ScreenName = "bench"
    scope: Voice = "stack"
    straight: bool = False
    voice: Annotated[str, Field(max_length=30, pattern=r"^[a-z_0-9]*$")] = ""
    layer: int = Field(0, ge=0, le=3)
    alternate: int = Field(0, ge=0, le=4)
    groove: RowId = 0
    lane: Literal["all", "low", "mid", "high"] = "all"
    place: Annotated[str, Field(max_length=50, pattern=r"^[a-z0-9_:-]*$")] = ""
    room: Literal["short", "long", "echo"] = "short"
    placed: Literal["song", "section"] = "song"
    take: RowId = 0


class AskedView(View):
    """The same in an address, beside what the page looks at."""

    at: Annotated[str, Field(max_length=60)] = ""


class PrepareRequest(Strict):
    """An edit that will be sent when what takes long of it is computed."""

    looking_at: LookingAt = LookingAt()
    edit: AnyEdit


class EditRequest(Strict):
    """edit_id: made by the page, "TAB-NUMBER"; sent again with the same one, an edit is answered as the first time."""

    edit_id: EditId | None = None
    revision: Revision
    looking_at: LookingAt = LookingAt()
    edit: AnyEdit
    gesture: Annotated[str, Field(max_length=40)] | None = None
    view: View = View()


class StepRequest(Strict):
    """steps: how many to undo or redo in one go."""

    edit_id: EditId | None = None
    revision: Revision
    looking_at: LookingAt = LookingAt()
    steps: int = Field(1, ge=1, le=400)
    view: View = View()
