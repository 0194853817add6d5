"""The hits of a loop sorted by sound: groups, each mapped to a voice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.listen.drum_classifier import BANDS_HZ, KINDS, Heard, hear_kinds, onset_pictures
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.signals import RATE_HZ

MOST_GROUPS = 8
HELD = 0.5  # from this score on a hit is of a kind
OPEN = 0.25  # from this one on a hat is open: those that players close are open for a shorter time than most learnt
SURE = 0.8  # and from this one on it may be the only one of its kind
DRUMS = 0.55  # below this mean of the best scores the sounds are no drums we know, and are sorted by themselves
LIKE_DRUMS = 0.25  # below this mean chance of being drums, too: mouths and tables lie at 0.0, drums at 0.5 and more
ONE_KIND_OCTAVES = 0.6  # hits of one kind that differ more in brightness (standard deviation) are not of one kind
QUIET_DB = -25.0  # what is softer than this in a hit does not say what it is
BEGINNINGS = 8  # of sorting by spectrum
FEWEST = 2  # hits a group of its own needs when groups are proposed
VOICE_OF_KIND = {"kick": "kick", "snare": "snare", "hat": "hat_closed", "tom": "tom_mid", "cymbal": "ride"}
# Voices a kind may be given to when only some are wanted, nearest first.
NEAREST = {
    "kick": ("kick", "tom_low"), "snare": ("snare", "clap", "rim"), "hat": ("hat_closed", "shaker", "ride", "rim"),
    "tom": ("tom_mid", "tom_low", "tom_high", "snare", "kick"),
    "cymbal": ("ride", "crash", "hat_open", "hat_closed", "shaker"),
}  # fmt: skip
UNKNOWN = "sound"  # what groups are called that are no drums we know
LEFT_OUT = ""  # in place of a voice: these hits are not written
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Singles = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Group:
    """Hits that sound alike: indices into the onsets, in order.

    voice: what they are on a kit, or LEFT_OUT. certainty: 0-1 for each hit, how sure it is that it belongs here.
    """

    name: str
    kind: str
    voice: str
    hits: tuple[int, ...]
    certainty: tuple[float, ...]

    @property
    def is_drum(self) -> bool:
        return not self.name.startswith(f"{UNKNOWN} ")


@dataclass(frozen=True)
class StoredGroup:
    """A group as the user left it; its hits by their times, so that hearing again does not lose them.

    certainty: 0-1 for each of them.
    """

    name: str
    kind: str
    voice: str
    times_s: tuple[float, ...]
    certainty: tuple[float, ...]


SAME_S = 0.005  # a hit that moved by less is the same


def stored_groups(groups: Sequence[Group], onsets: Onsets) -> tuple[StoredGroup, ...]:
    """Give groups as they are kept: their hits by time, so that they outlast another hearing."""
    return tuple(
        StoredGroup(one.name, one.kind, one.voice, tuple(onsets.time_s[list(one.hits)].tolist()), one.certainty)
        for one in groups
    )


def current_groups(audio: Audio, onsets: Onsets, kept: Sequence[StoredGroup]) -> tuple[Group, ...]:
    """The groups as they were left, with what is heard now: hits that are new go where they sound best.

    Nothing kept: as proposed.

    Parameters
    ----------
    audio
        The recording.
    onsets
        Hits that were heard, in order of time.
    kept
        Groups as they were left; none as proposed.

    Returns
    -------
    tuple[Group, ...]
        The groups.
    """
    if not kept or not len(onsets):
        return group_hits(audio, onsets)
    groups, known = [], set()
    for one in kept:
        apart = np.abs(onsets.time_s[:, None] - np.array(one.times_s or [np.inf])[None])
        mine = np.flatnonzero(apart.min(axis=1) <= SAME_S)
        known |= set(mine.tolist())
        certainty = tuple(one.certainty[place] for place in apart[mine].argmin(axis=1).tolist())
        groups.append(Group(one.name, one.kind, one.voice, tuple(mine.tolist()), certainty))
    new = [index for index in range(len(onsets)) if index not in known]
    if new:
        pictures = onset_pictures(mono_samples(audio), onsets.time_s)
        filled = [place for place, group in enumerate(groups) if group.hits] or [0]
        middles = np.stack([pictures[list(groups[place].hits) or new].mean(axis=0) for place in filled])
        for index in new:
            best = filled[int(((middles - pictures[index]) ** 2).sum(axis=1).argmin())]
            groups[best] = merge_groups(groups[best], replace(groups[best], hits=(index,), certainty=(0.5,)))
    return tuple(groups)


def mono_samples(audio: Audio) -> Singles:
    """All channels as one, at 44.1 kHz."""
    mono = audio.mono()
    return mono if audio.rate_hz == RATE_HZ else np.asarray(soxr.resample(mono, audio.rate_hz, RATE_HZ))


def group_hits(audio: Audio, onsets: Onsets, count: int | None = None) -> tuple[Group, ...]:
    """The hits in groups by sound, the most frequent first. A hit that is two sounds at once is in both groups.

    Drums are told by what they are (kick, snare, hat, tom, cymbal; open hats and crashes apart). What is no drum
    we know - a mouth, a table - is parted into `count` groups (three unless said otherwise) by its spectrum, the
    darkest taken for the kick, the brightest for the hat. count: 2-8, the number of groups wanted; None as
    proposed. Raises BadValueError for another count.

    Parameters
    ----------
    audio
        The recording.
    onsets
        Hits that were heard, in order of time.
    count
        How many groups are wanted, 2 to 8; None as proposed.

    Returns
    -------
    tuple[Group, ...]
        The groups, the most frequent first.
    """
    if count is not None:
        require_range("The number of groups", count, 2, MOST_GROUPS)
    if not len(onsets):
        return ()
    mono = mono_samples(audio)
    pictures = onset_pictures(mono, onsets.time_s)
    heard = hear_kinds(pictures)
    groups = _by_kind(heard)
    one_kind = len({group.kind for group in groups}) == 1 and _brightness(pictures).std() > ONE_KIND_OCTAVES
    strange = float(np.mean(heard.drum)) < LIKE_DRUMS
    if one_kind or strange or float(np.mean(heard.kinds.max(axis=1))) < DRUMS:
        return _by_spectrum(pictures, min(count or 3, len(onsets)))
    if count is not None:
        groups = _of_count(groups, pictures, count)
    return tuple(sorted(groups, key=lambda group: -len(group.hits)))


def _by_kind(heard: Heard) -> list[Group]:
    scores = heard.kinds
    held = scores >= HELD
    held[np.arange(len(scores)), scores.argmax(axis=1)] = True
    groups = []
    for number, kind in enumerate(KINDS):
        mine = np.flatnonzero(held[:, number])
        if not len(mine):
            continue
        alone = len(mine) < FEWEST and (scores[mine, number].max() < SURE or scores[mine].argmax(axis=1)[0] != number)
        others = held[mine].sum(axis=1) > 1
        if alone and others.all():
            continue  # a single doubtful second sound is none
        if kind == "hat":
            groups += _hats(heard, mine)
        elif kind == "cymbal":
            named = ((kind, VOICE_OF_KIND[kind]), ("crash", "crash"))
            groups += _parted(heard, kind, mine, heard.crash[mine] >= HELD, named)
        else:
            groups.append(_group(kind, kind, VOICE_OF_KIND[kind], mine, scores[mine, number]))
    return groups


def _part(group: Group, places: list[int]) -> Group:
    """Some of a group's hits, by their places in it."""
    hits = tuple(group.hits[place] for place in places)
    return replace(group, hits=hits, certainty=tuple(group.certainty[place] for place in places))


