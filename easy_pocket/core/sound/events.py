"""What sounds when: one event per played hit, for the player and the mixdown alike."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.strokes import Strokes, strokes
from easy_pocket.core.keyed_random import normal
from easy_pocket.core.pattern.pattern import HitArrays
from easy_pocket.core.sound.backwards import MAX_FRAMES
from easy_pocket.core.sound.kit import NEXT_STROKE, Kit, KitVoice, audio_key
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import gains

MASTER_GAIN = 10 ** (-3.0 / 20)
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

CUT_FADE_S = 0.006  # a choked sound dies over this, without a click


@dataclass(frozen=True)
class VoiceMix:
    """How a voice sits: level in dB on top of the kit's, pan -1 to 1 or None for the kit's, mute and solo."""

    level_db: float = 0.0
    pan: float | None = None
    mute: bool = False
    solo: bool = False


@dataclass(frozen=True, slots=True)
class Event:
    """`audio` (a content key) starts at start_s with gain and pan; it is faded out from cut_s if that is set.

    cut_s may lie after the loop's end: the next pass cuts it.
    """

    voice: str
    stretch: int
    audio: str
    start_s: float
    gain: float
    pan: float
    cut_s: float | None
    alternate: int = 0
    back: int = 0  # samples it takes when it runs backwards
    fade: int = 0  # and how many of them are faded out
    room: float = 0.0  # how much of it goes to the long room, besides what its voice sends
    rate: float = 1.0  # how fast the audio plays: a voice that varies is a little higher or lower from hit to hit


def audible(voices: tuple[str, ...], mix: Mapping[str, VoiceMix]) -> set[str]:
    """Choose the voices that sound.

    Parameters
    ----------
    voices
        Those that play.
    mix
        Settings by voice; one without any is neither muted nor soloed.

    Returns
    -------
    set of str
        The soloed ones if any is, else all that are not muted.

    Examples
    --------
    >>> mix = {"kick": VoiceMix(mute=True), "snare": VoiceMix()}
    >>> sorted(audible(("kick", "snare", "ride"), mix))
    ['ride', 'snare']
    >>> sorted(audible(("kick", "snare"), {"kick": VoiceMix(solo=True)}))
    ['kick']
    """
    soloed = {voice for voice in voices if mix.get(voice, VoiceMix()).solo}
    return soloed or {voice for voice in voices if not mix.get(voice, VoiceMix()).mute}


@dataclass(frozen=True)
class EventColumns:
    """Events as columns, sorted by start.

    sound points into audio (content keys, each used); cut_s is infinite where nothing cuts; voice points into voices;
    back is how many samples a sound takes that runs backwards, else 0, and fade how many of them are faded out at its
    end; room is how much of a hit goes to the long room by itself, 0 to 1.
    """

    voices: tuple[str, ...]
    audio: tuple[str, ...]
    voice: Ints
    stretch: Ints
    alternate: Ints
    sound: Ints
    start_s: Floats
    gain: Floats
    pan: Floats
    cut_s: Floats
    rate: Floats
    back: Ints
    fade: Ints
    room: Floats


def on_samples(times_s: Floats) -> Floats:
    """Times moved to the nearest sample, as they are played: the page and the file take the same one."""
    return np.asarray(np.rint(times_s * RATE_HZ) / RATE_HZ)


def play_columns(
    performance: Performance,
    kit: Kit,
    mix: Mapping[str, VoiceMix] | None = None,
    *,
    loop: bool = True,
    pass_number: int = 1,
    seed: int = 0,
) -> EventColumns:
    """What sounds when in one pass, counted from 1.

    In a loop times wrap to 0 <= start_s < length; otherwise early hits are negative. Voices the kit does not have
    do not sound.

    Parameters
    ----------
    performance
        Hits as they are played.
    kit
        Voices, and how they sound.
    mix
        Level, pan, mute and solo by voice.
    loop
        Whether times wrap into the loop.
    pass_number
        Which time round, counted from 1.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    EventColumns
        When each sound begins, its gain and its pan.
    """
    struck = strokes(performance, pass_number, seed)
    return columns_of(performance.hits, struck, kit, mix, length_ms=performance.length_ms if loop else None)


@dataclass
class _Played:
    """What each stroke plays, a row each: sound is an index into keys, -1 for a stroke that is not heard."""

    keys: list[str]
    stretch: Ints
    alternate: Ints
    sound: Ints
    gain: Floats
    pan: Floats
    rate: Floats


def _sounds_of_voices(
    hits: HitArrays,
    struck_all: Strokes,
    kit: Kit,
    mix: Mapping[str, VoiceMix],
    sounding: set[str],
    voice_index: Ints,
) -> _Played:
    count = len(voice_index)
    stretch, alternate = np.zeros(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
    sound = np.full(count, -1, dtype=np.int64)
    played = _Played([], stretch, alternate, sound, np.zeros(count), np.zeros(count), np.ones(count))
    for index, voice in enumerate(hits.voices):
        if voice not in sounding:
            continue
        kit_voice, setting = kit.voice(voice), mix.get(voice, VoiceMix())
        mine = voice_index == index
        asked = hits.alternate[struck_all.hit[mine]]
        asked = np.where(asked <= len(kit_voice.alternates), asked, 0)
        played.alternate[mine] = chosen = asked + NEXT_STROKE * _in_turn(kit_voice, asked, struck_all.time_ms[mine])
        struck, first = np.zeros(len(chosen), dtype=np.int64), np.zeros(len(chosen), dtype=np.int64)
        for number in np.unique(chosen).tolist():
            one, here = kit_voice.alternate(number), chosen == number
            first[here] = len(played.keys)
            played.keys += [audio_key(one, place) for place in range(len(one.stretches))]
            struck[here] = one.stretch_of[struck_all.velocity[mine][here]]
        played.stretch[mine] = struck
        played.sound[mine] = first + struck
        rates, sways = _varied(kit_voice, hits.tick[struck_all.hit[mine]])
        level = 10 ** ((kit_voice.level_db + setting.level_db) / 20)
        played.gain[mine] = level * np.array(gains(kit_voice.velocity_level))[struck_all.velocity[mine]] * sways
        middle = kit_voice.pan if setting.pan is None else setting.pan
        played.pan[mine] = np.clip(middle + struck_all.pan[mine], -1, 1)
        played.rate[mine] = rates * np.exp2(struck_all.tune_cents[mine] / 1200)
    return played


def columns_of(
    hits: HitArrays,
    struck_all: Strokes,
    kit: Kit,
    mix: Mapping[str, VoiceMix] | None = None,
    *,
    length_ms: float | None = None,
    level_db: Floats | None = None,
) -> EventColumns:
    """As `play_columns`, of hits and their strokes.

    Parameters
    ----------
    hits
        Hits as columns.
    struck_all
        The strokes of the hits.
    kit
        Voices, and how they sound.
    mix
        Level, pan, mute and solo by voice.
    length_ms
        Length of the loop in ms; None when it is none.
    level_db
        Level of each hit on top of its voice's, in dB; None for 0.

    Returns
    -------
    EventColumns
        When each sound begins, its gain and its pan.
    """
    mix = mix or {}
    voice_index = hits.voice_index[struck_all.hit]
    sounding = audible(hits.voices, mix) & set(kit.roles)
    starts_s = (struck_all.time_ms if length_ms is None else struck_all.loop_ms(length_ms)) / 1000.0
    length_s = None if length_ms is None else length_ms / 1000.0
    cuts_s = _cuts(hits.voices, voice_index, kit, sounding, starts_s, length_s)
    turned = struck_all.backwards
    cuts_s = np.minimum(cuts_s, np.where(turned, np.inf, starts_s + struck_all.length_ms / 1000.0))
    count = len(starts_s)
    back = np.zeros(count, dtype=np.int64)
    # Both ends on whole samples, so that the attack falls exactly where it is due.
    ends_s = starts_s[turned] + struck_all.length_ms[turned] / 1000.0
    back[turned] = np.clip(np.rint(ends_s * RATE_HZ) - np.rint(starts_s[turned] * RATE_HZ), 1, MAX_FRAMES)
    fade = np.rint(struck_all.fade_ms * RATE_HZ / 1000).astype(np.int64)
    played = _sounds_of_voices(hits, struck_all, kit, mix, sounding, voice_index)
    keys, sound, rate, gain = played.keys, played.sound, played.rate, played.gain
    for place in np.flatnonzero(turned & (sound >= 0)).tolist():
        keys.append(f"{keys[sound[place]]}-r{back[place]}" + (f"f{fade[place]}" if fade[place] else ""))
        sound[place], rate[place] = len(keys) - 1, 1.0
    if level_db is not None:
        gain *= 10 ** (level_db[struck_all.hit] / 20)
    heard = np.flatnonzero(sound >= 0)
    # By start; of hits on one sample, those of the first voice first.
    order = heard[np.lexsort((voice_index[heard], starts_s[heard]))]
    used, pointing = np.unique(sound[order], return_inverse=True)
    return EventColumns(
        voices=hits.voices,
        audio=tuple(keys[place] for place in used.tolist()),
        voice=voice_index[order].astype(np.int64),
        stretch=played.stretch[order],
        alternate=played.alternate[order],
        sound=pointing.astype(np.int64),
        start_s=starts_s[order],
        gain=gain[order],
        pan=played.pan[order],
        cut_s=cuts_s[order],
        rate=rate[order],
        back=back[order],
        fade=fade[order],
        room=struck_all.room[order],
    )


def play_events(
    performance: Performance,
    kit: Kit,
    mix: Mapping[str, VoiceMix] | None = None,
    *,
    loop: bool = True,
    pass_number: int = 1,
    seed: int = 0,
) -> list[Event]:
    """The same as single events, for the mixdown.

    Parameters
    ----------
    performance
        Hits as they are played.
    kit
        Voices, and how they sound.
    mix
        Level, pan, mute and solo by voice.
    loop
        Whether times wrap into the loop.
    pass_number
        Which time round, counted from 1.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    list[Event]
        One event for each sound.
    """
    return events_of(play_columns(performance, kit, mix, loop=loop, pass_number=pass_number, seed=seed))


def events_of(columns: EventColumns) -> list[Event]:
    """Give events in columns as single ones."""
    rows = zip(
        columns.voice.tolist(), columns.stretch.tolist(), columns.sound.tolist(), columns.start_s.tolist(),
        columns.gain.tolist(), columns.pan.tolist(), columns.cut_s.tolist(), columns.alternate.tolist(),
        columns.back.tolist(), columns.fade.tolist(), columns.rate.tolist(),
        columns.room.tolist(), strict=True,
    )  # fmt: skip
    return [
        Event(
            voice=columns.voices[voice],
            stretch=stretch,
            audio=columns.audio[sound],
            start_s=start_s,
            gain=gain,
            pan=pan,
            cut_s=None if cut_s == math.inf else cut_s,
            alternate=alternate,
            back=back,
            fade=fade,
            rate=rate,
            room=room,
        )
        for voice, stretch, sound, start_s, gain, pan, cut_s, alternate, back, fade, rate, room in rows
    ]


def _in_turn(voice: KitVoice, asked: Ints, time_ms: Floats) -> Ints:
    """Which stroke of its sound each hit plays, so that no two in a row are the same one; in order of time."""
    turns = np.array([voice.alternate(number).turns for number in range(len(voice.alternates) + 1)])
    order = np.argsort(time_ms, kind="stable")
    turn = np.zeros(len(asked), dtype=np.int64)
    for number in np.flatnonzero(turns > 1).tolist():
        mine = order[asked[order] == number]
        turn[mine] = np.arange(len(mine)) % turns[number]
    return turn


def _varied(voice: KitVoice, tick: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Rate and gain of each hit of a voice that varies; the same place always gets the same."""
    if not voice.vary_cents and not voice.vary_db:
        return np.ones(len(tick)), np.ones(len(tick))
    rates = np.exp2(voice.vary_cents / 1200 * normal(0, f"tune {voice.role}", tick))
    return rates, 10 ** (voice.vary_db / 20 * normal(0, f"level {voice.role}", tick))


def _cuts(
    voices: tuple[str, ...],
    voice_index: npt.NDArray[np.integer],
    kit: Kit,
    sounding: set[str],
    starts_s: npt.NDArray[np.float64],
    length_s: float | None,
) -> npt.NDArray[np.float64]:
    """When each stroke is choked by the next one of its choke group; infinity when it rings out."""
    cuts = np.full(len(starts_s), np.inf)
    groups: dict[str, list[int]] = {}
    for index, voice in enumerate(voices):
        if voice not in sounding:
            continue
        if group := kit.voice(voice).choke_group:
            groups.setdefault(group, []).append(index)
        elif not kit.voice(voice).rings:
            groups[f"only {voice}"] = [index]
    for members in groups.values():
        hits = np.flatnonzero(np.isin(voice_index, members))
        if not len(hits):
            continue
        hits = hits[np.argsort(starts_s[hits], kind="stable")]
        cuts[hits[:-1]] = starts_s[hits[1:]]
        if length_s is not None:
            cuts[hits[-1]] = starts_s[hits[0]] + length_s
        # Two of a group struck together: neither silences the other before it has sounded.
        together = cuts[hits] - starts_s[hits] < CUT_FADE_S
        cuts[hits[together]] = np.inf
    return cuts
