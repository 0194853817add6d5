"""As a hand does it: a press here, a key there, in the order of somebody who works, with the last click elsewhere."""

import json
import re

import mido
import pytest
import soundfile
from playwright.sync_api import expect

from tests.browser.conftest import send
from tests.browser.gestures import box_of, click_slot, drag, drawn, expect_hit, expect_hits, hit, saved, ticks, until


def export(page):
    page.locator("[aria-controls=export-menu]").click()


def has_keys(page, selector):
    until(page, f"document.activeElement?.closest('{selector}') !== null")


def test_a_press_on_the_bench_leaves_the_keys_to_the_rails(bench):
    buttons = bench.locator("#screen button:visible, header button:visible, .side button:visible")
    tried, number = 0, -1
    while (number := number + 1) < buttons.count():
        button = buttons.nth(number)
        label = (button.get_attribute("id") or "") + (button.get_attribute("aria-label") or button.inner_text())
        opens = button.get_attribute("aria-expanded") is not None or button.get_attribute("aria-controls") is not None
        if opens or re.search(r"play|song|Bars|new|delete|take|fill|tools for", label, re.I) or not button.is_enabled():
            continue
        button.click()
        saved(bench)
        until(bench, f"document.activeElement?.closest('#rail-rows') !== null || !{json.dumps(label)}")
        tried += 1
    assert tried > 20
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("Space")
    until(bench, "!easyPocket.player.running")


def test_after_a_press_on_a_section_space_plays_and_the_keys_belong_to_the_rails(bench):
    bench.evaluate("easyPocket.edits.push({ kind: 'section_split', bar: 2 })")
    saved(bench)
    expect(bench.locator("#ribbon [data-section-go]")).to_have_count(2)
    for number in (1, 0):
        bench.locator("#ribbon [data-section-go]").nth(number).click()
        bench.keyboard.press("Space")
        until(bench, "easyPocket.player.running")
        has_keys(bench, "#rail-rows")
        bench.keyboard.press("Space")
        until(bench, "!easyPocket.player.running")


def test_space_plays_even_before_a_pressed_button_has_given_the_keys_back(bench):
    bench.evaluate("easyPocket.whose.later = () => {}")  # as on a busy machine: it comes too late
    bench.locator("#ribbon [data-section-go]").first.click()
    has_keys(bench, "#ribbon")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("Space")
    until(bench, "!easyPocket.player.running")


def test_a_button_reached_by_tab_is_pressed_by_space(bench):
    bench.keyboard.press("Shift+Tab")
    bench.locator("#play-song").focus()
    bench.keyboard.press("Shift+Tab")
    expect(bench.locator("#loop-toggle")).to_be_focused()
    bench.keyboard.press("Space")
    expect(bench.locator("#loop-toggle")).to_have_attribute("aria-pressed", "false")
    assert not bench.evaluate("easyPocket.player.running")


def test_on_the_shelf_nothing_is_asked_of_the_song_that_was_left(bench):
    asked = []
    bench.on("request", lambda request: asked.append(request.url) if "/state" in request.url else None)
    bench.click("nav >> text=Shelf")
    bench.wait_for_selector(".song-card")
    bench.evaluate("easyPocket.refresh()")
    bench.click("nav >> text=Bench")
    drawn(bench)
    with bench.expect_response(re.compile("/state")) as answer:
        bench.evaluate("easyPocket.refresh()")
    assert answer.value.status == 200
    assert asked
    assert not [url for url in asked if "screen=shelf" in url]


def test_a_slider_and_a_list_give_the_keys_back(bench):
    slider = bench.locator("input[type=range]:visible").first
    slider.click()
    saved(bench)
    has_keys(bench, "#rail-rows")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")


def test_typed_into_a_field_space_is_a_space_and_enter_gives_the_keys_back(bench):
    bench.click("#song-name")
    bench.keyboard.press("End")
    bench.keyboard.type(" two")
    expect(bench.locator("#song-name")).to_have_value(re.compile(" two$"))
    assert not bench.evaluate("easyPocket.player.running")
    bench.keyboard.press("Enter")
    has_keys(bench, "#rail-rows")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")


def test_space_ticks_a_box_that_was_reached_by_tab_and_presses_a_button(bench):
    bench.click("nav >> text=Ideas")
    bench.wait_for_selector("#idea-grid")
    box = bench.locator("input[type=checkbox]:visible").first
    box.focus()
    before = box.is_checked()
    bench.keyboard.press("Space")
    assert box.is_checked() is not before
    assert not bench.evaluate("easyPocket.player.running")


