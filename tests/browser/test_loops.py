"""The Loops screen as a user meets it: drop, correct, take, hear."""

import numpy as np
import pytest
from playwright.sync_api import expect

from easy_pocket.core.feel.feel import Feel
from tests.browser.gestures import box_of, drawn, saved, until
from tests.drums import SWUNG, beat, rendered, wav_bytes


@pytest.fixture(scope="module")
def swung_wav():
    return wav_bytes(rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))[0].samples)


@pytest.fixture
def loops(bench, swung_wav):
    bench.click("nav >> text=Loops")
    bench.wait_for_selector(".onset")
    bench.set_input_files("#loop-file", {"name": "gangway.wav", "mimeType": "audio/wav", "buffer": swung_wav})
    expect(bench.locator(".fact .name")).to_have_text("gangway.wav")
    bench.wait_for_selector(".onset >> nth=20")
    return bench


def onsets(page):
    return page.locator(".onset").count()


def wave_point(page, time_s, share=0.4):
    box = box_of(page.locator("#wave"))
    duration = float(page.locator("#wave").get_attribute("data-duration"))
    return box["x"] + box["width"] * time_s / duration, box["y"] + box["height"] * share


def time_of(page, index):
    return float(page.locator(".onset").nth(index).get_attribute("data-time"))


def test_a_dropped_file_is_heard(bench, swung_wav):
    bench.click("nav >> text=Loops")
    bench.wait_for_selector(".onset")
    bench.evaluate(
        """(bytes) => {
            const data = new DataTransfer();
            data.items.add(new File([new Uint8Array(bytes)], 'dropped.wav', {type: 'audio/wav'}));
            document.querySelector('#wave').dispatchEvent(new DragEvent('drop', {dataTransfer: data, bubbles: true, cancelable: true}));
        }""",
        list(swung_wav),
    )
    expect(bench.locator(".fact .name")).to_have_text("dropped.wav")
    expect(bench.locator(".facts")).to_contain_text("88.5")


def test_hits_are_drawn_where_they_sound(loops):
    for index in (0, 7, 15):
        box = box_of(loops.locator(".onset .pin").nth(index))
        assert box["x"] + box["width"] / 2 == pytest.approx(wave_point(loops, time_of(loops, index))[0], abs=1.5)


def test_add_move_remove_by_hand_and_undo(loops):
    before = onsets(loops)
    loops.click('[data-tool="remove"]')
    loops.mouse.click(*wave_point(loops, time_of(loops, 5)))
    expect(loops.locator(".onset")).to_have_count(before - 1)
    loops.click('[data-tool="add"]')
    loops.mouse.click(*wave_point(loops, 0.2))
    expect(loops.locator(".onset")).to_have_count(before)
    expect(loops.locator(".onset.added")).to_have_count(1)
    loops.click('[data-tool="move"]')
    at = time_of(loops, 3)
    loops.mouse.move(*wave_point(loops, at))
    loops.mouse.down()
    loops.mouse.move(*wave_point(loops, at + 0.03), steps=3)
    loops.mouse.move(*wave_point(loops, at + 0.06), steps=3)
    loops.mouse.up()
    expect(loops.locator(".onset.added")).to_have_count(2)
    for _ in range(3):
        loops.keyboard.press("Control+z")
        saved(loops)
    expect(loops.locator(".onset.added")).to_have_count(0)
    expect(loops.locator(".onset")).to_have_count(before)


def test_keys_choose_and_remove_a_hit(loops):
    before = onsets(loops)
    loops.locator("#wave").focus()
    loops.keyboard.press("ArrowRight")
    loops.keyboard.press("ArrowRight")
    expect(loops.locator("#spoken")).to_contain_text("hit 2")
    loops.keyboard.press("Delete")
    expect(loops.locator(".onset")).to_have_count(before - 1)


