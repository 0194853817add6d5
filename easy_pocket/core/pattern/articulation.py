"""How a single hit is struck, beyond where and how hard: ornaments, tuning, place, length, odds, lock."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields, replace
from typing import Any, TypedDict, cast

from easy_pocket.core.errors import BadValueError, require_range

ORNAMENTS = ("", "flam", "drag", "ratchet", "roll")
SPACINGS = ("even", "accelerating", "slowing")
MAX_TUNE_CENTS = 2400
MAX_SPAN_TICKS = 16 * 3840
MAX_STROKES = {"ratchet": 8, "roll": 128}
FIRST_PASS = 1
LONGEST_VOICE = 30


@dataclass(frozen=True, slots=True)
class Articulation:
    """What sets a hit apart from a plain one.

    ornament: "flam" and "drag" put one and two grace strokes `grace_ms` apart before the hit; "ratchet" (2-8) and
    "roll" (2-128) spread `strokes` over `span_ticks`, with "even", "accelerating" or "slowing" gaps, the velocity
    going by `swell` from the first to the last. tune_cents: +-2400. pan: -1 to 1, added to the voice's.
    room_percent: 0-100, how much of it goes to the long room, on top of what its voice sends.
    length_ticks: the sound ends after so long, 0 rings out. odds_percent: 1-100, how often it sounds.
    passes: 0 every pass, 1 the first only, n from 2 to 16 every n-th. locked: edits leave it alone.
    backwards: the sound runs backwards from the hit on, its attack length_ticks later; it is let go over the fade_ms
    (0-1000) before that. into: the voice of the hit that stands there, with whose played time it ends; "" for none.
    """

    ornament: str = ""
    strokes: int = 0
    span_ticks: int = 0
    spacing: str = "even"
    swell: int = 0
    grace_ms: float = 24.0
    tune_cents: int = 0
    pan: float = 0.0
    length_ticks: int = 0
    odds_percent: int = 100
    passes: int = 0
    locked: bool = False
    backwards: bool = False
    fade_ms: float = 0.0
    into: str = ""
    room_percent: int = 0

    def __post_init__(self) -> None:
        if self.ornament not in ORNAMENTS:
            raise BadValueError(
                f"A hit can be a {', '.join(ORNAMENTS[1:])} or plain; '{self.ornament[:20]}' is neither."
            )
        if self.spacing not in SPACINGS:
            raise BadValueError(f"Strokes are spaced {', '.join(SPACINGS)}; '{self.spacing[:20]}' is none of them.")
        if self.ornament in MAX_STROKES:
            require_range(f"The strokes of a {self.ornament}", self.strokes, 2, MAX_STROKES[self.ornament])
            require_range(f"The length of a {self.ornament}", self.span_ticks, 10, MAX_SPAN_TICKS, "ticks")
        require_range("The swell", self.swell, -126, 126)
        require_range("The distance of a grace stroke", self.grace_ms, 15, 35, "ms")
        require_range("The tuning of a hit", self.tune_cents, -MAX_TUNE_CENTS, MAX_TUNE_CENTS, "cents")
        require_range("The pan of a hit", self.pan, -1, 1)
        require_range("The length of a hit", self.length_ticks, 0, MAX_SPAN_TICKS, "ticks")
        require_range("What a hit sends to the room", self.room_percent, 0, 100, "%")
        require_range("The odds", self.odds_percent, 1, 100, "%")
        require_range("Every so many passes", self.passes, 0, 16)
        require_range("The fade of a sound that runs backwards", self.fade_ms, 0, 1000, "ms")
        if len(self.into) > LONGEST_VOICE or (self.into and not self.backwards):
            raise BadValueError("Only a sound that runs backwards leads into a hit, named by its voice.")
        if self.backwards and not self.length_ticks:
            raise BadValueError("A sound that runs backwards needs a length: its attack falls on the end of it.")

    @property
    def depends_on_pass(self) -> bool:
        return self.passes > 0 or self.odds_percent < 100


PLAIN = Articulation()
_PLAIN_DOC = asdict(PLAIN)
FIELDS = {field.name: field.type for field in fields(Articulation)}


class StoredArticulation(TypedDict, total=False):
    """What differs from a plain hit: the fields of Articulation."""

    ornament: str
    strokes: int
    span_ticks: int
    spacing: str
    swell: int
    grace_ms: float
    tune_cents: int
    pan: float
    length_ticks: int
    odds_percent: int
    passes: int
    locked: bool
    backwards: bool
    fade_ms: float
    into: str
    room_percent: int


def articulation_to_doc(articulation: Articulation) -> StoredArticulation:
    """Only what differs from a plain hit."""
    stored = {name: value for name, value in asdict(articulation).items() if value != _PLAIN_DOC[name]}
    return cast(StoredArticulation, stored)


def articulation_from_doc(doc: dict[str, Any]) -> Articulation:
    """Raises BadValueError for a field there is none of, or a value out of its range."""
    if not set(doc) <= set(FIELDS):
        raise BadValueError(f"'{sorted(set(doc) - set(FIELDS))[0][:30]}' is nothing a hit can have.")
    return Articulation(**doc) if doc else PLAIN


def changed(articulation: Articulation, **values: Any) -> Articulation:
    """With these values; PLAIN itself when nothing sets it apart any more."""
    new = replace(articulation, **values)
    return PLAIN if new == PLAIN else new


def describe_articulation(articulation: Articulation) -> str:
    """Say in words what sets a hit apart; nothing for a plain one.

    Parameters
    ----------
    articulation
        Of the hit.

    Examples
    --------
    >>> describe_articulation(Articulation("ratchet", strokes=4, span_ticks=240, odds_percent=50))
    'ratchet of 4, 50 % odds'
    >>> describe_articulation(PLAIN)
    ''
    """
    words = []
    match articulation.ornament:
        case "flam":
            words.append(f"flam {articulation.grace_ms:g} ms before")
        case "drag":
            words.append(f"drag, {articulation.grace_ms:g} ms apart")
        case "ratchet" | "roll":
            words.append(f"{articulation.ornament} of {articulation.strokes}")
            if articulation.spacing != "even":
                words.append(articulation.spacing)
            if articulation.swell:
                words.append("rising" if articulation.swell > 0 else "falling")
    if articulation.tune_cents:
        words.append(f"tuned {articulation.tune_cents / 100:+g}".replace("-", "−"))
    if articulation.pan:
        words.append(f"pan {abs(articulation.pan) * 100:.0f} % {'right' if articulation.pan > 0 else 'left'}")
    if articulation.backwards:
        words.append("backwards")
    if articulation.length_ticks:
        words.append(f"{articulation.length_ticks / 240:g} 16ths long")
    if articulation.room_percent:
        words.append(f"{articulation.room_percent} % to the room")
    if articulation.odds_percent < 100:
        words.append(f"{articulation.odds_percent} % odds")
    if articulation.passes:
        words.append(describe_passes(articulation.passes))
    if articulation.locked:
        words.append("locked")
    return ", ".join(words)


def describe_passes(passes: int) -> str:
    """Say in words in which passes a hit sounds."""
    ends = {2: "2nd", 3: "3rd"}
    if passes == FIRST_PASS:
        return "1st pass only"
    return f"every {ends.get(passes, f'{passes}th')} pass" if passes else "every pass"
