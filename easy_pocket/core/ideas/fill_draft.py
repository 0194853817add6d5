"""One candidate for a fill: drawn from its number, fitted to what was asked, mended until it can be played."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from easy_pocket.core.ideas.change import is_free
from easy_pocket.core.ideas.fill_description import describe_fill
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_frame import TIMEKEEPERS, Frame, in_order
from easy_pocket.core.ideas.fill_line import KICKS_IN_A_ROW, lands, one_line, spread, thickened, too_many_kicks
from easy_pocket.core.ideas.fill_rhythm import Ground, choose_slots, ground, pick, shares
from easy_pocket.core.ideas.fill_roles import (
    ASKED,
    MOST_DOUBLED,
    ROLES,
    FillRole,
    answering,
    role_of,
)
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fill_voices import (
    CURVES,
    ENDING_VELOCITY,
    LOUDEST_BEFORE,
    WAYS,
    Limbs,
    add_limbs,
    ladder,
    velocities,
    walk,
)
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.playable import FEET, faults_of_hits
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import ms_per_tick

DENSITY_SLACK = 0.1
REPAIRS = 4
LINE_SHARES = (1.0, 0.8, 0.62)  # of a beat's hits that the leading line may take
ANY_ENDING = {name: one.odds for name, one in ENDINGS.items()}
SOUNDING = {name: odds / (1 - ANY_ENDING["silence"]) for name, odds in ANY_ENDING.items() if name != "silence"}
FREE_SHARES = (1.0, 0.9, 0.8)  # when nobody asked for a density: hands play one line
GOES_ON = {"yes": 0.4, "no": 0.6}  # so many candidates let one voice that keeps time go on, when nobody asked
MOST_GOING_ON = 2.2  # hits a beat: what keeps 16ths needs a hand of its own
BEGINS_LATER = 0.45  # so many fills of LONG and more beats let the groove go on for the first of them
LONG = 3
LEAST_OF_ROOM = 0.6  # strokes a short window has at least, of those it has room for
HANDS_ANSWER = 0.65  # of the strokes of a fill that takes up the beat's rhythm
CRASHES = ("crash", "ride", "hat_open", "tambourine", "shaker")


@dataclass(frozen=True)
class Draft:
    """A candidate before it is compared with what was there: all hits of the window, and the crash."""

    inside: tuple[Hit, ...]
    crash: Hit | None
    words: str
    role: str = ""
    traits: tuple[str, ...] = ()

    @cached_property
    def hits(self) -> tuple[Hit, ...]:
        return self.inside if self.crash is None else (*self.inside, self.crash)

    @cached_property
    def heard(self) -> tuple[Hit, ...]:
        """For comparing: the crash after the last hit, wherever the pattern goes round."""
        return self.inside if self.crash is None else (*self.inside, replace(self.crash, tick=10_000_000))


def _target(frame: Frame, role: FillRole, staying: int, rng: np.random.Generator) -> tuple[int, int, int]:
    """Hits of the whole window that are wanted, and the fewest and most that will do."""
    if frame.settings.density is not None:
        exact = sum(frame.settings.density) / 2 * frame.beats
        slack = max(DENSITY_SLACK * exact, 0.5)
        low, high = int(np.ceil(exact - slack)), int(np.floor(exact + slack))
        return round(exact), max(low, 1), max(high, 1)
    calmest, densest = (strokes * frame.taste.busier if frame.taste.known else strokes for strokes in role.strokes)
    fewest, most = max(2, round(calmest * frame.beats)), max(3, round(densest * frame.beats))
    wanted = round(float(rng.uniform(calmest, densest)) * frame.beats)
    # What goes on is not counted against what is new: something has to happen.
    least = max(fewest, staying + 1)
    return max(wanted, staying + max(2, round(0.7 * fewest))), least, max(most, staying + most)


@dataclass(frozen=True)
class _Drawn:
    """What chance and the settings chose for one candidate.

    staying: hits of the window that are not touched. start: the tick from which the fill may strike.
    """

    subdivision: str
    ending: str
    path: str
    curve: str
    staying: tuple[Hit, ...]
    going_on: str  # a voice that goes on though nobody asked for it, or nothing
    start: int


def _drawn(frame: Frame, role: FillRole, rng: np.random.Generator) -> _Drawn:
    settings = frame.settings
    native = _native(frame.scene, rng)
    fits = role.subdivisions and native in ("8", "16", "32", "mixed") and not frame.scene.metre.compound
    taste = frame.taste
    subdivision = settings.subdivision or (pick(rng, role.subdivisions) if fits else native)
    # One of six has silence, the others have none; where more was asked for, any ending may come.
    ending = settings.ending or role.ending
    ending = ending or pick(rng, taste.tilted("ending", ANY_ENDING if role is ASKED else SOUNDING))
    paths = role.paths or {name: one.odds for name, one in WAYS.items()}
    path = settings.path or pick(rng, taste.tilted("path", paths))
    curve = pick(rng, taste.tilted("curve", role.curves or CURVES))
    staying, going_on = frame.staying, ""
    goes_on = taste.tilted("goes_on", GOES_ON)["yes"]
    if settings.keep is None and ending not in ("hit4", "silence") and rng.random() < goes_on:
        counts = {voice: sum(hit.voice == voice for hit in frame.leaving) for voice in TIMEKEEPERS}
        there = [voice for voice, count in counts.items() if 1 < count <= MOST_GOING_ON * frame.beats]
        going_on = there[int(rng.integers(len(there)))] if there else ""
        staying = (*staying, *(hit for hit in frame.leaving if hit.voice == going_on))
    start = frame.begin
    if role is not ASKED and not role.answers and frame.beats >= LONG and rng.random() < BEGINS_LATER:
        start += frame.scene.metre.pulse_ticks
        staying = (*staying, *(hit for hit in frame.leaving if hit.tick < start and hit.voice != going_on))
    return _Drawn(subdivision, ending, path, curve, staying, going_on, start)


def candidate(frame: Frame, seed: int, number: int) -> tuple[Draft | None, int]:
    """One candidate, or None when what was drawn does not fit; and how many hits it came to.

    Parameters
    ----------
    frame
        What is fixed.
    seed
        Whole number; the same one gives the same result.
    number
        Which candidate, counted from 0; what it is for goes by it.

    Returns
    -------
    tuple[Draft | None, int]
        The draft or None, and how many hits it came to.
    """
    rng = np.random.default_rng([seed, number])
    metre, locked = frame.scene.metre, frame.scene.pattern.locked_places
    name = role_of(number, frame.taste, rng)
    free = frame.settings.density is None and frame.settings.offbeat is None
    role = ROLES[name] if free else ASKED
    drawn = _drawn(frame, role, rng)
    laid = ground(drawn.ending, frame.begin, frame.end, drawn.subdivision, metre, rng)
    free_slots = ~np.isin(laid.slots % metre.bar_ticks, list(locked)) & (laid.slots >= drawn.start)
    laid = replace(laid, slots=laid.slots[free_slots])
    last = laid.last
    if last is not None and (last < frame.begin or last % metre.bar_ticks in locked):
        return None, 0
    wanted, least, most = _target(frame, role, len(drawn.staying), rng)
    if free:  # what a short window, or one that ends in silence, has room for
        room = len(drawn.staying) + int((1 + MOST_DOUBLED) * len(laid.slots)) + 2
        wanted, least = min(wanted, room), min(least, max(2, round(LEAST_OF_ROOM * room)))
    new = wanted - len(drawn.staying)
    closing = _closing(frame, drawn.ending, rng)
    chord = closing[: max(1, min(len(closing), new - 1))] if last is not None else []
    room = (3 if drawn.path == "one" else 4) * len(laid.slots) + len(chord)
    if new < max(len(chord), 1) or (frame.settings.playable and new > room):
        return None, len(drawn.staying) + min(max(new, 0), room)
    answer = None
    if role.answers and free:
        answer = answering(frame.rhythm_before, frame.begin, frame.end, laid.slots, metre, rng)
        if answer is None:
            return None, 0
    places, way = _placed(frame, drawn, laid, new, chord, answer[0] if answer else None, rng)
    if free:
        places = one_line(places, [hit.tick for hit in drawn.staying], last)
    total = len(places) + len(drawn.staying)
    if not least <= total <= most or not places or (free and too_many_kicks(places, frame.free_voices)):
        return None, total
    if drawn.ending == "silence" and any(hit.tick >= laid.silent_from for hit in drawn.staying):
        return None, total
    hits = _articulated(frame, places, last, drawn.curve, rng)
    if last is not None and not lands(last, hits, drawn.staying):
        return None, total  # what could not be played was taken away, its landing with it
    crash = _crash(frame, [*hits, *drawn.staying]) if drawn.ending == "crash" else None
    if drawn.ending == "crash" and crash is None:
        return None, total
    words = describe_fill(
        drawn.subdivision, way, drawn.curve, frame.settings.loudness, drawn.ending,
        drawn.going_on or _keeps(frame.settings, drawn.staying), last, metre, crash.voice if crash else "",
        [hit.tick for hit in hits],
    )  # fmt: skip
    words = f"{answer[1]}, {words}" if answer else words
    if drawn.start > frame.begin:
        words = f"begins on {drawn.start % metre.bar_ticks // metre.pulse_ticks + 1}, {words}"
    told = name if free else ""
    kinds = {"role": told, "moves": drawn.subdivision, "ending": drawn.ending, "path": drawn.path, "curve": drawn.curve}
    kinds["goes_on"] = "yes" if drawn.going_on else "no"
    traits = tuple(f"{kind}={value}" for kind, value in kinds.items() if value)
    return Draft(tuple(sorted([*hits, *drawn.staying], key=in_order)), crash, words, told, traits), total


def _placed(
    frame: Frame,
    drawn: _Drawn,
    laid: Ground,
    new: int,
    chord: list[str],
    answer: list[int] | None,
    rng: np.random.Generator,
) -> tuple[list[tuple[str, int]], str]:
    """Voices and ticks of `new` hits, the ending's chord among them, and the way of the line in words.

    Nothing when they find no room. answer: the slots of the line, where they are known.
    """
    settings, metre = frame.settings, frame.scene.metre
    ramp = settings.density or (1.0, 1.25)
    unasked = settings.density is None and settings.offbeat is None
    per_slot = shares(new - len(chord), laid.slots, frame.begin, frame.end, ramp)
    line, extra = choose_slots(
        laid, per_slot, float(rng.choice(FREE_SHARES if unasked else LINE_SHARES)), settings.offbeat, metre, rng
    )
    if answer is not None:
        line = thickened(answer, laid.slots.tolist(), round(HANDS_ANSWER * (new - len(chord))))
        extra = spread(max(0, new - len(chord) - len(line)), laid, metre)
    taken: dict[int, list[str]] = {}
    for hit in drawn.staying:
        taken.setdefault(hit.tick, []).append(hit.voice)
    limbs = Limbs(taken, frame.scene.tempo_bpm, settings.playable)
    limbs.most_kicks = KICKS_IN_A_ROW if unasked else None
    limbs.kicks_near = frozenset(hit.tick for hit in frame.around if hit.voice == "kick")
    for voice in chord:
        if laid.last is not None and voice not in limbs.taken.get(laid.last, []):
            limbs.put(laid.last, voice)
    voices = tuple(voice for voice in frame.free_voices if voice != drawn.going_on)
    drums = ladder(tuple(voice for voice in voices if voice not in FEET) or voices)
    way = walk(drawn.path, line, drums, "kick" in voices, metre, rng) if line else None
    if way is None and (new > len(chord) or settings.density is None):
        return [], ""
    # One voice alone is helped by feet only; any other line by whatever is free.
    alone = drawn.path == "one"
    helping = tuple(voice for voice in voices if voice in FEET) if alone else voices
    for tick, voice in zip(line, way.voices if way else [], strict=True):
        found = voice if limbs.free(tick, voice) else None
        if found is None and not alone:
            others = [voice for voice in voices if voice in drums or voice == "kick"] if unasked else voices
            found = next((one for one in others if limbs.free(tick, one)), None)
        if found:
            limbs.put(tick, found)
        else:
            beat = tick // metre.pulse_ticks
            extra[beat] = extra.get(beat, 0) + 1
    slots = laid.slots.tolist()
    spare = slots if settings.offbeat is None else line
    if unasked and "kick" in helping:  # hands play one line; the kick answers in its gaps
        limbs.most_doubled = MOST_DOUBLED
        lost = add_limbs(limbs, spare, extra, ("kick",), metre, settings.offbeat, rng)
        helping = tuple(voice for voice in helping if voice in drums or voice == "kick")
    else:
        lost = add_limbs(limbs, spare, extra, helping, metre, settings.offbeat, rng)
    for beat in sorted({tick // metre.pulse_ticks for tick in spare}, reverse=True) if lost else ():
        lost = add_limbs(limbs, slots, {beat: lost}, helping, metre, None, rng)
    there = {(hit.voice, hit.tick) for hit in drawn.staying}
    filled = [(voice, tick) for tick, here in sorted(limbs.taken.items()) for voice in here]
    places = [place for place in filled if place not in there]
    if settings.playable:
        mending = (*helping, *dict.fromkeys(way.voices)) if alone and way else helping
        places = _playable(frame, drawn.staying, places, laid.last, limbs, mending, slots)
    return places, way.words if way else ""


def _native(scene: IdeaContext, rng: np.random.Generator) -> str:
    """A subdivision that suits the beat: its own mostly, and what goes with it."""
    if scene.in_triplets:
        return "triplet"
    if scene.metre.compound:
        return pick(rng, {"16": 0.7, "8": 0.15, "32": 0.15})
    fast = ms_per_tick(scene.tempo_bpm) * 120 * 2 > 100  # 32nds that two hands can alternate
    if scene.swung:
        return pick(rng, {"16": 0.74, "triplet": 0.18, "8": 0.08})
    if fast:
        return pick(rng, {"16": 0.5, "32": 0.22, "mixed": 0.1, "triplet": 0.1, "8": 0.08})
    return pick(rng, {"16": 0.6, "triplet": 0.14, "8": 0.16, "mixed": 0.1})


def _closing(frame: Frame, ending: str, rng: np.random.Generator) -> list[str]:
    """Voices of the ending's hit, the first ones first when there is room for few."""
    free = frame.free_voices
    drums = ladder(free)
    options = [["snare", "kick"], ["kick", "crash"], ["tom_low", "kick"], ["snare", "tom_low", "kick"], ["snare"]]
    if ending == "pickup":
        options = [["snare"], ["snare", "kick"], ["tom_low"], ["kick"]]
    chosen = options[int(rng.integers(len(options)))]
    closing = [voice for voice in chosen if voice in free]
    return closing or drums[:1]


