"""Types for the scripts out of ours: what answers hold, and the edits a page can send. `python -m
easy_pocket.web.script_types` writes them to shared/shapes.d.ts; a test says when they are not up to date."""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping, Sequence
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules
from typing import (
    Annotated,
    Any,
    Literal,
    NotRequired,
    Required,
    Union,
    get_args,
    get_origin,
    get_type_hints,
    is_typeddict,
)

import numpy as np
from pydantic import BaseModel

from easy_pocket.store.songs.edits.registry import KINDS
from easy_pocket.web import screens
from easy_pocket.web.shared import shapes

OUT = Path(__file__).parent / "shared" / "shapes.d.ts"
PLAIN = {
    int: "number",
    float: "number",
    str: "string",
    bool: "boolean",
    type(None): "null",
    Any: "any",
    object: "unknown",
}


class Types:
    """TypeScript declarations by name, made as they are met."""

    def __init__(self) -> None:
        self.made: dict[str, str] = {}
        self.kinds: dict[str, object] = {}

    def of(self, kind: Any) -> str:
        """A type as it is written in TypeScript. Raises TypeError for one that has no like."""
        if kind in PLAIN:
            return PLAIN[kind]
        origin, inside = get_origin(kind), get_args(kind)
        if origin in (Annotated, NotRequired, Required):
            return self.of(inside[0])
        if origin in (Union, types.UnionType):
            return " | ".join(dict.fromkeys(self.of(one) for one in inside))
        if origin is Literal:
            return " | ".join(f'"{one}"' if isinstance(one, str) else str(one).lower() for one in inside)
        if origin is np.ndarray or kind is np.ndarray:
            return "number[]"
        if kind is None:
            return "null"
        if origin is tuple and inside[-1] is not Ellipsis:
            return f"[{', '.join(self.of(one) for one in inside)}]"
        if origin in (list, tuple, set, frozenset, Sequence):
            one = self.of(inside[0])
            return f"({one})[]" if " | " in one else f"{one}[]"
        if origin in (dict, Mapping):
            return f"Record<{self.of(inside[0])}, {self.of(inside[1])}>"
        if is_typeddict(kind) or (isinstance(kind, type) and issubclass(kind, BaseModel)):
            return self.named(kind)
        raise TypeError(f"{kind} has no type in scripts: use one of those in script_types.py")

    def named(self, kind: Any, name: str = "") -> str:
        """Raises TypeError when two have one name."""
        name = name or kind.__name__
        if self.kinds.setdefault(name, kind) is not kind:
            raise TypeError(f"{kind.__module__} and {self.kinds[name].__module__} both have a shape called {name}")
        if name not in self.made:
            self.made[name] = ""  # it may hold itself
            self.made[name] = "\n".join(self._lines(kind, name))
        return name

    def _lines(self, kind: Any, called: str) -> Iterator[str]:
        if kind.__doc__ and not kind.__doc__.startswith("dict("):
            yield f"/** {' '.join(kind.__doc__.split())} */"
        yield f"export interface {called} {{"
        if is_typeddict(kind):
            for name, hint in get_type_hints(kind, include_extras=True).items():
                yield f"  {name}{'' if name in kind.__required_keys__ else '?'}: {self.of(hint)};"
        else:
            for name, one in kind.model_fields.items():
                needed = one.is_required() or name == "kind"
                yield f"  {name}{'' if needed else '?'}: {self.of(one.annotation)};"
        yield "}"


def _edit_name(kind: str) -> str:
    return f"{''.join(part.capitalize() for part in kind.split('_'))}Edit"


def declarations() -> str:
    """The whole file."""
    found = Types()
    modules = [shapes]
    for screen in iter_modules(screens.__path__):
        folder = Path(screens.__path__[0]) / screen.name
        if (folder / "shapes.py").exists():
            modules.append(import_module(f"{screens.__name__}.{screen.name}.shapes"))
    for module in modules:
        for kind in vars(module).values():
            if is_typeddict(kind) and kind.__module__ == module.__name__:
                found.named(kind)
    # By name: the order of the registry is that of the imports.
    kinds = sorted((one for one in KINDS.values() if not one.by_file), key=lambda one: one.name)
    edits = " | ".join(found.named(kind.request, _edit_name(kind.name)) for kind in kinds)
    head = "// Made by `python -m easy_pocket.web.script_types` from the shapes of answers and the models of edits."
    return "\n\n".join([head, *found.made.values(), f"export type Edit = {edits};"]) + "\n"


if __name__ == "__main__":
    OUT.write_text(declarations())
