"""Slices: a loop cut at its hits or on its grid, replayed as it was, and set to another time."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading

MAX_SLICES = 512
PRE_S = 0.0015  # a slice begins a little before its hit, so that the attack is whole
FADE_S = 0.004  # where a slice that was moved begins and ends
GAP_FADE_S = 0.030  # how a slice dies away that is followed by a gap
CUTS = ("hits", "grid")

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Slices:
    """Where a loop is cut: start_s and end_s, shape (n,), ascending; each slice ends where the next begins.

    attack_s: where in the loop its hit lies (its start, when it was cut on the grid). The last one may reach round the
    loop's end to its beginning: then its end_s is beyond duration_s.
    """

    start_s: Floats
    end_s: Floats
    attack_s: Floats
    duration_s: float

    def __len__(self) -> int:
        return len(self.start_s)


def cut_slices(onsets: Onsets, reading: Reading, by: str = "hits", slots: int = 1) -> Slices:
    """Cut at the hits, or at every n-th slot of the grid.

    A trimmed loop is cut all round; a recording over its bars.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    by
        Where it is cut: at "hits" or at the "grid".
    slots
        Slots of the grid in one slice.

    Returns
    -------
    Slices
        Where each slice begins and ends, in samples.

    Raises
    ------
    BadValueError
        For another way, more than 512 slices, or a loop without hits to cut at.
    """
    if by not in CUTS:
        raise BadValueError(f"Slices are cut at {' or '.join(CUTS)}; '{by[:20]}' is neither.")
    whole_s = onsets.duration_s
    first_s = 0.0 if reading.trimmed else reading.bar_one_s
    last_s = whole_s if reading.trimmed else min(reading.bar_one_s + reading.length_s, whole_s)
    if by == "grid":
        require_range("The number of slots in a slice", slots, 1, reading.slots_per_bar)
        total = reading.slots_per_bar * reading.bars
        attack_s = reading.time_at(np.arange(0, total, slots).astype(np.float64))
        attack_s = np.sort(np.mod(attack_s, whole_s)) if reading.trimmed else attack_s
        starts_s = attack_s
    else:
        attack_s = onsets.time_s[(onsets.time_s >= first_s - PRE_S) & (onsets.time_s < last_s)]
        starts_s = np.maximum(attack_s - PRE_S, 0.0)
    if not len(starts_s):
        raise BadValueError("There is no hit to cut at: add some by hand, raise the sensitivity, or cut on the grid.")
    require_range("The number of slices", len(starts_s), 1, MAX_SLICES)
    # In a loop that goes round, what comes before the first cut belongs to the last slice.
    end_s = starts_s[0] + whole_s if reading.trimmed else last_s
    return Slices(starts_s, np.append(starts_s[1:], end_s), attack_s, whole_s)


def slice_audio(audio: Audio, slices: Slices) -> list[npt.NDArray[np.float32]]:
    """Each slice as it is in the loop: shape (frames, channels). Put one after another they are the loop."""
    edges = np.rint(np.append(slices.start_s, slices.end_s[-1]) * audio.rate_hz).astype(np.intp)
    frames = len(audio.samples)
    round_ = np.concatenate([audio.samples, audio.samples]) if edges[-1] > frames else audio.samples
    return [round_[begin:end] for begin, end in pairwise(edges.tolist())]


def rebuilt(audio: Audio, slices: Slices) -> Audio:
    """The loop put together again from its slices at its own tempo: the same samples over what was cut."""
    out = np.zeros_like(audio.samples)
    frames = len(out)
    place = round(float(slices.start_s[0]) * audio.rate_hz)
    for piece in slice_audio(audio, slices):
        at = (place + np.arange(len(piece))) % frames
        out[at] = piece
        place += len(piece)
    return Audio(out, audio.rate_hz, audio.name)


def retimed(audio: Audio, slices: Slices, to_s: Floats, length_s: float, *, wraps: bool) -> Audio:
    """Slices set so that their attacks fall at `to_s` (shape (n,), in order) in a loop of length_s.

    A slice lasts until the next one begins; one that is too long is faded out over a few ms, one that is too short
    dies away into the gap. What stays where it was is not touched: at the loop's own times the loop comes back.
    `wraps`: what reaches past the end goes on at the beginning, exactly round(length_s x rate) samples in all.

    Parameters
    ----------
    audio
        The recording.
    slices
        Where the audio is cut.
    to_s
        When the attack of each slice shall be, in seconds, rising, shape (n,).
    length_s
        Length of the result in seconds.
    wraps
        Whether what reaches past the end goes on at the beginning.

    Returns
    -------
    Audio
        The audio at its own rate.
    """
    starts = slice_starts(slices, to_s, audio.rate_hz)
    return place_pieces(audio, slice_audio(audio, slices), starts, length_s, wraps=wraps)


def slice_starts(slices: Slices, to_s: Floats, rate_hz: int) -> npt.NDArray[np.intp]:
    """The frame at which each slice begins so that its attack falls at its time in `to_s`; may be below 0."""
    return np.rint((to_s - (slices.attack_s - slices.start_s)) * rate_hz).astype(np.intp)


def place_pieces(
    audio: Audio,
    pieces: list[npt.NDArray[np.float32]],
    starts: npt.NDArray[np.intp],
    length_s: float,
    *,
    wraps: bool,
) -> Audio:
    """Pieces of audio set at their frames in a loop of length_s, as `retimed` says; name and rate are the audio's.

    Raises BadValueError for a length that is not 0.05 to 1,200 s.
    """
    require_range("The length of the loop", length_s, 0.05, 1200.0, "s")
    rate = audio.rate_hz
    total = round(length_s * rate)
    order = np.argsort(starts, kind="stable")
    out = np.zeros((total + max(map(len, pieces)) + 1, audio.samples.shape[1]))
    end = starts[order[0]] + total if wraps else total
    follows = np.append(starts[order][1:], end)
    fade = max(int(FADE_S * rate), 1)
    for index, after in zip(order.tolist(), follows.tolist(), strict=True):
        piece, start = pieces[index].astype(np.float64), int(starts[index])
        room = after - start
        if room <= 0:
            continue
        if len(piece) > room:
            piece = piece[: room + min(fade, len(piece) - room)].copy()
            piece[room:] *= np.linspace(1, 0, len(piece) - room)[:, None]
        elif len(piece) < room - 1:
            dies = min(int(GAP_FADE_S * rate), len(piece))
            piece[len(piece) - dies :] *= np.linspace(1, 0, dies)[:, None]
        if start < 0 and not wraps:
            piece, start = piece[-start:], 0
        at = start + np.arange(len(piece))
        if wraps:
            np.add.at(out, at % total, piece)
        else:
            keep = at < len(out)
            out[at[keep]] += piece[keep]
    return Audio(out[:total].astype(np.float32), rate, audio.name)


def at_pitch(audio: Audio, slices: Slices, semitones: float) -> tuple[Audio, Slices]:
    """The audio higher or lower, and where it is then cut: slices that are higher are as much shorter.

    Parameters
    ----------
    audio
        The recording.
    slices
        Where the audio is cut.
    semitones
        By how much it is higher; below 0 lower.

    Returns
    -------
    tuple[Audio, Slices]
        The audio, and where it is cut then.
    """
    if not semitones:
        return audio, slices
    longer = 2.0 ** (-semitones / 12)
    samples = soxr.resample(audio.samples, 1.0, longer, quality="HQ")
    times = (slices.start_s * longer, slices.end_s * longer, slices.attack_s * longer)
    return Audio(samples, audio.rate_hz, audio.name), Slices(*times, len(samples) / audio.rate_hz)