def _playable(
    frame: Frame,
    staying: tuple[Hit, ...],
    places: list[tuple[str, int]],
    last: int | None,
    limbs: Limbs,
    voices: tuple[str, ...],
    slots: list[int],
) -> list[tuple[str, int]]:
    """The places without those nobody can play, others found for them where there are any."""
    mine = set(places)
    barred: set[tuple[str, int]] = set()
    for _ in range(REPAIRS):
        hits = sorted([*frame.around, *staying, *(Hit(voice, tick, 96) for voice, tick in mine)], key=in_order)
        wrong = [hits[fault.index] for fault in faults_of_hits(hits, frame.scene.tempo_bpm)]
        bad = {(hit.voice, hit.tick) for hit in wrong} & mine
        inside = [hit for hit in wrong if frame.begin <= hit.tick < frame.end]
        after = sum(hit.tick >= frame.end for hit in wrong)
        if not inside and after <= frame.faults_after:
            return sorted(mine, key=lambda place: (place[1], place[0]))
        if not bad:  # something that stays is in the way: the new hit nearest to it goes
            where = (inside or [hit for hit in wrong if hit.tick >= frame.end])[0].tick
            loose = [place for place in mine if place[1] != last] or list(mine)
            if not loose:
                return []
            bad = {min(loose, key=lambda place: (abs(place[1] - where), place[0]))}
        for voice, tick in bad:
            mine.discard((voice, tick))
            barred.add((voice, tick))
            limbs.taken[tick] = [one for one in limbs.taken[tick] if one != voice]
        for _, tick in sorted(bad, key=lambda place: (place[1], place[0])):
            found = next(
                (
                    (voice, slot)
                    for slot in sorted(slots, key=lambda slot: (abs(slot - tick), slot))
                    for voice in voices
                    if (voice, slot) not in barred and slot != last and limbs.free(slot, voice)
                    and (voice in FEET or voice in ladder(voices))
                ),
                None,
            )  # fmt: skip
            if found:
                mine.add(found)
                limbs.put(found[1], found[0])
    return []


