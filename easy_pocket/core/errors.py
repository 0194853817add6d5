"""The one family of errors a user can mend.

PocketError                      what was found, what is needed, a way out
├── BadValueError                a number or word outside its range
├── EditRefusedError             an edit that does not fit the pattern
├── AudioRefusedError            a file that is not usable audio
├── NoHitsError                  audio in which no hit was heard
├── MidiRefusedError             a file that is not usable MIDI
├── ArchiveRefusedError          a zip that cannot be unfolded within bounds
└── KitRefusedError              a file that holds no usable kit
"""

from __future__ import annotations


class PocketError(Exception):
    """A mistake the user can mend; its text is shown to them as it is."""


class BadValueError(PocketError):
    """A value outside its range."""


class NotThereError(BadValueError):
    """What is asked for does not exist, or not for whom it is asked."""


class EditRefusedError(PocketError):
    """An edit that does not fit the pattern it was meant for."""


class AudioRefusedError(PocketError):
    """A file that cannot be used as audio."""


class NoHitsError(PocketError):
    """Audio in which no hit was heard."""


class MidiRefusedError(PocketError):
    """A file that cannot be used as MIDI."""


class ArchiveRefusedError(PocketError):
    """A zip file that cannot be unfolded within bounds."""


class KitRefusedError(PocketError):
    """A file that holds no usable kit."""


def as_number(words: str, value: object) -> float:
    """A number that was sent or typed; raises BadValueError for anything else, truth values too."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadValueError(f"{words} is '{str(value)[:30]}'; a number is needed.")
    return float(value)


def require_range(what: str, value: float, low: float, high: float, unit: str = "") -> None:
    """Raise BadValueError unless `low <= value <= high` (NaN and infinity are outside).

    Parameters
    ----------
    what
        What the value is, as the message says it.
    value
        The number that was given.
    low
        Least value that is allowed.
    high
        Greatest value that is allowed.
    unit
        Unit that the message tells, such as "ms".

    Raises
    ------
    BadValueError
        When the value lies outside, with what was found and what is needed.
    """
    if not low <= value <= high:  # NaN is not
        suffix = f" {unit}" if unit else ""
        shown = "beyond all bounds" if abs(value) >= 1e300 else f"{value:g}"
        raise BadValueError(f"{what} is {shown}{suffix}; it must lie between {low:g} and {high:g}{suffix}.")
