"""The voices a drum kit can have: key, name, General MIDI percussion note, band group and look."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.errors import BadValueError


@dataclass(frozen=True)
class VoiceRole:
    """One kind of voice. `band` says which lane of a groove template speaks for it."""

    key: str
    name: str
    midi_note: int
    band: str
    choke_group: str | None = None


ROLES = {
    role.key: role
    for role in (
        VoiceRole("kick", "Kick", 36, "low"),
        VoiceRole("snare", "Snare", 38, "mid"),
        VoiceRole("rim", "Rim", 37, "mid"),
        VoiceRole("clap", "Clap", 39, "mid"),
        VoiceRole("hat_closed", "Closed hat", 42, "high", "hat"),
        VoiceRole("hat_open", "Open hat", 46, "high", "hat"),
        VoiceRole("hat_pedal", "Pedal hat", 44, "high", "hat"),
        VoiceRole("tom_high", "High tom", 50, "mid"),
        VoiceRole("tom_mid", "Mid tom", 47, "mid"),
        VoiceRole("tom_low", "Low tom", 45, "low"),
        VoiceRole("ride", "Ride", 51, "high"),
        VoiceRole("crash", "Crash", 49, "high"),
        VoiceRole("shaker", "Shaker", 70, "high"),
        VoiceRole("tambourine", "Tambourine", 54, "high"),
    )
}

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
    69: "shaker",
    82: "shaker",
}


def check_voice(key: str) -> str:
    """Return the key, or raise BadValueError naming the voices there are."""
    if key not in ROLES:
        raise BadValueError(f"There is no voice '{key[:30]}'; the voices are {', '.join(ROLES)}.")
    return key
