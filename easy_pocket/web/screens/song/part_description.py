"""A part's cycle and rules in words."""

from __future__ import annotations

from easy_pocket.core.song.cycles import meetings
from easy_pocket.core.song.part import Part
from easy_pocket.store.songs.loaded import LoadedPart, LoadedSong

STEP_WORDS = {240: "16ths", 480: "8ths", 320: "8th triplets", 160: "16th triplets", 120: "32nds", 192: "quintuplets"}


MOST_DRAWN_BARS = 64


def turning_parts(song: LoadedSong) -> list[tuple[Part, int]]:
    """Each part with the ticks of its turn; of one with an order of patterns all of them together."""
    found = []
    for part in song.arrangement.parts:
        keys = part.turning.order or tuple(part.patterns)[:1]
        lengths = [part.patterns[key].length_ticks for key in keys if key in part.patterns]
        ticks = part.turning.cycle_ticks or sum(lengths)
        if ticks:
            found.append((part, ticks))
    return found


def cycles_of(song: LoadedSong) -> list[int]:
    return [ticks for _, ticks in turning_parts(song)]


def meetings_of(song: LoadedSong) -> list[int]:
    """Ticks of the first 64 bars at which the turns of all parts begin together."""
    turns = [(part.turning.shift_ticks, ticks) for part, ticks in turning_parts(song)]
    return meetings(turns, MOST_DRAWN_BARS * song.metre.bar_ticks)


def part_words(part: LoadedPart, song: LoadedSong) -> str:
    """Its cycle and its rules: "3/8 cycle · runs free"."""
    row, metre = part, song.metre
    first = part.patterns[0].length_ticks if part.patterns else metre.bar_ticks
    words = [ticks_words(row.cycle_ticks or first, metre.bar_ticks, metre.beat_ticks)]
    if row.step_ticks != 240:
        words.append(STEP_WORDS.get(row.step_ticks, f"{row.step_ticks} ticks"))
    if not row.restarts:
        words.append("runs free")
    if row.bars:
        words.append(marks_words(row.bars))
    if row.start_shift_ticks:
        words.append(f"from {ticks_words(row.start_shift_ticks, metre.bar_ticks, metre.beat_ticks)} on")
    if row.rotation_ticks:
        words.append("rotated")
    if row.change_percent:
        words.append(f"changes {row.change_percent:g} %")
    return " · ".join(words)


def said_of(part: LoadedPart, song: LoadedSong) -> dict[str, str]:
    """Its settings as one would type them."""
    row, metre = part, song.metre
    names = {pattern.id: pattern.name for pattern in part.patterns}
    return {
        "cycle_ticks": ticks_words(row.cycle_ticks, metre.bar_ticks, metre.beat_ticks) if row.cycle_ticks else "auto",
        "start_shift_ticks": ticks_words(row.start_shift_ticks, metre.bar_ticks, metre.beat_ticks),
        "rotation_ticks": ticks_words(row.rotation_ticks, metre.bar_ticks, metre.beat_ticks),
        "bars": row.bars or "all",
        "pattern_order": " ".join(names.get(key, "?") for key in row.pattern_order or ()),
    }


def ticks_words(ticks: int, bar: int, beat: int) -> str:
    if not ticks:
        return "0"
    for unit, name in ((bar, "bar"), (beat, "beat"), (480, "8th"), (240, "16th")):
        if ticks % unit == 0:
            return f"{ticks // unit} {name}{'s' if ticks != unit else ''}"
    return f"{ticks} ticks"


def marks_words(marks: str) -> str:
    ends = {2: "2nd", 3: "3rd"}
    if marks.count("1") == 1 and marks.endswith("1") and len(marks) > 1:
        return f"every {ends.get(len(marks), f'{len(marks)}th')} bar"
    return f"bars {marks}"
