"""Lines of sound through a Stage to the mix: chains, groups, rooms, echo, the whole, the ceiling."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.compressor import compressor_gain
from easy_pocket.core.stage.curves import Curve
from easy_pocket.core.stage.echo import echoes
from easy_pocket.core.stage.limiter import LATENCY, limited
from easy_pocket.core.stage.over_sections import sends_over, units_over
from easy_pocket.core.stage.rooms import impulse_response
from easy_pocket.core.stage.stage import FILTERS_RING_S, LEVEL_TIMES, RETURNS, ROOMS, VOICE_PLACE, Stage, Unit
from easy_pocket.core.stage.stage_mix import Sound, StageMix, WarmedUp, led_in
from easy_pocket.core.stage.units import PROCESSES, Music, along, numbers_of

Floats = npt.NDArray[np.floating]


AT_ONCE = 2
TAKEN_FRAMES = 512
SPAN_FRAMES, SHORTEST_REST, MOST_SPANS = 4096, 88_200, 8


Leaf = Callable[[str], str]
Buses = dict[str, dict[str, Floats]]


class _Mixer:
    """Every bus holds lines by leaf: the names under which they come out.

    Together they go through its chain, so that the leaves add up to what the bus gives; a drive bends the sum, and its
    leaves become one.
    """

    def __init__(
        self, sound: Sound, stage: Stage, music: Music, leaf: Leaf | None = None, *, rooms_apart: bool
    ) -> None:
        self.sound, self.stage, self.music = sound, stage, music
        self.leaf = leaf or self._bus_of
        self.rooms_apart = rooms_apart
        self.sent: Buses = {}
        self.taken_db: dict[tuple[str, int], Floats] = {}
        self.on_progress: OnProgress = no_progress
        self.rings = 0  # frames for which rooms and echo hear what was before, in a loop
        for name in ROOMS:
            line = sound.to_room(name)
            if line is not None and stage.on:
                self.sent[name] = {name: line}

    def _bus_of(self, where: str) -> str:
        """Under which name a place comes out of the whole mix: its group, its part, or its own."""
        to = self._to(where)
        return (self._to(to) or to) if to else where

    def chain(self, where: str, lines: dict[str, Floats]) -> dict[str, Floats]:
        """Through the chain of a place, and from there to rooms and echo."""
        return self._sent_on(where, self._chained(where, lines))

    def _chained_where_it_sounds(self, where: str, line: Floats) -> None:
        """Through the chain in place: what rests for longer than the chain remembers is left as it is, silence."""
        units = [unit for unit, _ in units_over(self.stage, where, self.music)] if self.stage.on else []
        spans = [(0, line.shape[1])]
        # An echo follows the tempo from the start, a loop has no start, another voice's sound may go on.
        if not self.music.loops and not any(unit.kind == "echo" or unit.settings.get("side") for unit in units):
            remembers = sum(
                LEVEL_TIMES * unit.number("release_ms") / 1000 for unit in units if unit.kind == "compressor"
            )
            spans = sounding_spans(line, round((FILTERS_RING_S + remembers) * RATE_HZ))
        for start, end in spans:
            from_there = replace(self.music, before_s=self.music.before_s - start / RATE_HZ) if start else self.music
            line[:, start:end] = self._chained(where, {where: line[:, start:end]}, from_there)[where]

    def _chained(self, where: str, lines: dict[str, Floats], music: Music | None = None) -> dict[str, Floats]:
        """Through the chain of a place. music: as it is from where the lines begin."""
        if not self.stage.on:
            return lines
        music = music or self.music
        for at, (unit, share) in enumerate(units_over(self.stage, where, music)):
            before, after = self._through(unit, lines, music, (where, at))
            if share is None:
                lines = after
            else:  # it is off in some sections
                heard = along(share, next(iter(after.values())), music)
                lines = {leaf: line + heard * (after[leaf] - line) for leaf, line in before.items()}
        return lines

    def _sent_on(self, where: str, lines: dict[str, Floats]) -> dict[str, Floats]:
        for name, share in (sends_over(self.stage, where, self.music) if self.stage.on else {}).items():
            for leaf, line in lines.items():
                gain = along(share, line, self.music) if isinstance(share, Curve) else share
                _add(self.sent.setdefault(name, {}), name if self.rooms_apart else leaf, gain * line)
        return lines

    def _own_lines(self) -> Iterator[tuple[str, dict[str, Floats]]]:
        """Places that need a line of their own, through their chains; a few at once, as there are processors."""
        wanted: list[str] = []
        known: set[tuple[str, str]] = set()
        for where in self.sound.places:
            bus = (self._to(where), self.leaf(where))
            if not (bus[0] and bus in known and self._is_plain(where)):
                wanted.append(where)
            known.add(bus)

        def made(where: str) -> tuple[str, dict[str, Floats]]:
            line = self.sound.line(where)
            if not self._is_plain(where):
                self._chained_where_it_sounds(where, line)
            return where, {self.leaf(where): line}

        with ThreadPoolExecutor(AT_ONCE) as pool:
            going: deque[Future[tuple[str, dict[str, Floats]]]] = deque()  # no more than memory is there for
            for number, where in enumerate(sorted(wanted, key=self._is_plain)):  # what takes longest first
                self.on_progress(0.6 * number / len(wanted), f"sound {number + 1} of {len(wanted)}")
                going.append(pool.submit(made, where))
                if len(going) > AT_ONCE:
                    yield going.popleft().result()
            while going:
                yield going.popleft().result()

    def _through(
        self, unit: Unit, lines: dict[str, Floats], music: Music, at: tuple[str, int]
    ) -> tuple[dict[str, Floats], dict[str, Floats]]:
        """Lines before and after a unit, by the same leaves."""
        if unit.kind == "drive" and len(lines) > 1:
            lines = {"+".join(lines): _sum(lines)}
        if unit.kind == "compressor":
            own = str(unit.settings["side"])
            gain, taken_db = compressor_gain(self.sound.line(own) if own else _sum(lines), numbers_of(unit))
            if music.loops:
                self.taken_db[at] = np.maximum.reduceat(taken_db, np.arange(0, len(taken_db), TAKEN_FRAMES))
            return lines, {leaf: line * gain for leaf, line in lines.items()}
        process = PROCESSES[unit.kind]
        return lines, {leaf: process(line, unit, music, line) for leaf, line in lines.items()}

    def stems(self) -> dict[str, Floats]:
        """What reaches the whole, by leaf; rooms and echo under their own names, or inside."""
        buses: Buses = {}
        out: dict[str, Floats] = {}
        own = set()
        for where, lines in self._own_lines():
            own.add(where)
            to = self._to(where)
            _join(buses.setdefault(to, {}) if to else out, self._sent_on(where, lines))
        for where in self.sound.places:
            if where not in own:
                self.sound.add(where, buses[self._to(where)][self.leaf(where)])
        self.on_progress(0.6, "groups and rooms")
        parts = [where for where in buses if where.startswith("part:")]
        for where in [*parts, *(f"group:{one.key}" for one in self.stage.groups)]:
            if where not in buses:
                continue
            after, to = self.chain(where, buses.pop(where)), self._to(where)
            _join(buses.setdefault(to, {}) if to else out, after)
        with ThreadPoolExecutor(AT_ONCE) as pool:
            for back in pool.map(self._back_from, [name for name in RETURNS if name in self.sent]):
                _join(out, back)
        return out

    def _back_from(self, name: str) -> dict[str, Floats]:
        """What a room or the echo gives to the whole."""
        back = {leaf: self._returned(name, line) for leaf, line in self.sent[name].items()}
        return self._chained(name, back)

    def _to(self, where: str) -> str:
        """The part or group a place goes to, "" for the whole."""
        group = self.stage.group_of(where) if self.stage.on else None
        if group:
            return f"group:{group.key}"
        return where.rpartition(":")[0] if VOICE_PLACE.fullmatch(where) else ""

    def _is_plain(self, where: str) -> bool:
        return not self.stage.on or self.stage.is_plain_at(where)

    def _returned(self, name: str, line: Floats) -> Floats:
        """What a room or the echo gives back of what was sent there."""
        frames, lead = line.shape[1], self.music.lead
        level = np.float32(
            10 ** (float((self.stage.rooms[name] if name in ROOMS else self.stage.echo)["level_db"]) / 20)
        )
        if not self.rings:
            return level * self._through_return(name, line)[:, :frames]
        # What was sent in the pass that counts was sent in those before, too.
        turn = line[:, lead:]
        if name in ROOMS:
            return level * led_in(folded(self._through_return(name, turn), turn.shape[1]), lead)
        return level * self._through_return(name, led_in(turn, self.rings + lead))[:, self.rings :]

    def _through_return(self, name: str, line: Floats) -> Floats:
        """What comes back, of a room with what rings on after the end."""
        if name in ROOMS:
            # Single floats: half the work, and what is lost lies 130 dB down.
            return np.asarray(signal.oaconvolve(line, impulse_response(self.stage.rooms[name]), axes=1))
        return echoes(line, self.stage.echo, self.music.echo_delays(float(self.stage.echo["beats"])))


def folded(line: Floats, frames: int) -> Floats:
    """A line with its tail as it is when it goes round, shape (2, frames): the tail is added to the start."""
    turns = -(-line.shape[1] // frames)
    found = line[:, :frames].copy()
    for turn in range(1, turns):
        tail = line[:, turn * frames : (turn + 1) * frames]
        found[:, : tail.shape[1]] += tail
    return found


def sounding_spans(line: Floats, rings: int) -> list[tuple[int, int]]:
    """Where a line of shape (2, frames) sounds, as (first frame, end), so many frames after each sound with it.

    A few spans: short rests are taken along.
    """
    frames = line.shape[1]
    blocks = np.flatnonzero(np.maximum.reduceat(np.abs(line).max(axis=0), np.arange(0, frames, SPAN_FRAMES)) > 0)
    if not len(blocks):
        return []
    gaps = np.flatnonzero(np.diff(blocks) * SPAN_FRAMES > rings + SHORTEST_REST)
    if len(gaps) > MOST_SPANS:
        longest = np.argsort(np.diff(blocks)[gaps])[-MOST_SPANS:]
        gaps = np.sort(gaps[longest])
    firsts = blocks[np.r_[0, gaps + 1]] * SPAN_FRAMES
    ends = np.minimum((blocks[np.r_[gaps, len(blocks) - 1]] + 1) * SPAN_FRAMES + rings, frames)
    return list(zip(firsts.tolist(), ends.tolist(), strict=True))


def _sum(lines: dict[str, Floats]) -> Floats:
    first, *rest = lines.values()
    total = first.copy()
    for line in rest:
        total += line
    return total


def _join(lines: dict[str, Floats], more: dict[str, Floats]) -> None:
    for leaf, line in more.items():
        _add(lines, leaf, line)


def _add(lines: dict[str, Floats], where: str, line: Floats) -> None:
    """Callers give lines of their own: the first is kept as it is and added to."""
    if where in lines:
        lines[where] += line
    else:
        lines[where] = line


def mix_stage(
    sound: Sound,
    stage: Stage,
    music: Music,
    *,
    leaf: Leaf | None = None,
    rooms_apart: bool = True,
    on_progress: OnProgress = no_progress,
) -> StageMix:
    """The mix of sounds on a Stage.

    In a loop the sound is one pass with its tails folded in; before the pass that is given it goes round for as
    long as chains remember, and what goes to rooms and echo for as long as they ring on: all is as it is in the
    middle of the music. Else it is the music and what rings on after it.

    leaf: under which name each place comes out as a stem; without it by group, part and loop. rooms_apart: rooms
    and echo are stems of their own, else each stem has what it sent there in it.

    Parameters
    ----------
    sound
        Sounds by place, each of shape (2, frames).
    stage
        Chains, sends, rooms and groups.
    music
        Tempo, bars and hits of what plays.
    leaf
        Under which name each place comes out as a stem; None by group, part and loop.
    rooms_apart
        Whether rooms and echo are stems of their own.
    on_progress
        Called with the share that is done, 0 to 1, and words.

    Returns
    -------
    StageMix
        The mix before its whole chain, the finished one, and the stems.
    """
    frames = sound.frames
    if not frames:
        empty = np.zeros((2, 0))
        return StageMix(empty, empty, empty, np.ones(0), {})
    lead = rings = 0
    hits_to_room = sound.to_room("long") is not None
    if music.loops and stage.on and (hits_to_room or not stage.is_plain):
        lead = math.ceil(stage.chains_ring_s(music.beats.beat_s) * RATE_HZ)
        rings = math.ceil(stage.returns_ring_s(music.beats.beat_s, hits_to_room) * RATE_HZ)
        sound, music = WarmedUp(sound, lead), replace(music, lead=lead)
    mixer = _Mixer(sound, stage, music, leaf, rooms_apart=rooms_apart)
    mixer.rings = rings
    mixer.on_progress = on_progress
    stems = mixer.stems()
    before = np.zeros((2, mixer.sound.frames), dtype=np.float32)
    for stem in stems.values():
        before += stem
    on_progress(0.85, "the whole and its ceiling")
    whole = mixer.chain("whole", {"whole": before})["whole"]
    last = slice(mixer.sound.frames - frames, None)
    whole = whole[:, last]
    audio, gain = under_ceiling(whole, stage.ceiling_db, loops=music.loops)
    taken_db = {at: one[-math.ceil(frames / TAKEN_FRAMES) :] for at, one in mixer.taken_db.items()}
    stems = {where: stem[:, last] for where, stem in stems.items()}
    return StageMix(audio, whole, before[:, last], gain, stems, taken_db)


def under_ceiling(whole: Floats, ceiling_db: float, *, loops: bool) -> tuple[Floats, Floats]:
    """The finished sound and the gain of the ceiling; whole: one pass of a loop, or the music with its end.

    Parameters
    ----------
    whole
        One pass of a loop, or the music with its end, shape (2, frames).
    ceiling_db
        True peak that is not passed, in dBTP.
    loops
        Whether the end goes on at the start.

    Returns
    -------
    tuple[Floats, Floats]
        Samples of shape (2, frames), and the gain of shape (frames,).
    """
    if not loops:
        return limited(whole, ceiling_db)
    # What comes before a pass is the end of a pass, what comes after it its start.
    frames = whole.shape[1]
    before = min(frames, 44_100)
    after = np.stack([np.resize(side, LATENCY) for side in whole])
    around = np.concatenate([whole[:, frames - before :], whole, after], axis=1)
    audio, gain = limited(around, ceiling_db)
    return audio[:, before : before + frames], gain[before : before + frames]
