"""Writes the numbers that the page's worklets share with the core into a script: filter taps, times, the ceiling.

`python -m easy_pocket.web.stage_constants` after a change of one of them; a test compares both.
"""

from __future__ import annotations

import json
from pathlib import Path

from easy_pocket.core.stage.compressor import kept
from easy_pocket.core.stage.limiter import AHEAD, BETWEEN, DEFAULT_CEILING_DB, HALF, LATENCY, RELEASE_MS
from easy_pocket.core.stage.oversampling import UP_AND_DOWN

SCRIPT = Path(__file__).parent / "shared" / "stage_constants.js"


def script() -> str:
    ceiling = {
        "between": BETWEEN.tolist(), "ahead": AHEAD, "half": HALF, "keep": kept(RELEASE_MS), "latency": LATENCY,
        "default_db": DEFAULT_CEILING_DB,
    }  # fmt: skip
    return (
        "// Written by easy_pocket/web/stage_constants.py from core/stage: do not edit.\n\n"
        f"export const DRIVE_TAPS = {json.dumps(UP_AND_DOWN.tolist())};\n"
        f"export const CEILING = {json.dumps(ceiling)};\n"
    )


if __name__ == "__main__":
    SCRIPT.write_text(script())
