"""What a user takes from a loop: its hits on the Bench, doubtful ones mended by keys, the worst gap found and mended."""

import pytest
from playwright.sync_api import expect

from tests.browser.gestures import drawn, hit, saved, ticks, until


@pytest.fixture
def loop(page, song):
    page.goto(f"{song}/loops")
    until(page, "document.querySelectorAll('.onset').length > 10")
    return page


def show(page, part):
    page.click(f'[data-loop-show="{part}"]')


def test_the_hits_of_a_loop_are_sorted_heard_and_written_on_the_bench(loop):
    show(loop, "hits")
    expect(loop.locator(".group-line b").first).to_be_visible()
    names = loop.locator(".group-line b").all_inner_texts()
    assert {"kick", "snare", "hat"} <= set(names)
    loop.click(".group-hear >> text=kick")
    until(loop, "document.querySelectorAll('.onset.faded').length > 0")
    loop.get_by_label("Voice of snare").select_option("rim")
    until(loop, "easyPocket.loops.uses.groups.some((group) => group.voice === 'rim')")
    show(loop, "hits")
    loop.click('[data-beat-put="replace"]')
    saved(loop)
    expect(loop.locator("#beat-state")).to_contain_text("on the Bench")
    loop.click("nav >> text=Bench")
    drawn(loop)
    assert hit(loop, "rim", 960)["own"] != 0
    assert len(ticks(loop, "kick")) > 5
    assert 7680 > max(ticks(loop, "hat_closed")) > 7000
    loop.keyboard.press("Control+z")
    saved(loop)
    until(loop, "easyPocket.rails.find('snare', 960) !== null")


def test_doubtful_hits_are_stepped_through_kept_and_dropped_by_keys(loop):
    loop.locator("#sensitivity").fill("0.9")
    until(loop, "document.querySelectorAll('[data-doubt]').length > 1")
    count = loop.locator("[data-doubt]").count()
    loop.keyboard.press("n")
    expect(loop.locator("[data-doubt].now")).to_have_count(1)
    until(loop, "easyPocket.loops.heardSpans?.length === 1")
    loop.keyboard.press("k")
    expect(loop.locator("[data-doubt]")).to_have_count(count - 1)
    hits = loop.locator(".onset").count()
    loop.keyboard.press("n")
    loop.keyboard.press("Delete")
    expect(loop.locator(".onset")).to_have_count(hits - 1)


def test_the_worst_hit_against_the_loop_is_named_shown_and_mended(loop, song):
    loop.goto(f"{song}/bench")
    drawn(loop)
    loop.evaluate("easyPocket.edits.push({kind: 'offset', voice: 'snare', tick: 960, offset_ms: 31})")
    saved(loop)
    loop.click("nav >> text=Loops")
    until(loop, "document.querySelectorAll('.onset').length > 10")
    show(loop, "against")
    worst = loop.locator("#against-worst button").first
    expect(worst).to_contain_text("Snare 1.2")
    expect(loop.locator("#sit-words")).to_contain_text("the gap goes to 0.0 ms")
    loop.click("[data-sit-in]")
    saved(loop)
    expect(loop.locator("#against-words")).to_contain_text("0.0 ms apart")
    loop.keyboard.press("Control+z")
    saved(loop)
    expect(worst).to_contain_text("Snare 1.2")
    worst.click()
    until(
        loop,
        "easyPocket.screen === 'bench' && easyPocket.rails.cursor?.voice === 'snare' && easyPocket.rails.cursor.tick === 960",
    )


def test_slices_and_the_loop_at_another_tempo_are_downloaded(loop):
    show(loop, "take")
    with loop.expect_download() as download:
        loop.click("#slices-link")
    assert download.value.suggested_filename.endswith("slices.zip")
    loop.fill("#retime-tempo", "-5")
    loop.press("#retime-tempo", "Tab")
    expect(loop.locator("#note")).to_contain_text("from 20 to 400 bpm")
    loop.fill("#retime-tempo", "120")
    loop.press("#retime-tempo", "Tab")
    with loop.expect_download() as download:
        loop.click("#retime-link")
    assert download.value.suggested_filename.endswith("120 bpm.wav")


def test_a_take_is_recorded_from_the_simulated_microphone_and_heard(loop):
    loop.click("text=Record…")
    loop.select_option("#record-source", "simulated")
    loop.select_option("#record-count", "1")
    loop.click("#record-go")
    until(loop, "easyPocket.loops.recorder.stage === 'counting'")
    expect(loop.locator("#record-state")).to_contain_text("begins in")
    recorder = "easyPocket.loops.recorder"
    until(
        loop, f"{recorder}.stage === 'recording' && easyPocket.player.context.currentTime - {recorder}.from > 2.7", 30
    )
    assert loop.evaluate(f"{recorder}.peak") > 0.05
    loop.click("#record-go")
    expect(loop.locator(".facts .name")).to_contain_text("take ", timeout=20_000)
    until(loop, "document.querySelectorAll('.onset').length > 6")
    first = float(loop.locator(".onset").first.get_attribute("data-time"))
    assert first < 0.06  # the take begins on the first beat, where the first sound is