def test_tempo_is_corrected_by_clicks(loops):
    loops.click("[data-correction=double]")
    expect(loops.locator(".facts")).to_contain_text("177.0")
    expect(loops.locator(".facts")).to_contain_text("set by you")
    loops.click("[data-correction=half]")
    expect(loops.locator(".facts")).to_contain_text("88.5")
    loops.fill("#loop-bars", "4")
    loops.keyboard.press("Enter")
    expect(loops.locator(".facts")).to_contain_text("177.0")
    loops.click('[data-tool="one"]')
    loops.mouse.click(*wave_point(loops, time_of(loops, 4)))
    expect(loops.locator(".w-bar").first).not_to_have_attribute("x1", "0.0%")
    loops.click("[data-correction=as_heard]")
    expect(loops.locator(".facts")).to_contain_text("88.5")


def test_sensitivity_changes_what_is_heard(loops):
    before = onsets(loops)
    loops.locator("#sensitivity").fill("0")
    expect(loops.locator(".onset")).not_to_have_count(before)
    assert onsets(loops) < before


def test_the_groove_goes_on_the_part_in_one_click(loops):
    loops.click('#loop-side [data-tab="take"]')
    loops.fill("#groove-name", "Brass Lantern")
    loops.click("text=Put it on Backbone")
    expect(loops.locator("#take-state")).to_have_text("Brass Lantern is kept, and lies on Backbone now.")
    loops.click("nav >> text=Bench")
    drawn(loops)
    expect(loops.locator("#feel .scope .on")).to_have_text("Backbone")
    expect(loops.locator("[data-groove-open]")).to_have_text("Brass Lantern ▾")
    loops.click('[data-inherit="template_id"]')
    expect(loops.locator("[data-groove-open]")).to_have_text("Rope Walk ▾")
    expect(loops.locator("#feel")).to_contain_text("from quayside-break.flac")


def test_a_file_that_is_no_loop_says_so_beside_the_button(loops):
    loops.set_input_files("#loop-file", {"name": "notes.wav", "mimeType": "audio/wav", "buffer": b"only words " * 30})
    expect(loops.locator("#upload-state")).to_contain_text("notes.wav is no audio that can be read")
    loops.set_input_files(
        "#loop-file", {"name": "still.wav", "mimeType": "audio/wav", "buffer": wav_bytes(np.zeros(9000))}
    )
    expect(loops.locator("#upload-state")).to_contain_text("still.wav holds no hits")
    expect(loops.locator(".fact .name")).to_have_text("gangway.wav")


def test_noise_is_kept_and_hits_are_added_to_it_by_hand(loops):
    hiss = np.random.default_rng(4).standard_normal(4 * 44_100) * 0.2
    loops.set_input_files("#loop-file", {"name": "hiss.wav", "mimeType": "audio/wav", "buffer": wav_bytes(hiss)})
    expect(loops.locator(".fact .name")).to_have_text("hiss.wav")
    expect(loops.locator(".loops")).to_contain_text("no hit stands out in it")
    expect(loops.locator(".onset")).to_have_count(0)
    loops.click('[data-tool="add"]')
    for number, time_s in enumerate((0.5, 1.0, 1.5, 2.0), 1):
        loops.mouse.click(*wave_point(loops, time_s))
        expect(loops.locator(".onset")).to_have_count(number)
    assert time_of(loops, 3) == pytest.approx(2.0, abs=0.03)
    loops.keyboard.press("Control+z")
    expect(loops.locator(".onset")).to_have_count(3)


def test_loop_stack_and_both(loops):
    for mode in ("loop", "both", "stack"):
        loops.click(f'[data-play-mode="{mode}"]')
        expect(loops.locator(f'[data-play-mode="{mode}"]')).to_have_attribute("aria-pressed", "true")
        until(loops, "easyPocket.player.position > 0.05")
    assert loops.evaluate("easyPocket.player.stack.tempo_bpm") == 104
    loops.click('[data-play-mode="both"]')
    until(loops, "easyPocket.player.running && easyPocket.player.mode === 'both'")
    assert loops.evaluate("easyPocket.player.stack.tempo_bpm") == pytest.approx(88.5, rel=1e-3)
    loops.keyboard.press("Space")
    loops.click("#play")