def _hats(heard: Heard, mine: Ints) -> list[Group]:
    """Split hats into closed and open ones; a single doubtful open one is none."""
    is_open = heard.is_open[mine] >= OPEN
    if is_open.sum() < FEWEST and is_open.sum() < len(mine):
        is_open = heard.is_open[mine] >= SURE
    return _parted(heard, "hat", mine, is_open, (("hat", "hat_closed"), ("open hat", "hat_open")))


def _parted(
    heard: Heard, kind: str, mine: Ints, other: npt.NDArray[np.bool_], named: tuple[tuple[str, str], tuple[str, str]]
) -> list[Group]:
    """Hits of one kind in two groups, each with name and voice; a group without hits is none."""
    score, (plain, special) = heard.kinds[mine, KINDS.index(kind)], named
    parts = ((*plain, ~other), (*special, other))
    return [_group(name, kind, voice, mine[own], score[own]) for name, voice, own in parts if own.any()]


def _group(name: str, kind: str, voice: str, hits: Ints, certainty: Floats) -> Group:
    return Group(name, kind, voice, tuple(hits.tolist()), tuple(np.clip(certainty, 0, 1).round(3).tolist()))


def _clusters(pictures: Floats, count: int) -> Ints:
    """k-means on level by band, the best of several beginnings (Lloyd 1982; Arthur & Vassilvitskii 2007).

    The seed is always the same. Gives which cluster each picture is in.
    """
    spans = np.maximum(pictures[:, : 3 * (len(BANDS_HZ) - 1)], QUIET_DB)
    best, least = np.zeros(len(spans), dtype=np.intp), np.inf
    for beginning in range(BEGINNINGS):
        of, spread = _cluster_once(spans, count, np.random.default_rng(beginning))
        if spread < least - 1e-9:
            best, least = of, spread
    return best


