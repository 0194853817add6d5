"""Every kind of edit, registered in one place: its request, what it does to the song, and its description for undo.

A new kind is one model and one function in one file:

    class SetTempo(Edit):
        kind: Literal["tempo"]
        tempo_bpm: Finite

    @edit(description="tempo {tempo_bpm:g}")
    def set_tempo(context: EditContext, sent: SetTempo) -> Step: ...

The description is a text with the fields of the request in it, and with what the function says besides (`Step.said`).
An edit without one fails when it is imported.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, TypeVar, get_args, get_type_hints

from pydantic import ConfigDict, Field, create_model
from sqlalchemy.orm import Session

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.store.database import Reader
from easy_pocket.store.history.idea_choices import ChosenIdea
from easy_pocket.store.history.undo_log import Patch
from easy_pocket.store.songs.edits.fields import Strict
from easy_pocket.store.songs.song_rows import SongRows


class Edit(Strict):
    """What a page asks for: one change with its values. `kind` names it."""

    kind: Any


class FileEdit(Edit):
    """What comes with a file: read before, so it holds what was read."""

    model_config = ConfigDict(extra="forbid", frozen=True, arbitrary_types_allowed=True)


@dataclass(frozen=True)
class EditContext:
    """What an edit works on: the song, held against other changes until the transaction of `session` ends, as seen from
    what the page looks at. prepared: what was computed for it before the song was held."""

    session: Session
    song: SongRows
    prepared: Any = None


@dataclass(frozen=True)
class Preparation:
    """What an edit may compute from before the song is held: no transaction is open."""

    reader: Reader
    song: SongRows
    on_progress: OnProgress = no_progress


@dataclass(frozen=True)
class Step:
    """What an edit does: patches of rows, and the selected pattern as it is then (None: as it was).

    follows: sections as long as the pattern get its new length. said: values for the description. felt: the feel
    changes and nothing else. added, made: the pattern or groove it brought. long: whether the song's length is checked.
    aims: paths (see touches.py) it was meant for although it may leave them as they are. chosen: an idea it puts in.
    """

    patches: list[Patch] = field(default_factory=list)
    pattern: Pattern | None = None
    follows: bool = True
    said: Mapping[str, Any] = field(default_factory=dict)
    felt: bool = False
    added: int | None = None
    made: int | None = None
    long: bool = False
    aims: frozenset[str] = frozenset()
    chosen: ChosenIdea | None = None


Apply = Callable[[EditContext, Any], Step | list[Step]]
Description = str | Callable[[SongRows, Any], str]
Shares = Callable[[SongRows, Any], str]


@dataclass(frozen=True)
class Kind:
    """shares: names what other songs use too ("kit KEY", "groove ID"): they are held with this one, all in one order.
    prepare: what takes long, computed before the song is held, and again when the song has changed meanwhile.
    long: that takes so long that a page has it done by a job, which it follows, before it sends the edit.
    by_file: it comes with a file of its own and cannot be sent as an edit."""

    name: str
    request: type[Edit]
    apply: Apply
    description: Description
    shares: Shares | None = None
    prepare: Callable[[Preparation, Any], Any] | None = None
    by_file: bool = False
    long: bool = False

    def described(self, song: SongRows, sent: Edit, step: Step) -> str:
        """What it does, for undo; `song` is the one before it."""
        if callable(self.description):
            return self.description(song, sent)
        values = {name: getattr(sent, name) for name in type(sent).model_fields}
        return self.description.format_map({**values, **step.said})


KINDS: dict[str, Kind] = {}
Function = TypeVar("Function", bound=Apply)


def edit(
    *,
    description: Description,
    shares: Shares | None = None,
    prepare: Callable[[Preparation, Any], Any] | None = None,
    by_file: bool = False,
    long: bool = False,
) -> Callable[[Function], Function]:
    """Register a function as the one way its kind of edit is made. Raises TypeError for one without a description,
    without a request, or of a name there is already."""
    if not description:
        raise TypeError("an edit needs a description for undo")

    def registered(function: Function) -> Function:
        request = get_type_hints(function, include_extras=True).get("sent")
        if not (isinstance(request, type) and issubclass(request, Edit)):
            raise TypeError(f"{function.__name__} does not say which request it is for: annotate 'sent'")
        register(request, function, description, shares=shares, prepare=prepare, by_file=by_file, long=long)
        return function

    return registered


def register(
    request: type[Edit],
    function: Apply,
    description: Description,
    *,
    shares: Shares | None = None,
    prepare: Callable[[Preparation, Any], Any] | None = None,
    by_file: bool = False,
    long: bool = False,
) -> None:
    (name,) = get_args(request.model_fields["kind"].annotation)
    if not description:
        raise TypeError(f"the edit '{name}' needs a description for undo")
    if name in KINDS:
        raise TypeError(f"two edits are called '{name}'")
    KINDS[name] = Kind(name, request, function, description, shares, prepare, by_file, long)


def request_of(value: type, kind: str, **instead: Any) -> type[Edit]:
    """The request of an edit the core has as a dataclass: its fields with their bounds. instead: other types, for
    fields that are sent in another shape."""
    hints = get_type_hints(value, include_extras=True)
    fields: dict[str, Any] = {"kind": (Literal[kind], ...)}
    for one in dataclasses.fields(value):
        required = one.default is dataclasses.MISSING
        fields[one.name] = (instead.get(one.name, hints[one.name]), ... if required else one.default)
    return create_model(value.__name__, __base__=Edit, __doc__=value.__doc__, **fields)


def value_of(value: Callable[..., Any], sent: Edit) -> Any:
    """The core's value that was sent."""
    return value(**{name: getattr(sent, name) for name in type(sent).model_fields if name != "kind"})


def any_edit() -> Any:
    """The type of every edit a page can send, told apart by its kind."""
    sent = (kind.request for kind in KINDS.values() if not kind.by_file)
    return Annotated[_union(sent), Field(discriminator="kind")]


def _union(types: Iterable[type]) -> Any:
    found: Any = None
    for one in types:
        found = one if found is None else found | one
    return found
