"""File formats: each registers itself in its own file.

Export menus, addresses, what a file may be called, the command line and the table in docs/formats.md follow from these
entries.

A new format is one file in this folder:

    @dataclass(frozen=True)
    class CsvOptions(PatternOptions): ...

    def write(given: PatternToWrite, options: CsvOptions) -> Written: ...

    register(Format("pattern", "csv", "CSV", (".csv",), "text/csv", "a row for each hit", write=write, ...))
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module
from pathlib import PurePath
from pkgutil import iter_modules
from typing import Any, Literal

from easy_pocket.core.errors import BadValueError

Of = Literal["pattern", "song", "groove", "kit"]


@dataclass(frozen=True)
class NoOptions:
    """For formats that are written in one way only."""


@dataclass(frozen=True)
class Written:
    """A file, and in words what was done to make the thing fit into it."""

    data: bytes
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Choice:
    """A button of an export menu: its words, and the options it stands for."""

    words: str
    options: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Format:
    """One kind of file for one kind of thing.

    of: what it holds. name: unique for that, plain letters; of addresses and of options of the command line. endings:
    the first is written, all are read. holds: in a few words, beside its title in a menu. options: a dataclass whose
    fields can be chosen in an address or on the command line. write: the file, of what is to be written
    (exchange.py) and the options. read: of a file's bytes and its name; raises a PocketError that says what is wrong.
    label: put between the thing's name and the ending, with the options' fields in braces. slow: written by a worker.
    """

    of: Of
    name: str
    title: str
    endings: tuple[str, ...]
    media_type: str
    holds: str
    write: Callable[[Any, Any], Written] | None = None
    read: Callable[[bytes, str], Any] | None = None
    options: type[Any] = NoOptions
    choices: tuple[Choice, ...] = (Choice("save"),)
    label: str = ""
    slow: bool = False

    @property
    def ending(self) -> str:
        return self.endings[0]

    def written(self, given: Any, options: Any = None) -> Written:
        """Raises TypeError for a format that is only read."""
        if self.write is None:
            raise TypeError(f"{self.title} of a {self.of} is only read")
        return self.write(given, self.options() if options is None else options)

    def content(self, data: bytes, name: str) -> Any:
        """What a file holds. Raises PocketError for one that is wrong, TypeError for a format that is only written."""
        if self.read is None:
            raise TypeError(f"{self.title} of a {self.of} is only written")
        return self.read(data, name)

    def file_label(self, options: Any) -> str:
        """What comes after the thing's name: " felt.mid"."""
        return self.label.format(**vars(options)) + self.ending


_REGISTERED: list[Format] = []


def register(one: Format) -> Format:
    """Add a format.

    Raises TypeError for a name that is taken among the formats of the same thing, and for a format that can neither be
    read nor written.
    """
    for other in _REGISTERED:
        if other.of == one.of and other.name == one.name:
            raise TypeError(f"two formats of a {one.of} are called '{one.name}'")
    if one.write is None and one.read is None:
        raise TypeError(f"the format '{one.name}' of a {one.of} neither reads nor writes")
    _REGISTERED.append(one)
    return one


@cache
def _import_all() -> None:
    """Every module of this folder, once: each registers its formats."""
    package = import_module(__package__)
    for module in iter_modules(package.__path__):
        import_module(f"{__package__}.{module.name}")


def formats_of(of: Of) -> list[Format]:
    """In order of the names of their files."""
    _import_all()
    return sorted((one for one in _REGISTERED if one.of == of), key=lambda one: (one.write or one.read).__module__)


def written(of: Of) -> list[Format]:
    """List the formats a thing can be written in."""
    return [one for one in formats_of(of) if one.write]


def endings_read(of: Of) -> tuple[str, ...]:
    """List the endings of files that are read as a thing."""
    return tuple(ending for one in formats_of(of) if one.read for ending in one.endings)


def for_file(of: Of, name: str, *, to: Literal["read", "write"]) -> Format:
    """The format a file's ending tells.

    Parameters
    ----------
    of
        What the file holds: pattern, song, groove or kit.
    name
        Name of the file, with its ending.
    to
        Whether it is to be read or written.

    Returns
    -------
    Format
        The format.

    Raises
    ------
    BadValueError
        And says which endings there are.
    """
    ending = PurePath(name).suffix.lower()
    able = [one for one in formats_of(of) if getattr(one, to)]
    for one in able:
        if ending in one.endings:
            return one
    known = ", ".join(one.ending for one in able)
    raise BadValueError(
        f"{PurePath(name).name} is no {of} that can be {_PAST[to]}: its ending is to be one of {known}."
    )


_PAST = {"read": "read", "write": "written"}
