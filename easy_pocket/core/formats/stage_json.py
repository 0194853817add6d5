"""A Stage as JSON: chains, groups, rooms, echo and ceiling, for the command line and other songs."""

from __future__ import annotations

import json
from typing import Any

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.exchange import SongToWrite
from easy_pocket.core.formats.registry import Format, NoOptions, Written, register
from easy_pocket.core.stage.stage import Stage, one_part_doc, stage_doc, stage_from_doc

FORMAT = "easy-pocket-stage/1"
MOST_BYTES = 1_000_000


def write(given: SongToWrite, _options: NoOptions) -> Written:
    """Write the settings that are heard."""
    return Written(json.dumps({"format": FORMAT, **stage_doc(given.stage)}, indent=1).encode())


def read_stage(data: bytes, name: str, *, one_part: bool = False) -> Stage:
    """A Stage as it was written; one_part: all parts in it become part 1.

    Parameters
    ----------
    data
        Bytes of a JSON file.
    name
        Name of the file, for messages.
    one_part
        Whether all parts in it become part 1.

    Returns
    -------
    Stage
        The Stage.

    Raises
    ------
    BadValueError
        For what is none.
    """
    if len(data) > MOST_BYTES:
        raise BadValueError(f"{name} has {len(data):,} bytes; a Stage has at most {MOST_BYTES:,}.")
    try:
        doc: Any = json.loads(data)
    except (ValueError, RecursionError):
        raise BadValueError(f"{name} is no JSON: save a Stage from the Export menu or by 'export --stage'.") from None
    if not isinstance(doc, dict) or doc.get("format") != FORMAT:
        raise BadValueError(f"{name} holds no Stage: its format is to be '{FORMAT}'.")
    return stage_from_doc(one_part_doc(doc) if one_part else doc)


register(
    Format(
        "song",
        "stage",
        "Stage",
        (".json",),
        "application/json",
        "chains, groups, rooms and echo",
        write=write,
        label=" stage",
    )
)
