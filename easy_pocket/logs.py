"""What the program says of itself: standard logging, as text or as JSON lines, never with what a song holds.

EASY_POCKET_LOG: "text" (the rule) or "json". EASY_POCKET_LOG_LEVEL: DEBUG, INFO (the rule), WARNING or ERROR. The log
is the file easy-pocket.log in the data folder, 5 MB at most and three older ones; warnings stand on the terminal, too.
"""

from __future__ import annotations

import json
import logging
import os
import sys
from datetime import UTC, datetime
from logging.handlers import RotatingFileHandler
from pathlib import Path

FILE = "easy-pocket.log"
FILE_BYTES = 5_000_000
FILES_KEPT = 3
LEVELS = ("DEBUG", "INFO", "WARNING", "ERROR")
FORMS = ("text", "json")


class JsonLines(logging.Formatter):
    """One JSON object a line. `facts` of a record are keys of their own."""

    def format(self, record: logging.LogRecord) -> str:
        line = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
            **getattr(record, "facts", {}),
        }
        if record.exc_info:
            line["traceback"] = self.formatException(record.exc_info)
        return json.dumps(line, default=str)


class Lines(logging.Formatter):
    """The same for a person: facts after the message as name=value."""

    def format(self, record: logging.LogRecord) -> str:
        text = super().format(record)
        facts = " ".join(f"{name}={value}" for name, value in getattr(record, "facts", {}).items())
        head, _, rest = text.partition("\n")
        return f"{head} {facts}".rstrip() + (f"\n{rest}" if rest else "")


class Terminal(logging.Formatter):
    """A short line; the log has the rest, tracebacks too."""

    def format(self, record: logging.LogRecord) -> str:
        facts = " ".join(f"{name}={value}" for name, value in getattr(record, "facts", {}).items())
        return f"pocket: {record.getMessage()} {facts}".rstrip()


def setting(name: str, allowed: tuple[str, ...], usual: str) -> str:
    """A setting of the environment; what it cannot be counts as not set, and is said."""
    value = os.environ.get(name, usual)
    known = next((one for one in allowed if one.lower() == value.lower()), None)
    if known is None:
        print(f"pocket: {name} is '{value[:40]}'; it can be {', '.join(allowed)}. It is {usual} now.", file=sys.stderr)
    return known or usual


def configure(home: Path) -> None:
    """Begin to log, into the data folder and on the terminal. A folder that cannot be written leaves the terminal."""
    form = setting("EASY_POCKET_LOG", FORMS, "text")
    level = setting("EASY_POCKET_LOG_LEVEL", LEVELS, "INFO")
    formatter: logging.Formatter
    formatter = JsonLines() if form == "json" else Lines("%(asctime)s %(levelname)s %(name)s: %(message)s")
    root = logging.getLogger()
    for handler in root.handlers[:]:
        root.removeHandler(handler)
    terminal = logging.StreamHandler(sys.stderr)
    terminal.setLevel(logging.WARNING)
    terminal.setFormatter(formatter if form == "json" else Terminal())
    terminal.addFilter(lambda record: not getattr(record, "told", False))
    root.addHandler(terminal)
    file = RotatingFileHandler(home / FILE, maxBytes=FILE_BYTES, backupCount=FILES_KEPT, delay=True)
    file.setFormatter(formatter)
    root.addHandler(file)
    logging.raiseExceptions = False  # a log that cannot be written is no reason to say anything else
    root.setLevel(level)
    logging.captureWarnings(True)
    for noisy in ("uvicorn.access", "alembic", "multipart", "python_multipart"):
        logging.getLogger(noisy).setLevel(logging.WARNING)
