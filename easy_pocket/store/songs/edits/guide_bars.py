"""What of the guide lies under a section, as a loop: to compare the song's bars with, to sit in, to take its groove."""

from __future__ import annotations

from typing import Literal

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.listen.guide import bars_under
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.song.arrangement import Span
from easy_pocket.store.loops.loops import load_audio, stored
from easy_pocket.store.songs.edits.loops import AnalyzedFile, new_loop
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.guide import begins_s, guide_of

MOST_BARS = 64


class KeepGuideBars(Edit):
    """The guide under the section that is looked at: under its first turn where the guide has begun."""

    kind: Literal["guide_keep_bars"]


def _guide_bars(preparation: Preparation, sent: KeepGuideBars) -> AnalyzedFile:
    song = preparation.song
    guide = guide_of(song.row.guide)
    if guide is None:
        raise EditRefusedError("This song has no guide: bring one in first.")
    starts_s = begins_s(song.arrangement, guide)
    turns = [span for span in song.arrangement.spans if span.section.key == song.section.id]
    span = next((one for one in turns if one.start_ms / 1000 >= starts_s), turns[0])
    if span.bars > MOST_BARS:
        raise EditRefusedError(f"This section has {span.bars} bars; at most {MOST_BARS} can be a loop: choose another.")
    audio = load_audio(preparation.reader, guide.audio_hash, guide.name)
    cut, one_s = bars_under(audio, span.start_ms / 1000 - starts_s, span.length_ms / 1000, _words(span))
    known = Corrections(bars=span.bars, metre=span.metre, cut_s=one_s)
    return AnalyzedFile(cut.name, stored(cut), analyze_loop(cut, known, keep_unheard=True), known)


def _words(span: Span) -> str:
    last = span.first_bar + span.bars - 1
    return f"bars {span.first_bar}-{last}" if span.bars > 1 else f"bar {last}"


@edit(description="keep {name}", prepare=_guide_bars)
def keep_guide_bars(context: EditContext, sent: KeepGuideBars) -> Step:
    return new_loop(context, context.prepared)