def heard_s(page):
    return [time_of(page, index) for index in range(onsets(page))]


def test_a_span_drawn_over_is_ignored_and_taken_back(loops):
    before = heard_s(loops)
    loops.click('[data-tool="ignore"]')
    loops.mouse.move(*wave_point(loops, 1.0))
    loops.mouse.down()
    loops.mouse.move(*wave_point(loops, 2.0), steps=4)
    loops.mouse.up()
    span = loops.locator("[data-regard]")
    expect(span).to_contain_text("is ignored")
    begin, end = (float(loops.locator(".w-ignored").first.get_attribute(f"data-{name}")) for name in ("from", "until"))
    assert (begin, end) == (pytest.approx(1.0, abs=0.02), pytest.approx(2.0, abs=0.02))
    assert heard_s(loops) == [time for time in before if not begin <= time < end] != before
    span.click()
    expect(loops.locator(".onset")).to_have_count(len(before))
    assert heard_s(loops) == before


def test_one_looks_from_the_whole_loop_to_single_samples_and_hits_stay_where_they_sound(loops):
    x, y = wave_point(loops, time_of(loops, 7))
    loops.mouse.move(x, y)
    loops.click('[data-wave-zoom="in"]')
    seen = "(() => { const { from, to } = easyPocket.screens.loops.wave.view; return to - from; })()"
    for _ in range(40):
        loops.mouse.move(x, y)
        loops.mouse.wheel(0, -200)
    until(loops, f"{seen} * 44100 < 60")
    until(loops, "easyPocket.screens.loops.wave.span?.samples.length > 40")
    loops.locator("#wave").focus()
    loops.keyboard.press("0")
    until(loops, f"{seen} > 4")
    for _ in range(3):
        loops.keyboard.press("+")
    until(
        loops,
        f"{seen} < 2 && document.getElementById('wave').dataset.to - document.getElementById('wave').dataset.from < 2",
    )
    view = loops.evaluate("easyPocket.screens.loops.wave.view")
    inside = [index for index, time in enumerate(heard_s(loops)) if view["from"] < time < view["to"]]
    box = box_of(loops.locator("#wave"))
    for index in inside:
        pin = box_of(loops.locator(".onset .pin").nth(index))
        share = (time_of(loops, index) - view["from"]) / (view["to"] - view["from"])
        assert pin["x"] + pin["width"] / 2 == pytest.approx(box["x"] + box["width"] * share, abs=1.5)
    loops.click('[data-wave-show="spectrum"]')
    until(loops, "easyPocket.screens.loops.wave.picture?.canvas.width > 300")


def test_the_bar_map_shows_the_groove_as_it_would_be_taken(loops):
    loops.click('#loop-side [data-tab="take"]')
    expect(loops.locator("#bar-map")).to_contain_text("all bars")
    loops.click('[data-from-bar="1"]')
    expect(loops.locator("#bar-map")).to_contain_text("hits of bar 2")
    loops.select_option("#groove-slots", label="8ths")
    expect(loops.locator("#bar-map .m-fig")).to_have_count(8)
    loops.click('[data-from-bar="2"]')
    expect(loops.locator(".note")).to_contain_text("needs at least one bar")
    loops.fill("#groove-name", "Second bar")
    loops.click('[data-take="only"]')
    expect(loops.locator("#take-state")).to_contain_text("Second bar is kept")
    loops.click("nav >> text=Grooves")
    loops.click("#groove-list >> text=Second bar")
    until(loops, "easyPocket.screens.grooves.data?.slots === 8")