def _articulated(
    frame: Frame, places: list[tuple[str, int]], last: int | None, curve: str, rng: np.random.Generator
) -> list[Hit]:
    """The hits with their velocities: along the loudness asked for, or a curve; the ending the strongest."""
    ticks = sorted({tick for _, tick in places if tick != last})
    asked = frame.settings.loudness
    if asked is not None:
        ends = frame.end if last is None else last
        rising = asked[1] >= asked[0]
        top = asked[1] - 1 if rising else asked[1]
        u = (np.array(ticks) - frame.begin) / max(ends - frame.begin, 1)
        curve_of = dict(zip(ticks, np.rint(asked[0] + (top - asked[0]) * u).tolist(), strict=True))
        final = asked[1]
    else:
        doubled = [tick for tick in ticks if sum(at == tick for _, at in places) > 1]
        line = velocities(curve, ticks, frame.scene.metre, rng, doubled) + frame.softer
        curve_of = dict(zip(ticks, line.tolist(), strict=True))
        loudest = max([*(hit.velocity for hit in frame.staying), *map(round, curve_of.values())], default=0)
        final = min(127, max(ENDING_VELOCITY + frame.softer + int(rng.integers(0, 5)), loudest + 1))
    hits: list[Hit] = []
    first: dict[int, str] = {}
    for voice, tick in places:
        if tick == last:
            hits.append(Hit(voice, tick, max(1, final)))
            continue
        value = curve_of[tick]
        if asked is None:
            value = min(value - (5 if tick in first else 0), LOUDEST_BEFORE)
        first.setdefault(tick, voice)
        hits.append(Hit(voice, tick, min(127, max(1, round(value)))))
    return [hit for hit in hits if is_free(frame.scene.pattern, hit)]


def _crash(frame: Frame, hits: list[Hit]) -> Hit | None:
    """The crash on the next one, on what comes nearest to one; None when it is locked away."""
    pattern = frame.scene.pattern
    voices = frame.free_voices
    voice = next((one for one in CRASHES if one in voices), None) or ladder(voices)[0]
    asked = frame.settings.loudness
    least = ENDING_VELOCITY + frame.softer
    velocity = asked[1] if asked is not None else min(127, max(least, *(hit.velocity + 1 for hit in hits)))
    new = Hit(voice, frame.next_one, velocity)
    return new if is_free(pattern, new) else None


def _keeps(settings: FillSettings, staying: tuple[Hit, ...]) -> str:
    there = {hit.voice for hit in staying}
    return next((voice for voice in settings.keep or () if voice in there), "")
