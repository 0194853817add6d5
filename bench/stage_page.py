"""The Stage in a real browser while it plays: from a control to its sound, gaps in the sound, frames of a drag."""

from __future__ import annotations

import multiprocessing
import urllib.request
from time import perf_counter

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.drawn import FRAMES, tell_frames
from tests.browser.gestures import drawn, saved, until
from tests.running import CHROMIUM, FLAGS, running_app

CHANGES, GAP_S = 30, 60
FULL = ("tone", "drive", "compressor", "duck")
TONE_HZ = 44_100 * 3 / 256  # whole turns in what is looked at
# A tone goes into the chosen sound's chain; how loud it comes out is looked at every millisecond or so.
LISTEN = """([where, hz]) => {
  const { context, stage } = easyPocket.player;
  const tone = new OscillatorNode(context, { frequency: hz });
  const quiet = new GainNode(context, { gain: 0.05 });
  tone.connect(quiet).connect(stage.input(where));
  tone.start();
  window.took = [];
  const level = () => {
    const analyser = window.ear;
    const data = new Float32Array(256);
    analyser.getFloatTimeDomainData(data);
    return Math.sqrt(data.reduce((sum, x) => sum + x * x, 0) / data.length);
  };
  window.ear = new AnalyserNode(context, { fftSize: 256 });
  stage.chains.get(where).units[0].output.connect(window.ear);
  document.addEventListener('keydown', () => {
    const began = performance.now();
    const before = level();
    const look = () => {
      const gone = performance.now() - began;
      if (Math.abs(level() / before - 1) > 0.025 || gone > 1000) window.took.push(gone);
      else setTimeout(look, 2);
    };
    look();
  }, true);
}"""
# A tape of what comes out: a block that is late leaves a hole in the clock of the sound.
GAPS = """async (seconds) => {
  const { context } = easyPocket.player;
  const at = () => { const one = context.getOutputTimestamp(); return [one.contextTime, one.performanceTime]; };
  const [sound0, wall0] = at();
  await new Promise((go) => setTimeout(go, seconds * 1000));
  const [sound1, wall1] = at();
  return [(wall1 - wall0) / 1000 - (sound1 - sound0), context.playbackStats?.underrunEvents ?? null];
}"""


def run() -> None:
    with running_app() as (address, _), sync_playwright() as driver:
        _song_files(address)
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        drawn(page)
        page.locator('[data-screen-link="stage"]').click()
        until(page, "easyPocket.screen === 'stage'")
        _full_stage(page)
        _dragged(page)
        _heard(page)
        _gaps(page)
        browser.close()


def _song_files(address: str) -> None:
    with urllib.request.urlopen(address) as answer:
        shelf = answer.read().decode()
    number = shelf[: shelf.index(">Lamplighter<")].rsplit("/songs/", 1)[1].split("/")[0].split('"')[0]
    for what, name in (("the song as WAV", "song.wav"), ("its stems by part", "song.zip?by=part")):
        for time in ("first", "second"):
            began = perf_counter()
            with urllib.request.urlopen(f"{address}/songs/{number}/{name}") as answer:
                size = len(answer.read())
            print(f"Lamplighter, {what}, the {time} time: {perf_counter() - began:.1f} s ({size / 1e6:.0f} MB)")


def _edit(page: Page, **sent: object) -> None:
    page.evaluate("(sent) => easyPocket.edits.push(sent, { near: document.body })", sent)
    saved(page)


def _full_stage(page: Page) -> None:
    """A chain of four units on five places, both rooms, and the echo."""
    part = page.evaluate("easyPocket.song.at[0]")
    chain = [
        {"kind": kind, "settings": {"bell_1_hz": TONE_HZ, "bell_1_db": 3.0} if kind == "tone" else {}} for kind in FULL
    ]
    for where in (f"part:{part}:kick", f"part:{part}:snare", f"part:{part}:hat_closed", f"part:{part}", "whole"):
        _edit(page, kind="stage_chain", where=where, chain=chain)
    for voice in ("kick", "snare", "hat_closed"):
        for to in ("short", "long", "echo"):
            _edit(page, kind="stage_send", where=f"part:{part}:{voice}", to=to, percent=20)


def _dragged(page: Page) -> None:
    page.click("#play")
    until(page, "easyPocket.player.running")
    sound = page.locator('.sound[data-where$=":snare"]').bounding_box()
    assert sound
    x, y = sound["x"] + sound["width"] / 2, sound["y"] + sound["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(FRAMES)
    for number in range(90):
        page.mouse.move(x + 2 * number, y - 40 * abs(np.sin(number / 9)))
    tell_frames(page, "a sound drawn over the floor while a full Stage plays")
    page.mouse.up()
    saved(page)


def _heard(page: Page) -> None:
    where = page.evaluate("`part:${easyPocket.song.at[0]}:snare`")
    page.locator(f'.sound[data-where="{where}"]').click()
    page.wait_for_selector(f'[data-chain="{where}"] [data-unit]')
    page.locator('[data-mix="mute"]').click()
    saved(page)
    page.wait_for_timeout(1500)  # what rings rings out
    page.evaluate(LISTEN, [where, TONE_HZ])
    page.wait_for_timeout(300)
    for number in range(CHANGES):
        page.locator(".drag[data-field='bell_1_db'] input").first.focus()
        page.keyboard.press("ArrowUp" if number % 2 == 0 else "ArrowDown")
        until(page, f"window.took.length > {number}")
        saved(page)
        page.wait_for_timeout(150)
    p50, p95 = np.percentile(page.evaluate("window.took")[2:], [50, 95])
    print(f"a control of a chain, from key to sound while playing: p50 {p50:.0f} ms, p95 {p95:.0f} ms (wanted: 60)")


def busy() -> None:
    while True:
        sum(range(1000))


def _gaps(page: Page) -> None:
    other = multiprocessing.Process(target=busy, daemon=True)
    other.start()
    late_s, underruns = page.evaluate(GAPS, GAP_S)
    other.terminate()
    words = "" if underruns is None else f", {underruns} underruns"
    print(f"{GAP_S} s of a full Stage, one core busy: the sound is {1000 * late_s:.0f} ms behind the clock{words}")