def test_a_new_song_is_ready_for_enter(page, address):
    page.goto("/")
    page.click("text=New song")
    page.wait_for_url(re.compile(r"/songs/\d+/bench"))
    expect(page.locator("#song-name")).to_have_value("New song")
    drawn(page)
    has_keys(page, "#rail-rows")
    page.keyboard.press("Enter")
    saved(page)
    first = page.evaluate("document.querySelector('.rail-row').dataset.voice")
    assert ticks(page, first) == [0]
    send(address, re.search(r"/songs/\d+", page.url).group(0) + "/delete")


def test_keys_go_back_to_sounds_and_cards(bench):
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    bench.click('[data-kit-voice="snare"]')
    until(bench, "document.querySelector('.kit-bar').dataset.role === 'snare'")
    until(bench, "easyPocket.screens.kit.library.sound(0) !== null")
    bench.click('[data-find-role=""]')
    has_keys(bench, "#sounds")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("Space")
    until(bench, "!easyPocket.player.running")
    bench.click("nav >> text=Ideas")
    bench.wait_for_selector("#idea-grid")
    bench.click('button:visible:has-text("Six more")')
    has_keys(bench, "#idea-grid")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")


def test_the_list_of_keys_fits_a_low_window_and_scrolls(bench):
    bench.set_viewport_size({"width": 1024, "height": 500})
    bench.keyboard.press("?")
    shown = bench.locator("#shortcuts")
    expect(shown).to_be_visible()
    box = box_of(shown)
    assert box["y"] >= 0
    assert box["y"] + box["height"] <= 500
    last = shown.locator("dt").last
    last.scroll_into_view_if_needed()
    assert box_of(last)["y"] < box["y"] + box["height"]
    bench.set_viewport_size({"width": 1280, "height": 800})


def test_record_is_seen_and_used(bench):
    bench.click("nav >> text=Loops")
    bench.click('button:has-text("Record")')
    menu = bench.locator(".popover.record")
    expect(menu).to_be_visible()
    box = box_of(menu)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] - 6
    assert bench.evaluate(f"document.elementFromPoint({x}, {y}).closest('.popover.record') !== null")


def test_plus_and_minus_lose_no_press(bench):
    bench.click("nav >> text=Song")
    head = bench.locator("[data-head]").first
    head.click()
    bars = int(re.search(r"(\d+) bar", head.inner_text()).group(1))
    for key in "++++-+":
        bench.keyboard.press(key)
    saved(bench)
    expect(head).to_contain_text(f"{bars + 4} bars")


def test_break_with_nothing_chosen_empties_nothing_and_says_why(bench):
    counts = bench.evaluate(
        "easyPocket.screens.bench.rails.voices().map((voice) => easyPocket.screens.bench.rails.data.hits(voice).length)"
    )
    counting = box_of(bench.locator("#counting"))
    y = counting["y"] + counting["height"] / 2
    drag(bench, (counting["x"] + 4, y), (counting["width"] * 0.3, 0))
    bench.click('[aria-label="Length of the pattern"]')
    bench.click('[data-bars-edit="break"]')
    expect(bench.locator("#note")).to_contain_text("what goes on in the break")
    saved(bench)
    assert (
        bench.evaluate(
            "easyPocket.screens.bench.rails.voices().map((voice) => easyPocket.screens.bench.rails.data.hits(voice).length)"
        )
        == counts
    )


def test_painting_that_begins_on_a_hit_paints_and_leaves_the_hit(bench):
    before = hit(bench, "kick", 0)
    taken = set(ticks(bench, "kick"))
    at = (before["x"], before["y"] + 16)
    step = 240
    width = box_of(bench.locator("#rail-kick canvas.rail"))["width"]
    drag(bench, at, (width * (1 - 2 * 1.7 / 100) * 4 * step / 7680, 0))
    saved(bench)
    assert set(ticks(bench, "kick")) == taken | {0, step, 2 * step, 3 * step, 4 * step}
    after = hit(bench, "kick", 0)
    assert (after["velocity"], after["own"]) == (before["velocity"], before["own"])


