"""A loop at another tempo or pitch: its slices moved, or what rings between its attacks stretched."""

from __future__ import annotations

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.slices import Floats, Slices, at_pitch, retimed
from easy_pocket.core.listen.stretch import stretched
from easy_pocket.core.pattern.timebase import check_tempo

WAYS = ("slices", "stretch")
MOST_SEMITONES = 24.0


def check_semitones(semitones: float) -> None:
    """Raises BadValueError unless the pitch is -24 to 24 semitones."""
    require_range("The pitch", semitones, -MOST_SEMITONES, MOST_SEMITONES, "semitones")


def set_to(audio: Audio, slices: Slices, to_s: Floats, length_s: float, how: str, semitones: float) -> Audio:
    """The loop with its attacks at `to_s` and going round in length_s, its slices moved or stretched.

    Parameters
    ----------
    audio
        The recording.
    slices
        Where the audio is cut.
    to_s
        When the attack of each slice shall be, in seconds, rising, shape (n,).
    length_s
        Length of the result in seconds, 0.05 to 1,200.
    how
        "slices": each as it is, and as much shorter as it is higher. "stretch": each as long as its room.
    semitones
        By how much it is higher, -24 to 24.

    Returns
    -------
    Audio
        The audio at its own rate.

    Raises
    ------
    BadValueError
        For another way, and for a length or a pitch out of range.
    """
    if how not in WAYS:
        raise BadValueError(f"A loop is set to another tempo as {' or '.join(WAYS)}; '{how[:20]}' is neither.")
    check_semitones(semitones)
    if how == "stretch":
        return stretched(audio, slices, to_s, length_s, semitones)
    return retimed(*at_pitch(audio, slices, semitones), to_s, length_s, wraps=True)


def at_tempo(
    audio: Audio, slices: Slices, reading: Reading, tempo_bpm: float, how: str = "slices", semitones: float = 0.0
) -> Audio:
    """The loop at another tempo, exactly as long as its bars.

    Parameters
    ----------
    audio
        The recording.
    slices
        Where the audio is cut.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    tempo_bpm
        Quarter notes a minute.
    how
        "slices" moved, or "stretch".
    semitones
        By how much it is higher, -24 to 24.

    Returns
    -------
    Audio
        The audio at the tempo.

    Raises
    ------
    BadValueError
        For another way, and for a tempo or a pitch out of range.
    """
    check_tempo(tempo_bpm)
    ratio = reading.tempo_bpm / tempo_bpm
    if reading.trimmed:
        return set_to(audio, slices, slices.attack_s * ratio, slices.duration_s * ratio, how, semitones)
    slot_s = reading.slot_s * ratio
    length_s = reading.slots_per_bar * reading.bars * slot_s
    return set_to(audio, slices, reading.slot_at(slices.attack_s) * slot_s, length_s, how, semitones)
