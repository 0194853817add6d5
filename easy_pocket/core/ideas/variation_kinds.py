"""The single changes a variation is made of: for each kind everything that could be done to a pattern."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from easy_pocket.core.ideas.beat_answers import answers
from easy_pocket.core.ideas.change import Change, added, is_free, removed, voice_change, where
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.placement import AGAINST, EIGHTH
from easy_pocket.core.ideas.varied_span import Span
from easy_pocket.core.pattern.articulation import changed
from easy_pocket.core.pattern.backbeat import BACKBEATS, LOUD, backbeat, backbeat_voice
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import voice_name

GHOST, SOFTER_GHOST, PLAIN_HIT, ACCENT, PEDAL = 36, 28, 92, 112, 70
ACCENT_STEP = 14  # of velocity, between the beats of what keeps time and its off-beats
BEFORE_BEAT = 3.0  # odds of a hat that opens an 8th before a beat and is closed on it
HATS = ("hat_closed", "ride", "shaker", "tambourine")
# What a single hit can sound on instead, nearest first.
OTHERS = {
    "snare": ("rim", "clap", "tom_high"), "kick": ("tom_low",), "hat_closed": ("ride", "hat_pedal", "shaker"),
    "clap": ("snare", "rim"), "rim": ("snare", "wood"), "shaker": ("tambourine", "hat_closed"),
    "tambourine": ("shaker", "clap"), "ride": ("bell", "hat_closed"), "tom_high": ("tom_mid",),
    "tom_mid": ("tom_low", "tom_high"), "tom_low": ("tom_mid",), "conga_high": ("conga_low",),
    "conga_low": ("conga_high",),
}  # fmt: skip


def ghosts(span: Span) -> list[Change]:
    """Soft strokes of the snare, or what stands for it, on weak places that are free."""
    voice = span.scene.first("snare", "rim", "conga_high", "clap")
    if voice is None:
        return []
    found, place = [], span.placement
    for tick in span.empty(voice):
        odds = place.ghost_odds(tick) if span.weight(tick) <= -3 else 0.0
        if odds:
            velocity = GHOST if odds > 1 else SOFTER_GHOST
            found.append(span.likely(added(Hit(voice, tick, velocity), span.pattern, "ghost", "ghost on"), odds))
    return found


def kicks(span: Span) -> list[Change]:
    """Kicks more or fewer, none of them beside the backbeat."""
    voice = span.scene.first("kick", "tom_low", "conga_low")
    if voice is None:
        return []
    place, metre = span.placement, span.scene.metre
    snares = {hit.tick for hit in span.pattern.hits if hit.voice in BACKBEATS and hit.velocity >= LOUD}
    found = []
    for tick in span.empty(voice):
        odds = place.kick_odds(tick)
        if not odds or span.weight(tick) >= 0 or (tick in snares and not place.four_to_the_bar):
            continue
        one, echo = added(Hit(voice, tick, PLAIN_HIT), span.pattern, "kick", "one more"), place.echoed(tick)
        if echo is not None:  # the beat's own rhythm, at another place
            one = replace(one, words=f"{one.words}, answering {place_name(echo, metre)}")
        found.append(span.likely(one, odds))
    fewer = [hit for hit in span.of(voice) if span.weight(hit.tick) < 0]
    return found + [
        span.likely(removed(hit, span.pattern, "kick"), 1.0 if span.weight(hit.tick) <= -3 else 0.4) for hit in fewer
    ]


def extra_backbeats(span: Span) -> list[Change]:
    """Another loud snare beside the backbeat: a slot or two before or after it, or on a weak place."""
    voice = backbeat_voice(span.pattern) or span.scene.first("snare", "clap", "rim")
    if voice is None:
        return []
    free = set(span.empty(voice))
    near = {hit.tick + shift * span.step for hit in backbeat(span.pattern) for shift in (-2, 2, 3)} & free
    return [added(Hit(voice, tick, PLAIN_HIT), span.pattern, "backbeat", "extra") for tick in sorted(near)]


def opened(span: Span) -> list[Change]:
    """Closed hats that open, where there is room."""
    if "hat_open" not in span.scene.voices:
        return []
    metre, free, pedal = span.scene.metre, set(span.empty("hat_open")), set(span.empty("hat_pedal"))
    closing = {hit.tick for hit in span.pattern.hits if hit.voice in ("hat_closed", "hat_pedal")}
    found = []
    for hit in span.of("hat_closed"):
        beat = (hit.tick // metre.pulse_ticks + 1) * metre.pulse_ticks
        if hit.tick not in free or span.weight(hit.tick) >= -1:
            continue
        come, words = [replace(hit, voice="hat_open")], f"hat opened at {place_name(hit.tick, metre)}"
        if not any(hit.tick < at <= beat for at in closing) and beat % span.pattern.length_ticks not in closing:
            if beat not in pedal or "hat_pedal" not in span.scene.voices:
                continue  # nothing would close it
            come.append(Hit("hat_pedal", beat, PEDAL))
            words = f"{words}, closed by the foot at {place_name(beat, metre)}"
        at_once = beat - hit.tick <= EIGHTH and not any(hit.tick < at < beat for at in closing)
        found.append(span.likely(Change("hat_open", (hit,), tuple(come), words), BEFORE_BEAT if at_once else 1.0))
    return found


def moved(span: Span) -> list[Change]:
    """Hits moved to a free place beside theirs; the backbeat stays."""
    held = {(hit.voice, hit.tick) for hit in backbeat(span.pattern)}
    found = []
    for voice in dict.fromkeys(hit.voice for hit in span.hits):
        free = set(span.empty(voice))
        for hit in span.of(voice):
            if (voice, hit.tick) in held or span.weight(hit.tick) == 0:
                continue
            for shift, word in ((-span.step, "earlier"), (span.step, "later")):
                if hit.tick + shift in free:
                    to = replace(hit, tick=hit.tick + shift)
                    words = f"{where(hit, span.pattern)} a slot {word}"
                    found.append(Change("move", (hit,), (to,), words))
    return found


def other_sounds(span: Span) -> list[Change]:
    """Hits given to a voice that is like theirs."""
    found = []
    for hit in span.hits:
        for other in OTHERS.get(hit.voice, ()):
            new = replace(hit, voice=other)
            if other in span.scene.voices and span.pattern.at(other, hit.tick) is None and is_free(span.pattern, new):
                one = replace(voice_change(hit, new, span.pattern), kind="sound")
                found.append(one if span.placement.keeps_backbeat(one) else span.likely(one, 0.0))
                break
    return found


def accents(span: Span) -> list[Change]:
    """A loud hit of what keeps time played softly, or a soft one loudly."""
    found = []
    pulse = span.scene.metre.pulse_ticks
    for hit in span.of(*HATS, "kick"):
        if hit.voice == "kick" and span.weight(hit.tick) >= -1:
            continue  # the kick that carries the bar stays strong
        usual = [other.velocity for other in span.of(hit.voice) if (other.tick % pulse == 0) != (hit.tick % pulse == 0)]
        middle = float(np.median(usual)) if usual else float(hit.velocity)
        # On the beat stronger than off it, by 8 to 20 steps; what is so already may be turned, but seldom.
        step = ACCENT_STEP if hit.tick % pulse == 0 else -ACCENT_STEP
        as_usual = (hit.velocity - middle) * step >= ACCENT_STEP * 8
        level = round(min(ACCENT, max(1, middle - step if as_usual else middle + step)))
        if hit.voice == "kick":
            level, as_usual = (58 if hit.velocity >= 84 else ACCENT), False
        if abs(level - hit.velocity) < 8:
            continue
        word = "softer" if level < hit.velocity else "accented"
        to = replace(hit, velocity=level)
        one = Change("accent", (hit,), (to,), f"{where(hit, span.pattern)} {word}, {hit.velocity} to {level}")
        found.append(span.likely(one, AGAINST if as_usual else 1.0))
    return found


def last_beat_break(span: Span) -> list[Change]:
    """All but one voice silent on the last beat of a bar."""
    metre, found = span.scene.metre, []
    for bar_end in range(span.begin + metre.bar_ticks, span.end + 1, metre.bar_ticks):
        begin = bar_end - metre.pulse_ticks
        inside = [hit for hit in span.hits if begin < hit.tick < bar_end]
        if len(inside) >= 2:
            words = f"break after {place_name(begin, metre)}: {len(inside)} hits out"
            found.append(Change("break", tuple(inside), (), words))
    return found


def pickups(span: Span) -> list[Change]:
    """Two or three hits that lead into the next bar."""
    metre, found = span.scene.metre, []
    drums = [voice for voice in ("snare", "tom_high", "tom_mid", "tom_low", "conga_high") if voice in span.scene.voices]
    for bar_end in range(span.begin + metre.bar_ticks, span.end + 1, metre.bar_ticks):
        for voice in drums:
            for count in (2, 3):
                ticks = [bar_end - number * span.step for number in range(count, 0, -1)]
                if min(ticks) < span.begin or not set(ticks) <= set(span.empty(voice)):
                    continue
                come = tuple(Hit(voice, tick, 66 + 14 * number) for number, tick in enumerate(ticks))
                words = f"pick-up of {count} on {voice_name(voice)} from {place_name(ticks[0], metre)}"
                found.append(Change("pickup", (), come, words))
    return found


def reversed_lead_ins(span: Span) -> list[Change]:
    """A cymbal backwards, swelling until the next bar begins."""
    metre, found = span.scene.metre, []
    voice = span.scene.first("crash", "sweep", "ride", "hat_open")
    if voice is None:
        return []
    length = metre.pulse_ticks
    for bar_end in range(span.begin + metre.bar_ticks, span.end + 1, metre.bar_ticks):
        tick = bar_end - length
        if tick in span.empty(voice):
            hit = Hit(voice, tick, 100)
            hit = replace(hit, articulation=changed(hit.articulation, backwards=True, length_ticks=length))
            words = f"{voice_name(voice)} backwards from {place_name(tick, metre)} into the next bar"
            found.append(Change("lead_in", (), (hit,), words))
    return found


KINDS: dict[str, tuple[str, Callable[[Span], list[Change]]]] = {
    "ghost": ("ghost notes", ghosts),
    "kick": ("kicks more or fewer", kicks),
    "backbeat": ("an extra backbeat", extra_backbeats),
    "answer": ("the beat's rhythm answered", answers),
    "hat_open": ("hats opened", opened),
    "move": ("a hit moved by a slot", moved),
    "sound": ("a hit on another sound", other_sounds),
    "accent": ("accents turned", accents),
    "break": ("break on the last beat", last_beat_break),
    "pickup": ("pick-up", pickups),
    "lead_in": ("a cymbal backwards into the next bar", reversed_lead_ins),
}


def all_of(span: Span, kind: str) -> list[Change]:
    """Every change of a kind that could be made in a span; found once."""
    if kind not in span.catalogue:
        span.catalogue[kind] = KINDS[kind][1](span)
    return span.catalogue[kind]


SINGLE = ("ghost", "kick", "backbeat", "hat_open", "move", "sound", "accent")  # kinds that are a hit each


def step_of(scene: IdeaContext) -> int:
    """The grid a pattern lives on: 8th triplets, else 16ths."""
    return (160 if scene.metre.compound else 320) if scene.in_triplets and not scene.metre.compound else 240


def possible(span: Span, kinds: tuple[str, ...], rng: np.random.Generator) -> list[Change]:
    """List everything that could be done.

    Each kind in an order of chance and the kinds by turns, so that the first ones are of many kinds.

    Parameters
    ----------
    span
        The bars that are varied.
    kinds
        Kinds of change that are allowed.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    list[Change]
        Changes, the kinds by turns.
    """
    shuffled = [_by_odds(span, all_of(span, kind), rng, asked=len(kinds) == 1) for kind in kinds]
    order = rng.permutation(len(shuffled)).tolist()
    found = []
    for turn in range(max(map(len, shuffled), default=0)):
        found += [shuffled[place][turn] for place in order if turn < len(shuffled[place])]
    return found


def _by_odds(span: Span, changes: list[Change], rng: np.random.Generator, *, asked: bool) -> list[Change]:
    """In an order of chance in which the likely ones mostly come first (Efraimidis and Spirakis 2006).

    asked: whether no other kind may come; what is never done unasked is done then.
    """
    odds = np.array([span.odds.get((change.kind, change.words), 1.0) for change in changes])
    odds = np.maximum(odds, 1e-3) if asked else odds
    order = np.argsort(rng.exponential(size=len(changes)) / np.maximum(odds, 1e-9), kind="stable")
    return [changes[place] for place in order.tolist() if odds[place] > 0]
