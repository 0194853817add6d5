"""The voices a drum kit can have: key, name, General MIDI percussion note, band group and look."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from easy_pocket.core.errors import BadValueError


@dataclass(frozen=True)
class VoiceRole:
    """One kind of voice. `band` says which lane of a groove template speaks for it."""

    key: str
    name: str
    midi_note: int
    band: str
    glyph: str
    choke_group: str | None = None


# Shapes that tell voices apart without colour.
GLYPHS = (
    "square", "triangle", "tee", "hourglass", "disc", "ring", "half", "diamond", "cross", "star", "bars", "dots",
    "barrel", "slot", "trapeze", "wave",
)  # fmt: skip

DRUMS = {
    role.key: role
    for role in (
        VoiceRole("kick", "Kick", 36, "low", "square"),
        VoiceRole("snare", "Snare", 38, "mid", "triangle"),
        VoiceRole("rim", "Rim", 37, "mid", "tee"),
        VoiceRole("clap", "Clap", 39, "mid", "hourglass"),
        VoiceRole("hat_closed", "Closed hat", 42, "high", "disc", "hat"),
        VoiceRole("hat_open", "Open hat", 46, "high", "ring", "hat"),
        VoiceRole("hat_pedal", "Pedal hat", 44, "high", "half", "hat"),
        VoiceRole("tom_high", "High tom", 50, "mid", "diamond"),
        VoiceRole("tom_mid", "Mid tom", 47, "mid", "diamond"),
        VoiceRole("tom_low", "Low tom", 45, "low", "diamond"),
        VoiceRole("ride", "Ride", 51, "high", "cross"),
        VoiceRole("crash", "Crash", 49, "high", "star"),
        VoiceRole("shaker", "Shaker", 70, "high", "bars"),
        VoiceRole("tambourine", "Tambourine", 54, "high", "dots"),
        VoiceRole("conga_high", "High conga", 63, "mid", "barrel"),
        VoiceRole("conga_low", "Low conga", 64, "mid", "barrel"),
        VoiceRole("wood", "Wood block", 76, "mid", "slot"),
        VoiceRole("bell", "Bell", 56, "mid", "trapeze"),
        VoiceRole("sweep", "Noise sweep", 29, "high", "wave"),
    )
}

# The pieces a loop is cut into, as voices of a kit of their own; their keys are those of slices written as files.
MOST_SLICES = 64
FIRST_SLICE_NOTE = 24
SLICES = {
    role.key: role
    for role in (
        VoiceRole(
            f"slice_{number}", f"Slice {number}", FIRST_SLICE_NOTE + number - 1, "all", GLYPHS[number % len(GLYPHS)]
        )
        for number in range(1, MOST_SLICES + 1)
    )
}

ROLES = {**DRUMS, **SLICES}

# Notes of the General MIDI percussion map that a kit of ours has no voice of its own for.
NEAREST_ROLE = {
    35: "kick",
    40: "snare",
    41: "tom_low",
    43: "tom_low",
    48: "tom_high",
    52: "crash",
    53: "ride",
    55: "crash",
    57: "crash",
    59: "ride",
    60: "conga_high",
    61: "conga_low",
    62: "conga_high",
    65: "conga_high",
    66: "conga_low",
    67: "bell",
    68: "bell",
    69: "shaker",
    75: "wood",
    77: "wood",
    82: "shaker",
}


# What a kit without a voice can play in its place, nearest first.
STAND_INS = {
    "conga_high": ("tom_high", "tom_mid"), "conga_low": ("tom_mid", "tom_low"), "wood": ("rim",), "bell": ("rim",),
    "sweep": ("crash", "shaker"), "hat_closed": ("shaker",), "hat_pedal": ("shaker",), "hat_open": ("tambourine",),
    "tom_high": ("conga_high",), "tom_mid": ("conga_low", "conga_high"), "tom_low": ("conga_low", "kick"),
    "ride": ("bell", "shaker"), "crash": ("tambourine",),
}  # fmt: skip


def stand_in(key: str, there: Iterable[str]) -> str:
    """Choose who plays for a voice that may be missing.

    Parameters
    ----------
    key
        The voice wanted.
    there
        The voices there are.

    Returns
    -------
    str
        The voice itself if it is there, else the nearest in sound that is, or itself when none is.

    Examples
    --------
    >>> stand_in("crash", ["kick", "tambourine"])
    'tambourine'
    >>> stand_in("kick", [])
    'kick'
    """
    known = set(there)
    return next((voice for voice in (key, *STAND_INS.get(key, ())) if voice in known), key)


# Names for several voices at once.
VOICE_GROUPS = {
    "hat": ("hat_closed", "hat_open", "hat_pedal"),
    "cymbals": ("hat_closed", "hat_open", "hat_pedal", "ride", "crash"),
    "toms": ("tom_high", "tom_mid", "tom_low"),
    "drums": ("kick", "snare", "rim", "clap", "tom_high", "tom_mid", "tom_low"),
    "percussion": ("shaker", "tambourine", "conga_high", "conga_low", "wood", "bell"),
}


def band_of(key: str) -> str:
    """The band a voice sounds in: low, mid or high; "all" for one we do not know."""
    return ROLES[key].band if key in ROLES else "all"


def voice_name(key: str) -> str:
    """Its name inside a sentence; a key we do not know as it is, cut short."""
    return ROLES[key].name.lower() if key in ROLES else key[:30]


def check_voice(key: str) -> str:
    """Return the key, or raise BadValueError naming the voices there are."""
    if key not in ROLES:
        raise BadValueError(f"There is no voice '{key[:30]}'; the voices are {', '.join(DRUMS)}.")
    return key
