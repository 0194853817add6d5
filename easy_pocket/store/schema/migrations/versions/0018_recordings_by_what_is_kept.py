"""Recordings of sounds were named by their audio before it was rounded to the 24 bits that are kept: the name did not
fit what is kept, and a song file with them was taken for a damaged one. Here each gets the name of what is kept."""

import hashlib
import io
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
import soundfile
import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"

HASH = re.compile(r"[0-9a-f]{64}")
SHORTEST_FRAMES = 64


def upgrade() -> None:
    here = op.get_bind()
    renamed: dict[str, str] = {}
    for (key,) in here.execute(sa.text("SELECT hash FROM audio")).all():
        data = here.execute(sa.text("SELECT data FROM audio WHERE hash = :key"), {"key": key}).scalar_one()
        name = _name_of(key, data)
        if name != key:
            renamed[key] = name
    if not renamed:
        return
    # Added first and taken out last: one that is killed in between is made again.
    for old, new in renamed.items():
        added = "INSERT IGNORE INTO audio (hash, kind, data) SELECT :new, kind, data FROM audio WHERE hash = :old"
        here.execute(sa.text(added), {"new": new, "old": old})
    for table in sa.inspect(here).get_table_names():
        if table != "audio":
            _rename_in(here, table, renamed)
    for old in renamed:
        here.execute(sa.text("DELETE FROM audio WHERE hash = :old"), {"old": old})


def _name_of(key: str, data: bytes) -> str:
    """As content_key has it; a loop is named by the bytes of its file, and stays."""
    if hashlib.sha256(data).hexdigest() == key:
        return key
    try:
        x, _ = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True)
    except soundfile.LibsndfileError:
        return key  # ./pocket check tells of it
    names = (_content(x[:end]) for end in _lengths(len(x)))
    return key if any(name == key for name in names) else _content(x)


def _lengths(frames: int) -> Iterator[int]:
    yield frames
    if frames == SHORTEST_FRAMES:  # what was shorter is kept with silence after it
        yield from range(1, SHORTEST_FRAMES)


def _content(x: Any) -> str:
    kept = np.rint(x.astype(np.float64) * 2**23) / 2**23
    return hashlib.sha256(np.rint(kept * 32_767).astype("<i2").tobytes() + bytes([x.shape[1]])).hexdigest()


def _rename_in(here: Any, table: str, renamed: dict[str, str]) -> None:
    known = sa.Table(table, sa.MetaData(), autoload_with=here)
    keys = list(known.primary_key.columns)
    texts = [one for one in known.columns if type(one.type).__name__ in ("TEXT", "MEDIUMTEXT", "LONGTEXT", "JSON")]
    if not texts or not keys:
        return
    whole = sa.select(*keys, *(sa.cast(one, sa.Text).label(f"text_{one.name}") for one in texts))
    for row in here.execute(whole).all():
        changed = {}
        for one in texts:
            before = row._mapping[f"text_{one.name}"]
            after = HASH.sub(lambda found: renamed.get(found[0], found[0]), before) if before else before
            if after != before:
                changed[one.name] = after
        if changed:
            where = " AND ".join(f"`{one.name}` = :key_{one.name}" for one in keys)
            sets = ", ".join(f"`{name}` = :{name}" for name in changed)
            values = {**changed, **{f"key_{one.name}": row._mapping[one] for one in keys}}
            here.execute(sa.text(f"UPDATE `{table}` SET {sets} WHERE {where}"), values)


def downgrade() -> None:
    """The names stay: they are names of what is kept, before and after."""
