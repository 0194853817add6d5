"""Answers to what a page asks of ideas: the ideas themselves, and their cards."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypedDict

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.ideas.borrow import borrow
from easy_pocket.core.ideas.build_up import build_up, stages
from easy_pocket.core.ideas.change import Idea, with_changes
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.grow import grow
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.imported_fill import bring_fill
from easy_pocket.core.ideas.mix import mix
from easy_pocket.core.ideas.rolls import rolls
from easy_pocket.core.ideas.taste import NO_TASTE, Taste
from easy_pocket.core.ideas.variation_kinds import step_of
from easy_pocket.core.ideas.variations import variations
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.store.database import Reader, Reads
from easy_pocket.store.history.idea_choices import LEARNED_FROM, taste_of
from easy_pocket.store.ideas.log import idea_context_of
from easy_pocket.store.loops.loops import get_loop
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.loop_uses import loop_beat
from easy_pocket.store.songs.phrases import lines
from easy_pocket.store.songs.shelf import shelf
from easy_pocket.store.songs.snapshots import snapshot_pattern, snapshots
from easy_pocket.web.screens.ideas.cards import Card, fill_cards, grown_cards, idea_doc, span_cards, stage_cards
from easy_pocket.web.screens.ideas.requests import (
    Ask,
    BorrowAsk,
    BringAsk,
    BuildAsk,
    FillAsk,
    GrowAsk,
    MixAsk,
    RollAsk,
    VariationAsk,
)
from easy_pocket.web.screens.ideas.shapes import IdeasAnswer
from easy_pocket.web.shared.render import render

AT_ONCE = 6


def answer(reader: Reader, song: LoadedSong, asked: Ask) -> IdeasAnswer:
    """Raises EditRefusedError or BadValueError when no idea fits, with the reason."""
    scene = idea_context_of(song)
    step = step_of(scene)
    match asked:
        case FillAsk():
            begin, end = window(scene, asked.beats, asked.end_tick)
            made = fills(scene, asked.to_core(), asked.seed, begin, end, **_again(reader, song, asked))
            told = _told(song, made.ideas, fill_cards(made.ideas, begin, end, step), begin, end, made.words)
            return {**told, "learned": learned_words(reader, song.id, "fill")}
        case VariationAsk():
            begin, end = _bars(scene, asked.from_bar, asked.bars)
            varied = variations(scene, asked.to_core(), asked.seed, begin, end, **_again(reader, song, asked))
            told = _told(song, varied.ideas, span_cards(varied.ideas, begin, end, step), begin, end, varied.words)
            return {**told, "learned": learned_words(reader, song.id, "variation")}
        case GrowAsk():
            done = grow(scene, asked.to_core(), asked.seed, asked.again)
            return _told(song, [done.idea], grown_cards(done, step), 0, done.idea.length_ticks)
        case RollAsk():
            rolled = rolls(scene, asked.to_core(), AT_ONCE, asked.batch)
            cards = fill_cards(rolled.ideas, asked.begin, asked.end, step)
            return _told(song, rolled.ideas, cards, asked.begin, asked.end, rolled.words)
        case BuildAsk():
            return _built(song, scene, asked, step)
        case BorrowAsk():
            ideas, words = _borrowed(reader, song, scene, asked)
            length = song.pattern.length_ticks
            return _told(song, ideas, span_cards(ideas, 0, length, step), 0, length, words)
        case MixAsk():
            begin, end = window(scene, asked.beats, asked.end_tick)
            one, other = (
                with_changes(song.pattern, [change.to_core() for change in changes])
                for changes in (asked.one, asked.other)
            )
            mixed = mix(scene, one, other, asked.way, begin, end)
            return _told(song, [mixed], fill_cards([mixed], begin, end, step), begin, end)
        case BringAsk():
            begin, end = window(scene, asked.beats, asked.end_tick)
            row = get_loop(reader, song.id, asked.loop_id)
            source = loop_beat(reader, row).pattern
            metre = source.metre
            from_tick = None
            if asked.from_bar is not None:
                from_tick = (asked.from_bar - 1) * metre.bar_ticks + (asked.from_beat - 1) * metre.pulse_ticks
            return brought(song, source, begin, end, row.name, from_tick)


class _Again(TypedDict):
    batch: int
    seen: set[str]
    taste: Taste


def _again(reader: Reader, song: LoadedSong, asked: FillAsk | VariationAsk) -> _Again:
    """Which batch, what is not to come again, and what was learned of what is kept."""
    taste = taste_of(reader, song.id, asked.kind) if asked.learned else NO_TASTE
    return {"batch": asked.batch, "seen": set(asked.seen), "taste": taste}


def learned_words(reader: Reads, song_id: int, kind: str) -> str:
    return taste_of(reader, song_id, kind).words() if kind in LEARNED_FROM else ""


def brought(
    song: LoadedSong, source: Pattern, begin: int, end: int, name: str, from_tick: int | None = None
) -> IdeasAnswer:
    """A fill out of another pattern as an idea of its own."""
    scene = idea_context_of(song)
    idea = bring_fill(scene, source, begin, end, name, from_tick)
    return _told(song, [idea], fill_cards([idea], begin, end, step_of(scene)), begin, end)


def _told(
    song: LoadedSong,
    ideas: Sequence[Idea],
    cards: Sequence[Card],
    begin: int,
    end: int,
    words: str = "",
    named: Sequence[tuple[str, int]] = (),
) -> IdeasAnswer:
    return {
        "revision": song.revision,
        "ideas": [idea_doc(idea, begin, end, named) for idea in ideas],
        "cards": [render("ideas/_idea_card.html", card=card, number=number) for number, card in enumerate(cards)],
        "of": [card.of for card in cards],
        "words": words,
    }


def _bars(scene: IdeaContext, from_bar: int, bars: int | None) -> tuple[int, int]:
    bar, length = scene.metre.bar_ticks, scene.pattern.length_ticks
    begin = (from_bar - 1) * bar
    if begin >= length:
        raise BadValueError(f"There is no bar {from_bar}; the pattern has {scene.pattern.bars}. Begin at one of these.")
    return begin, length if bars is None else min(begin + bars * bar, length)


def _built(song: LoadedSong, scene: IdeaContext, asked: BuildAsk, step: int) -> IdeasAnswer:
    made = stages(scene.pattern, asked.stages, tuple(asked.order), asked.from_percent, asked.bars)
    idea = build_up(scene.pattern, made, asked.bars)
    bars = max(1, idea.length_ticks // len(made) // scene.metre.bar_ticks)
    named = [(stage.name.capitalize(), bars) for stage in made[:-1]]
    return _told(song, [idea], stage_cards(idea, made, step), 0, idea.length_ticks, named=named)


def _borrowed(reader: Reader, song: LoadedSong, scene: IdeaContext, asked: BorrowAsk) -> tuple[list[Idea], str]:
    """The line of a voice out of snapshots, other songs and the shelf, six at a time."""
    grid = song.part.step_ticks if asked.on_grid else 0
    if asked.song_id is not None:
        other = read_song(reader, asked.song_id)
        return [borrow(scene, other.pattern, asked.voice, asked.to_voice, other.name, grid)], ""
    sources = [(snapshot_pattern(song, row), f"snapshot {row.name}") for row in snapshots(reader, song)]
    sources += [(one.pattern, one.name) for one in shelf(reader) if one.id != song.id]
    sources += [(Pattern(line.length_ticks, line.hits, line.metre), line.name) for line in lines(reader)]
    fitting = [(source, name) for source, name in sources if any(hit.voice == asked.voice for hit in source.hits)]
    ideas = []
    for source, name in fitting[asked.batch * AT_ONCE :]:
        try:
            ideas.append(borrow(scene, source, asked.voice, asked.to_voice, name, grid))
        except EditRefusedError:
            continue  # this one is here already; the others may not be
        if len(ideas) == AT_ONCE:
            break
    if not ideas:
        raise EditRefusedError(
            "No other song and no line of the shelf has more lines of this voice to borrow: choose another voice."
        )
    return ideas, "" if len(ideas) == AT_ONCE else "There are no more lines of this voice."
