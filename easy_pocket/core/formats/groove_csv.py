"""Groove templates as CSV: one row per lane and slot, what holds for the whole groove repeated in each."""

from __future__ import annotations

import csv
import io

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.template import LANES, MAX_SLOTS_PER_BAR, MAX_TEMPLATE_BARS, GrooveTemplate
from easy_pocket.core.formats.groove_json import MAX_BYTES, template_from_doc, template_to_doc
from easy_pocket.core.formats.registry import Format, NoOptions, Written, register
from easy_pocket.core.pattern.timebase import parse_metre

WHOLE = ("name", "tempo_bpm", "metre", "bars", "slots_per_bar", "source", "words")
EACH = ("offset_ms", "accent", "spread_ms", "count", "guessed")
COLUMNS = (*WHOLE, "lane", "slot", *EACH)
MOST_ROWS = len(LANES) * MAX_SLOTS_PER_BAR * MAX_TEMPLATE_BARS


def dump_groove_csv(template: GrooveTemplate) -> str:
    """As text; slots count from 1."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    doc = template_to_doc(template)
    whole = [_cell(doc[name]) if name != "metre" else str(template.metre) for name in WHOLE]
    for lane, values in doc["lanes"].items():
        for slot, row in enumerate(zip(*(values[name] for name in EACH), strict=True)):
            *numbers, guessed = row
            table.writerow([*whole, lane, slot + 1, *numbers, "yes" if guessed else "no"])
    return out.getvalue()


def _cell(value: object) -> object:
    """A text that a spreadsheet would take for a formula is set apart by an apostrophe."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@") else value


def load_groove_csv(text: str | bytes, name: str) -> GrooveTemplate:
    """Read what `dump_groove_csv` wrote, changed or not; rows may come in any order.

    Raises BadValueError with the file's name and the line.
    """
    if len(text) > MAX_BYTES:
        raise BadValueError(f"{name} is larger than a groove can be ({MAX_BYTES // 1_000_000} MB).")
    try:
        decoded = text.decode("utf-8-sig") if isinstance(text, bytes) else text
        rows = list(csv.DictReader(io.StringIO(decoded)))
    except (UnicodeDecodeError, csv.Error):
        raise BadValueError(f"{name} is no table of text: save it as CSV in UTF-8.") from None
    needed = {"tempo_bpm", "slots_per_bar", "lane", "slot", "offset_ms", "accent"}
    if not rows or not needed <= set(rows[0]):
        missing = ", ".join(sorted(needed - set(rows[0] if rows else ())))
        raise BadValueError(f"{name} is no groove: it needs a first row with the columns {missing}.")
    if len(rows) > MOST_ROWS:
        raise BadValueError(f"{name} has {len(rows)} rows; a groove has at most {MOST_ROWS}.")
    try:
        return template_from_doc(_doc(rows, name))
    except BadValueError as error:
        raise BadValueError(f"{name}: {error}") from None


def _doc(rows: list[dict[str, str]], name: str) -> dict[str, object]:
    first = rows[0]
    metre = parse_metre(first.get("metre") or "4/4")
    bars, per_bar = _whole(first.get("bars") or "1", 2), _whole(first["slots_per_bar"], 2)
    lanes: dict[str, dict[int, dict[str, object]]] = {}
    for line, row in enumerate(rows, start=2):
        slot = _whole(row["slot"], line)
        lane = lanes.setdefault(str(row["lane"])[:20], {})
        if slot in lane:
            raise BadValueError(f"line {line} sets slot {slot} of lane {row['lane'][:20]} a second time.")
        lane[slot] = {
            "offset_ms": _number(row["offset_ms"], line),
            "accent": _number(row["accent"], line),
            "spread_ms": _number(row.get("spread_ms") or "0", line),
            "count": _whole(row.get("count") or "0", line),
            "guessed": (row.get("guessed") or "no").strip().lower() in ("yes", "true", "1"),
        }
    for lane_name, slots in lanes.items():
        if sorted(slots) != list(range(1, len(slots) + 1)):
            raise BadValueError(f"lane {lane_name} lacks a slot: number them from 1 to {per_bar * bars}.")
    return {
        "format": "easy-pocket-groove/1",
        "name": (first.get("name") or name).lstrip("'"),
        "tempo_bpm": _number(first["tempo_bpm"], 2),
        "metre": {"beats": metre.beats, "unit": metre.unit},
        "bars": bars,
        "slots_per_bar": per_bar,
        "source": (first.get("source") or name).lstrip("'"),
        "words": (first.get("words") or "").lstrip("'"),
        "lanes": {
            lane: {field: [slots[slot][field] for slot in sorted(slots)] for field in EACH}
            for lane, slots in lanes.items()
        },
    }


def _number(text: str | None, line: int) -> float:
    try:
        return float(text or "")
    except ValueError:
        raise BadValueError(f"line {line} has '{(text or '')[:20]}' where a number is needed.") from None


def _whole(text: str | None, line: int) -> int:
    value = _number(text, line)
    if value != value or abs(value) > 1e6 or value != int(value):
        raise BadValueError(f"line {line} has '{(text or '')[:20]}' where a whole number is needed.")
    return int(value)


def write(given: GrooveTemplate, _options: NoOptions) -> Written:
    """Write a groove as a table."""
    return Written(dump_groove_csv(given).encode())


register(
    Format("groove", "csv", "CSV", (".csv",), "text/csv", "a row for each slot", write=write, read=load_groove_csv)
)
