"""Groove templates as JSON, after the schema in groove-template.schema.json beside this file."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.formats.registry import Format, NoOptions, Written, register
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.text import one_line

FORMAT = "easy-pocket-groove/1"
MAX_BYTES = 2_000_000
SCHEMA_PATH = Path(__file__).with_name("groove-template.schema.json")


def template_to_doc(template: GrooveTemplate) -> dict[str, Any]:
    """The template as plain JSON values."""
    return {
        "format": FORMAT,
        "name": template.name,
        "tempo_bpm": template.tempo_bpm,
        "metre": {"beats": template.metre.beats, "unit": template.metre.unit},
        "bars": template.bars,
        "slots_per_bar": template.slots_per_bar,
        "source": template.source,
        "words": template.words,
        "lanes": {
            name: {
                "offset_ms": list(lane.offset_ms),
                "accent": list(lane.accent),
                "spread_ms": list(lane.spread_ms),
                "count": list(lane.count),
                "guessed": list(lane.guessed),
            }
            for name, lane in template.lanes.items()
        },
    }


def template_from_doc(doc: Any) -> GrooveTemplate:
    """Read a template; raises BadValueError that names the field when one is missing or wrong."""
    if not isinstance(doc, dict) or doc.get("format") != FORMAT:
        raise BadValueError(f"This is no groove template: its 'format' must be '{FORMAT}'.")
    try:
        metre = Metre(int(doc["metre"]["beats"]), int(doc["metre"]["unit"]))
        lanes = {str(name): _lane(lane) for name, lane in doc["lanes"].items()}
        return GrooveTemplate(
            name=one_line(str(doc["name"]), 120),
            tempo_bpm=_number(doc["tempo_bpm"]),
            slots_per_bar=int(doc["slots_per_bar"]),
            lanes=lanes,
            bars=int(doc.get("bars", 1)),
            metre=metre,
            source=one_line(str(doc.get("source", "")), 200),
            words=one_line(str(doc.get("words", "")), 200),
        )
    except PocketError:
        raise
    except KeyError as error:
        raise BadValueError(f"The groove template lacks {error}; see its schema in the documentation.") from None
    except (TypeError, ValueError, AttributeError, OverflowError) as error:
        raise BadValueError(f"The groove template cannot be read: {error}.") from None


def _lane(doc: Any) -> Lane:
    return Lane(
        offset_ms=tuple(_number(value) for value in doc["offset_ms"]),
        accent=tuple(_number(value) for value in doc["accent"]),
        spread_ms=tuple(_number(value) for value in doc.get("spread_ms", ())),
        count=tuple(int(value) for value in doc.get("count", ())),
        guessed=tuple(bool(value) for value in doc.get("guessed", ())),
    )


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(f"{value!r} is no number")
    return float(value)


def dump_template(template: GrooveTemplate) -> str:
    """Give the text of a template file."""
    return json.dumps(template_to_doc(template), indent=1) + "\n"


def load_template(text: str | bytes, name: str) -> GrooveTemplate:
    """Read a template file's text; raises BadValueError with the file's name."""
    if len(text) > MAX_BYTES:
        raise BadValueError(f"{name} is larger than a groove template can be ({MAX_BYTES // 1_000_000} MB).")
    try:
        doc = json.loads(text)
    except (ValueError, RecursionError):
        raise BadValueError(f"{name} is not JSON: choose a groove template file saved by Easy Pocket.") from None
    try:
        return template_from_doc(doc)
    except BadValueError as error:
        raise BadValueError(f"{name}: {error}") from None


def write(given: GrooveTemplate, _options: NoOptions) -> Written:
    """Write a groove after our schema."""
    return Written(dump_template(given).encode())


register(
    Format(
        "groove", "json", "JSON", (".json",), "application/json", "after our schema", write=write, read=load_template
    )
)