def _cluster_once(spans: Floats, count: int, dice: np.random.Generator) -> tuple[Ints, float]:
    centres = spans[[int(dice.integers(len(spans)))]]
    while len(centres) < count:
        far = ((spans[:, None] - centres[None]) ** 2).sum(axis=2).min(axis=1)
        if not far.any():
            break
        centres = np.vstack([centres, spans[int(dice.choice(len(spans), p=far / far.sum()))]])
    of = np.zeros(len(spans), dtype=np.intp)
    for turn in range(30):
        distance = ((spans[:, None] - centres[None]) ** 2).sum(axis=2)
        new = distance.argmin(axis=1)
        if turn and (new == of).all():
            break
        of = new
        centres = np.stack(
            [spans[of == k].mean(axis=0) if (of == k).any() else centres[k] for k in range(len(centres))]
        )
    return of, float(distance.min(axis=1).sum())


def _brightness(pictures: Floats) -> Floats:
    """The middle of each hit's energy, in octaves."""
    bands = len(BANDS_HZ) - 1
    energy = (10 ** (pictures[:, : 3 * bands] / 10)).reshape(len(pictures), 3, bands).sum(axis=1)
    octave = np.log2(np.sqrt(np.array(BANDS_HZ[1:]) * np.array(BANDS_HZ[:-1])))
    return np.asarray((energy * octave).sum(axis=1) / energy.sum(axis=1))


def _by_spectrum(pictures: Floats, count: int) -> tuple[Group, ...]:
    of = _clusters(pictures, count)
    bright = _brightness(pictures)
    order = sorted(set(of.tolist()), key=lambda k: float(bright[of == k].mean()))
    voices = _voices_by_brightness(len(order))
    return tuple(
        _group(f"{UNKNOWN} {place + 1}", kind, voice, np.flatnonzero(of == k), np.full((of == k).sum(), 0.6))
        for place, (k, (kind, voice)) in enumerate(zip(order, voices, strict=True))
    )


