"""Options of the command line that follow from what formats let one choose."""

from __future__ import annotations

import argparse
from collections.abc import Collection, Iterable
from dataclasses import Field, fields
from typing import Any, Literal, get_args, get_origin, get_type_hints


def add_format_options(
    parser: argparse.ArgumentParser, classes: Iterable[type[Any]], but: Collection[str] = ()
) -> None:
    """Add an option for each field of these classes, except `timing`: songs are exported as felt."""
    known: set[str] = set()
    for of in classes:
        types = get_type_hints(of)
        for one in fields(of):
            if one.name not in known and one.name not in ("timing", *but):
                known.add(one.name)
                _add(parser, one, types[one.name])


def _add(parser: argparse.ArgumentParser, one: Field[Any], kind: Any) -> None:
    told: dict[str, Any] = {"dest": one.name, "default": one.default, "help": one.metadata.get("help")}
    name = f"--{one.metadata.get('option', one.name.replace('_', '-'))}"
    if kind is bool:
        parser.add_argument(name, action="store_true", **told)
    elif get_origin(kind) is Literal:
        parser.add_argument(name, choices=get_args(kind), **told)
    else:
        parser.add_argument(name, type=kind, metavar=one.metadata.get("metavar"), **told)


def format_options(chosen: argparse.Namespace, of: type[Any]) -> Any:
    """Build the options of one format from what was chosen."""
    return of(**{one.name: getattr(chosen, one.name) for one in fields(of) if hasattr(chosen, one.name)})
