"""Ideas: how long six take, how far apart they are, and whether thousands of them are as asked."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page, sync_playwright
from scipy.stats import spearmanr

from bench.clock import median_ms
from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.distance import density, distance, distances, within
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_settings import SUBDIVISIONS, FillSettings
from easy_pocket.core.ideas.fill_voices import WAYS
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.grow import GrowSettings, grow
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.metrical import syncopation
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.demo.load import lamplighter_hits
from tests.browser.gestures import until
from tests.core.idea_scenes import BEATS, KIT, limbs_can, scene
from tests.running import CHROMIUM, FLAGS, running_app

SEEDS = 60
MOST_STROKES = 6  # a beat; one fill of six may have more


def run() -> None:
    lamplighter = IdeaContext(Pattern(7680, lamplighter_hits()), KIT, 104.0, 57.0)
    begin, end = window(lamplighter)
    seed = iter(range(10_000))
    took = median_ms(lambda: fills(lamplighter, FillSettings(), next(seed), begin, end), 15)
    print(f"six fills after Lamplighter: {took:.0f} ms (wanted: 100)")
    took = median_ms(lambda: variations(lamplighter, VariationSettings(), next(seed), 0, 7680), 9)
    print(f"six variations: {took:.0f} ms")
    took = median_ms(lambda: grow(lamplighter, GrowSettings(8, 2, True, 2), next(seed)), 9)
    print(f"grown to 8 bars with a fill: {took:.0f} ms")
    _diversity(lamplighter)
    _as_asked()
    _offbeat()
    _varied()
    _clicked()


def _diversity(lamplighter: IdeaContext) -> None:
    means, least, strokes, doubled, struck, dense, batches = [], [], [], 0, 0, 0, 0
    for here in (lamplighter, *(scene(name) for name in BEATS)):
        begin, end = window(here)
        for seed in range(SEEDS):
            patterns = [idea.pattern() for idea in fills(here, FillSettings(), seed, begin, end).ideas]
            table = distances([[*within(p, begin, end), *within(p, 0, 1)] for p in patterns])
            apart = table[np.triu_indices(len(patterns), 1)]
            means.append(apart.mean())
            least.append(apart.min())
            each = [density(pattern, begin, end) for pattern in patterns]
            strokes += each
            batches, dense = batches + 1, dense + (sum(one > MOST_STROKES for one in each) > 1)
            for pattern in patterns:
                _, counts = np.unique([hit.tick for hit in within(pattern, begin, end)], return_counts=True)
                struck, doubled = struck + len(counts), doubled + int((counts > 1).sum())
    print(f"{len(strokes)} fills, no setting touched, {1 + len(BEATS)} beats: mean distance within a batch "
          f"{np.mean(means):.2f}, least {np.min(means):.2f} (wanted: 0.35), least pair {np.min(least):.2f} (0.15); "
          f"strokes a beat {np.median(strokes):.2f} (3-5), slots struck twice {100 * doubled / struck:.0f} % (30), "
          f"batches with more than one fill over {MOST_STROKES} a beat: {dense} of {batches}")  # fmt: skip


def _as_asked() -> None:
    """Settings drawn by chance: what comes is measured, what is refused is counted."""
    rng = np.random.default_rng(7)
    made = refused = faults = off = 0
    for _ in range(1500):
        here = scene(str(rng.choice(tuple(BEATS))), float(rng.uniform(60, 180)))
        beats = int(rng.integers(1, 4))
        begin, end = window(here, beats)
        wanted = FillSettings(
            density=(float(rng.uniform(1, 6)), float(rng.uniform(1, 6))) if rng.random() < 0.5 else None,
            offbeat=float(rng.random()) if rng.random() < 0.3 else None,
            subdivision=str(rng.choice(tuple(SUBDIVISIONS))) if rng.random() < 0.4 else None,
            path=str(rng.choice(tuple(WAYS))) if rng.random() < 0.4 else None,
            ending=str(rng.choice(tuple(ENDINGS))) if rng.random() < 0.5 else None,
        )
        try:
            ideas = fills(here, wanted, int(rng.integers(10_000)), begin, end, count=2).ideas
        except EditRefusedError:
            refused += 1
            continue
        for idea in ideas:
            made += 1
            after = idea.pattern()
            faults += not limbs_can(list(after.hits), here.tempo_bpm, begin, end)
            if wanted.density:
                exact = sum(wanted.density) / 2 * beats
                off += abs(len(within(after, begin, end)) - exact) > max(0.1 * exact, 0.5)
    print(f"settings by chance: {made} fills, {refused} of 1500 refused in words; {faults} that two hands and two feet "
          f"cannot play, {off} off the density asked for by more than 10 %")  # fmt: skip


def _offbeat() -> None:
    for name in ("straight", "waltz", "six"):
        here = scene(name)
        begin, end = window(here, 2)
        shares, found = np.linspace(0, 1, 11), []
        for share in shares:
            ideas = [i for s in range(8) for i in fills(here, FillSettings(offbeat=float(share)), s, begin, end).ideas]
            found.append(np.mean([syncopation(idea.pattern(), begin, end) for idea in ideas]))
        rank = spearmanr(shares, found).statistic
        print(
            f"{name}: syncopation {found[0]:.1f} to {found[-1]:.1f} a beat, rank correlation {rank:.2f} (wanted: 0.9)"
        )


def _varied() -> None:
    off, count = [], 0
    for name in BEATS:
        here = scene(name)
        for far in (0.1, 0.2, 0.3, 0.4):
            for seed in range(6):
                ideas = variations(here, VariationSettings(distance=far), seed, 0, here.pattern.length_ticks).ideas
                off += [abs(distance(here.pattern, idea.pattern()) - far) for idea in ideas]
                count += len(ideas)
    print(f"{count} variations at 0.1 to 0.4: off by {np.max(off):.3f} at most (wanted: 0.05)")
    kept, bars = 0, 0
    for name in BEATS:
        here = scene(name)
        held = backbeat(here.pattern)
        for seed in range(6):
            after = grow(here, GrowSettings(8, 2, True, 0, plan="every"), seed).idea.pattern()
            copies = [(hit.voice, hit.tick + n * here.pattern.length_ticks) for n in range(4) for hit in held]
            kept += sum(place in after.by_place for place in copies)
            bars += len(copies)
    print(f"backbeat kept in grown bars: {100 * kept / bars:.0f} % (wanted: 80)")


def _clicked() -> None:
    """From the click on Six more to the cards on the screen, after a first one."""
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        page.click('[data-screen-link="ideas"]')
        until(page, "window.easyPocket?.screens.ideas?.cards.length")
        took = sorted(_click(page) for _ in range(12))
        print(f"Six more, from click to drawn: median {took[6]:.0f} ms, worst {took[-1]:.0f} ms (wanted: 300)")
        browser.close()


def _click(page: Page) -> float:
    took: float = page.evaluate(
        """async () => {
            const before = easyPocket.screens.ideas.cards[0].idea.key;
            const start = performance.now();
            document.getElementById("idea-more").click();
            while (easyPocket.screens.ideas.cards[0]?.idea.key === before) await new Promise((go) => setTimeout(go, 1));
            await new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)));
            return performance.now() - start;
        }"""
    )
    return took