def test_a_mix_that_would_clip_is_told_and_one_press_makes_it_fit(bench):
    bench.evaluate(
        """async () => {
            for (const voice of easyPocket.screens.bench.rails.voices()) {
                easyPocket.edits.push({ kind: 'mix', voice, field: 'level_db', value: 12 });
                for (let tick = 0; tick < 7680; tick += 960) easyPocket.edits.push({ kind: 'write', voice, tick, velocity: 127 });
            }
        }"""
    )
    saved(bench)
    export(bench)
    bench.click('a[href*="pattern.wav"][href*="bits=16"]')
    note = bench.locator("#note")
    expect(note).to_contain_text("dB over full scale", timeout=60_000)
    expect(note).to_contain_text("Loudest there: ")
    with bench.expect_download() as taking:
        note.locator("button", has_text="dB off").click()
    sound, _ = soundfile.read(taking.value.path())
    assert 0.95 < abs(sound).max() < 1.0


def test_the_songs_midi_leaves_out_what_is_muted(bench):
    bench.evaluate("easyPocket.edits.push({ kind: 'mix', voice: 'kick', field: 'mute', value: true })")
    saved(bench)
    export(bench)
    with bench.expect_download() as taking:
        bench.click('a[href*="song.mid?by=voice"]')
    tracks = {track.name: track for track in mido.MidiFile(taking.value.path()).tracks}
    kick = next(track for name, track in tracks.items() if name.endswith(": kick") or name.endswith(": Kick"))
    assert not [message for message in kick if message.type == "note_on"]


@pytest.mark.parametrize("whose", ["for this song", "for all"])
def test_a_kit_of_several_songs_asks_once_whose_it_is(bench, whose):
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    name = bench.locator(".kit-title h2").inner_text()
    songs = int(bench.locator(".kit-head").get_attribute("data-songs"))
    assert songs > 1
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    level.focus()
    bench.keyboard.press("ArrowDown")
    note = bench.locator("#note")
    expect(note).to_contain_text(f"This kit is in {songs} songs")
    note.locator("button", has_text=whose).click()
    saved(bench)
    title = bench.locator(".kit-title h2")
    if whose == "for all":
        expect(title).to_have_text(name)
    else:
        expect(title).not_to_have_text(name)
        expect(bench.locator(".kit-head")).to_have_attribute("data-songs", "1")
    expect(bench.locator("#undo")).to_be_enabled()
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    level.focus()
    bench.keyboard.press("ArrowDown")
    saved(bench)
    expect(note).to_be_hidden()
    for _ in range(3):
        bench.keyboard.press("Control+z")
        saved(bench)
    expect(title).to_have_text(name)


def test_a_kit_that_is_asked_about_and_left_is_as_it_was(bench):
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    before = level.input_value()
    level.focus()
    bench.keyboard.press("ArrowDown")
    expect(bench.locator("#note")).to_contain_text("This kit is in")
    bench.keyboard.press("Escape")
    expect(bench.locator("#note")).to_be_hidden()
    expect(level).to_have_value(before)
    click_away = bench.locator("nav >> text=Bench")
    click_away.click()
    drawn(bench)
    click_slot(bench, "rim", 0) if 0 not in ticks(bench, "rim") else None
    expect_hit(bench, "rim", 0)
    expect_hits(bench, "rim", len(ticks(bench, "rim")))


@pytest.mark.parametrize(("below", "across"), [(16, 120), (0, 30), (0, -25)])
def test_escape_in_the_middle_of_drawing_makes_nothing(bench, below, across):
    before, taken = hit(bench, "kick", 0), ticks(bench, "kick")
    revision = bench.evaluate("easyPocket.edits.revision")
    bench.mouse.move(before["x"], before["y"] + below)
    bench.mouse.down()
    bench.mouse.move(before["x"] + across, before["y"] + below, steps=6)
    bench.keyboard.press("Escape")
    bench.mouse.move(before["x"] + across + 9, before["y"] + below, steps=2)
    bench.mouse.up()
    saved(bench)
    shown = (
        "JSON.stringify(easyPocket.screens.bench.rails.data.hits('kick').map((one) => one.tick).sort((a, b) => a - b))"
    )
    until(bench, f"{shown} === JSON.stringify({json.dumps(taken)})")
    until(bench, f"easyPocket.screens.bench.rails.find('kick', 0).own === {before['own']}")
    assert bench.evaluate("easyPocket.edits.revision") == revision


def test_a_double_click_on_an_answer_is_one_answer_and_presses_nothing_under_it(bench):
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    level.focus()
    bench.keyboard.press("ArrowDown")
    bench.locator("#note button", has_text="for this song").dblclick()
    saved(bench)
    expect(bench.locator("#note")).to_be_hidden()
    expect(bench.locator(".kit-head")).to_have_attribute("data-songs", "1")
    assert bench.locator(".typing").count() == 0
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