def _voices_by_brightness(count: int) -> list[tuple[str, str]]:
    """(kind, voice) for so many groups from dark to bright."""
    ladder = [
        ("kick", "kick"), ("tom", "tom_low"), ("tom", "tom_mid"), ("snare", "snare"), ("snare", "rim"),
        ("hat", "hat_closed"), ("hat", "hat_open"), ("cymbal", "ride"),
    ]  # fmt: skip
    few = {1: (0,), 2: (0, 3), 3: (0, 3, 5), 4: (0, 3, 4, 5), 5: (0, 2, 3, 4, 5), 6: (0, 1, 2, 3, 5, 6)}
    return [ladder[place] for place in few.get(count, tuple(range(count)))]


def _of_count(groups: list[Group], pictures: Floats, count: int) -> list[Group]:
    """So many groups: the largest is split, or the smallest is joined to the one most like it."""
    while len(groups) < count:
        largest = max(range(len(groups)), key=lambda place: len(groups[place].hits))
        if len(groups[largest].hits) < 2:
            break
        groups[largest : largest + 1] = split_group(groups[largest], pictures)
    while len(groups) > count:
        middles = [pictures[list(group.hits)].mean(axis=0) for group in groups]
        small = min(range(len(groups)), key=lambda place: len(groups[place].hits))
        like = min(
            (k for k in range(len(groups)) if k != small),
            key=lambda k: float(((middles[k] - middles[small]) ** 2).sum()),
        )
        joined = merge_groups(groups[like], groups[small])
        groups = [joined if place == like else group for place, group in enumerate(groups) if place != small]
    return groups


def split_group(group: Group, pictures: Floats) -> list[Group]:
    """In two by sound; the darker half keeps name and voice. pictures: of all hits. One hit raises BadValueError."""
    if len(group.hits) < 2:
        raise BadValueError(f"{group.name.capitalize()} has a single hit: there is nothing to split.")
    of = _clusters(pictures[list(group.hits)], 2)
    if (of == of[0]).all():
        of[1:] = 1 - of[0]
    bright = _brightness(pictures[list(group.hits)])
    dark = int(bright[of == 1].mean() < bright[of == 0].mean())
    parts = []
    for name, half in ((group.name, of == dark), (f"{group.name}, other", of != dark)):
        parts.append(replace(_part(group, np.flatnonzero(half).tolist()), name=name))
    return parts


def merge_groups(one: Group, other: Group) -> Group:
    """Both as one, with the name and the voice of the first, and its certainty for a hit that is in both."""
    found = {**dict(zip(other.hits, other.certainty, strict=True)), **dict(zip(one.hits, one.certainty, strict=True))}
    ordered = sorted(found)
    return replace(one, hits=tuple(ordered), certainty=tuple(found[hit] for hit in ordered))


def move_hit(
    groups: Sequence[Group], index: int, number: int, to: int | None, *, stays: bool = False
) -> tuple[Group, ...]:
    """A hit from the group of that number to another, where it is certain then, or out of it (to: None).

    Parameters
    ----------
    groups
        The groups as they are.
    index
        Index of the hit.
    number
        Number of the group it is in.
    to
        Number of the group it goes to; None takes it out.
    stays
        It is two sounds at once: it is in its own group as well.

    Returns
    -------
    tuple[Group, ...]
        The groups afterwards.

    Raises
    ------
    BadValueError
        When it is not in the group.
    """
    if index not in groups[number].hits:
        raise BadValueError("This hit is in another group now; look again.")
    moved = list(groups)
    if not stays:
        moved[number] = _part(groups[number], [place for place, hit in enumerate(groups[number].hits) if hit != index])
    if to is not None:
        moved[to] = merge_groups(replace(moved[to], hits=(index,), certainty=(1.0,)), moved[to])
    return tuple(moved)


def with_kit_voices(groups: Sequence[Group], voices: tuple[str, ...]) -> tuple[Group, ...]:
    """Groups given to these voices only, each to the nearest one; with none as they are."""
    if not voices:
        return tuple(groups)
    done = []
    for group in groups:
        wishes = (group.voice, *NEAREST.get(group.kind, ()))
        done.append(replace(group, voice=next((voice for voice in wishes if voice in voices), voices[-1])))
    return tuple(done)