def test_a_long_file_shows_how_far_it_is_and_is_stopped_or_brought_in(loops, swung_wav):
    samples = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))[0].samples
    data = wav_bytes(np.tile(samples, (8, 1)))
    loops.set_input_files("#loop-file", {"name": "voyage.wav", "mimeType": "audio/wav", "buffer": data})
    expect(loops.locator(".fact .name")).to_have_text("voyage.wav")
    expect(loops.locator("#loop-bars")).to_have_value("16")
    # One whose work never ends, as far as this page is told.
    loops.route(
        "**/jobs/*",
        lambda route: route.fulfill(
            json={"share": 0.4, "words": "listening for attacks", "result": None, "error": None}
        ),
    )
    stopped = []
    loops.route("**/jobs/*/stop", lambda route: (stopped.append(route.request.url), route.fulfill(json={}))[1])
    loops.set_input_files("#loop-file", {"name": "again.wav", "mimeType": "audio/wav", "buffer": data})
    expect(loops.locator("#upload-state")).to_contain_text("again.wav: 40 %, listening for attacks")
    with loops.expect_response("**/jobs/*/stop"):
        loops.locator("#upload-state button").click()
    assert len(stopped) == 1


def test_samples_that_cannot_be_fetched_are_not_asked_for_without_end(loops):
    asked = []
    loops.route("**/samples.bin*", lambda route: (asked.append(route.request.url), route.abort())[1])
    loops.locator("#wave").focus()
    for _ in range(14):
        loops.keyboard.press("+")
    expect(loops.locator(".note")).to_contain_text("could not be fetched")
    drawn_often = """async () => {
        for (let frame = 0; frame < 60; frame += 1) {
            easyPocket.screens.loops.wave.later();
            await new Promise(requestAnimationFrame);
        }
    }"""
    loops.evaluate(drawn_often)  # the last of the keys has gone all the way, however slow the machine is
    until(loops, "!easyPocket.screens.loops.wave.fetching")
    before = len(asked)
    loops.evaluate(drawn_often)
    assert len(asked) == before
    loops.unroute("**/samples.bin*")
    loops.keyboard.press("-")
    until(loops, "easyPocket.screens.loops.wave.span !== null")


def chosen_time(page):
    return float(page.locator(".onset.chosen").get_attribute("data-time"))


def test_hits_are_corrected_by_keys_alone(loops):
    loops.locator("#wave").focus()
    for _ in range(3):
        loops.keyboard.press("ArrowRight")
    before, count = chosen_time(loops), onsets(loops)
    loops.keyboard.press(".")
    loops.keyboard.press(".")
    until(loops, f"Math.abs(document.querySelector('.onset.chosen')?.dataset.time - {before + 0.002}) < 1e-4")
    saved(loops)
    assert onsets(loops) == count
    loops.keyboard.press("a")  # back to where it strikes
    until(loops, f"Math.abs(document.querySelector('.onset.chosen')?.dataset.time - {before}) < 2e-4")
    # To the middle of the widest gap, where nothing strikes.
    times = loops.locator(".onset").evaluate_all(
        "(all) => all.map((one) => Number(one.dataset.time)).sort((a, b) => a - b)"
    )
    wide = int(np.argmax(np.diff(times)))
    while chosen_time(loops) != times[wide]:
        loops.keyboard.press("ArrowRight" if chosen_time(loops) < times[wide] else "ArrowLeft")
    step = loops.evaluate("(easyPocket.screens.loops.wave.view.to - easyPocket.screens.loops.wave.view.from) / 100")
    for _ in range(max(1, round((times[wide + 1] - times[wide]) * 0.6 / step))):
        loops.keyboard.press("Shift+ArrowRight")
    expect(loops.locator("#wave-cursor")).to_be_visible()
    loops.keyboard.press("Enter")
    until(loops, f"document.querySelectorAll('.onset').length === {count + 1}")
    saved(loops)
    added = chosen_time(loops)
    loops.keyboard.press("Delete")
    until(loops, f"document.querySelectorAll('.onset').length === {count}")
    saved(loops)
    loops.locator("#wave").focus()
    loops.keyboard.press("ArrowRight")
    loops.keyboard.press("[")
    for _ in range(12):
        loops.keyboard.press("Shift+ArrowRight")
    loops.keyboard.press("]")
    saved(loops)
    expect(loops.locator(".w-ignored:not(.drawing)")).to_have_count(1)
    assert times[wide] < added < times[wide + 1]
    assert onsets(loops) < count


