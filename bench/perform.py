"""How long a performance takes, reading the hits into columns included."""

from __future__ import annotations

from bench.clock import median_ms
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import DRUMS
from tests.drums import template


def run() -> None:
    feel = FeelScopes(
        Feel(swing_percent=58, template=template([float(i) for i in range(16)]), timing_pull=70, accent_pull=40),
        voices={"snare": Feel(push_ms=8)},
    )
    for bars, limit_ms in ((8, 6), (64, 60)):
        hits = tuple(Hit(voice, slot * 240, 90) for voice in list(DRUMS)[:12] for slot in range(bars * 16))

        def work(bars: int = bars, hits: tuple[Hit, ...] = hits) -> None:
            perform(Pattern(bars * 3840, hits), feel, tempo_bpm=104)

        pattern = Pattern(bars * 3840, hits)
        ready = median_ms(lambda pattern=pattern: perform(pattern, feel, tempo_bpm=104))
        both = f"{median_ms(work):.1f} ms with making and checking the pattern, {ready:.1f} ms alone"
        print(f"{bars:3} bars x 12 voices of 16ths, {len(hits)} hits: {both} (wanted: {limit_ms})")