def test_the_first_beat_is_set_by_a_key(loops):
    loops.locator("#wave").focus()
    loops.keyboard.press("ArrowRight")
    loops.keyboard.press("ArrowRight")
    first = loops.locator(".w-bar").first.get_attribute("data-at")
    loops.keyboard.press("f")
    saved(loops)
    until(loops, f"document.querySelector('.w-bar').dataset.at !== '{first}'")


def test_bars_drawn_on_the_waveform_are_kept_as_a_loop_and_undo_takes_it_away(loops):
    bars = int(loops.locator("#loop-bars").input_value())
    assert bars == 2
    duration = float(loops.locator("#wave").get_attribute("data-duration"))
    loops.click('[data-tool="keep"]')
    loops.mouse.move(*wave_point(loops, duration * 0.53))
    loops.mouse.down()
    loops.mouse.move(*wave_point(loops, duration * 0.97), steps=6)
    loops.mouse.up()
    expect(loops.locator("#keep-from")).to_have_value("2")
    expect(loops.locator("#keep-to")).to_have_value("2")
    drawn_box = box_of(loops.locator("#span-drawn"))
    assert drawn_box["x"] == pytest.approx(wave_point(loops, duration / 2)[0], abs=2)
    loops.click("[data-keep-them]")
    expect(loops.locator(".fact .name")).to_have_text("gangway, bar 2.wav")
    expect(loops.locator("#loop-bars")).to_have_value("1")
    expect(loops.locator(".facts")).to_contain_text("88.5")
    assert float(loops.locator("#wave").get_attribute("data-duration")) == pytest.approx(duration / 2, abs=1e-3)
    loops.keyboard.press("Control+z")
    expect(loops.locator(".loop-chips")).not_to_contain_text("bar 2")


def test_what_another_tab_does_to_the_loop_shows_here_and_one_removed_there_is_left(loops):
    other = loops.context.new_page()
    other.goto(loops.url)
    other.wait_for_selector(".onset >> nth=20")
    before = onsets(loops)
    loops.locator("#wave").focus()
    loops.mouse.move(*wave_point(loops, time_of(loops, 3)))
    loops.mouse.down()  # a hit is held here ...
    other.locator("#wave").focus()
    other.keyboard.press("ArrowRight")
    other.keyboard.press("Delete")
    expect(other.locator(".onset")).to_have_count(before - 1)
    until(loops, "!document.getElementById('elsewhere').hidden")
    loops.mouse.up()  # ... and what was removed there is gone when it is let go
    expect(loops.locator(".onset")).to_have_count(before - 1)
    other.click('[data-tool="keep"]')
    for share in (0.53, 0.97):
        other.mouse.move(*wave_point(other, share * float(other.locator("#wave").get_attribute("data-duration"))))
        other.mouse.down() if share < 0.9 else other.mouse.up()
    other.click("[data-keep-them]")
    expect(other.locator(".fact .name")).to_have_text("gangway, bar 2.wav")
    expect(loops.locator(".loop-chips")).to_contain_text("gangway, bar 2.wav")
    expect(loops.locator(".fact .name")).to_have_text("gangway.wav")  # a newer loop takes nobody along
    loops.keyboard.press("Control+z")
    expect(other.locator(".loop-chips")).not_to_contain_text("bar 2")
    expect(other.locator(".fact .name")).to_have_text("gangway.wav")
    other.close()
