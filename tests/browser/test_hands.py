"""As a hand does it: a press here, a key there, in the order of somebody who works, with the last click elsewhere."""

import json
import re

import mido
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.browser.conftest import send
from tests.browser.gestures import box_of, click_slot, drag, drawn, hit, saved, ticks, until


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
    bench.keyboard.press("ArrowLeft")  # inside a group arrows go on
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
    page.click(".empty-bar >> text=Begin")
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
    bench.click('[aria-label*="length of the pattern"]')
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


def test_a_mix_that_is_too_loud_comes_out_under_its_ceiling(bench):
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
    with bench.expect_download() as taking:
        bench.click('a[href*="pattern.wav"][href*="bits=16"]')
    sound, _ = soundfile.read(taking.value.path())
    assert 0.8 < abs(sound).max() <= 10 ** (-0.9 / 20)


def test_the_songs_midi_leaves_out_what_is_muted(bench):
    bench.evaluate("easyPocket.edits.push({ kind: 'mix', voice: 'kick', field: 'mute', value: true })")
    saved(bench)
    export(bench)
    with bench.expect_download() as taking:
        bench.click('a[href*="song.mid?by=voice"]')
    tracks = {track.name: track for track in mido.MidiFile(taking.value.path()).tracks}
    kick = next(track for name, track in tracks.items() if name.endswith(": kick") or name.endswith(": Kick"))
    assert not [message for message in kick if message.type == "note_on"]


def kit_of_several(bench):
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    songs = int(bench.locator(".kit-head").get_attribute("data-songs"))
    assert songs > 1
    return bench.locator(".kit-title h2").inner_text(), songs


def test_the_first_change_of_a_kit_makes_this_song_a_copy_and_says_so(bench):
    name, songs = kit_of_several(bench)
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    level.focus()
    before = level.input_value()
    bench.keyboard.press("ArrowDown")
    note = bench.locator("#note")
    expect(note).to_contain_text(f"{name} is in {songs} songs: this song has a copy of its own now")
    saved(bench)
    title = bench.locator(".kit-title h2")
    expect(title).not_to_have_text(name)
    expect(bench.locator(".kit-head")).to_have_attribute("data-songs", "1")
    expect(level).not_to_have_value(before)
    for _ in range(2):
        bench.keyboard.press("Control+z")
        saved(bench)
    expect(title).to_have_text(name)
    expect(level).to_have_value(before)
    expect(bench.locator(".kit-head")).to_have_attribute("data-songs", str(songs))
    # Undone, it is the kit of all again: the next change makes a copy again.
    level.focus()
    bench.keyboard.press("ArrowDown")
    saved(bench)
    expect(title).not_to_have_text(name)


def test_a_kit_is_changed_in_all_songs_when_that_is_asked_for(bench):
    name, songs = kit_of_several(bench)
    level = bench.locator('.drag[data-drag="voice"][data-field="level_db"] input')
    level.focus()
    before = level.input_value()
    bench.keyboard.press("ArrowDown")
    note = bench.locator("#note")
    note.locator("button", has_text=f"change it in all {songs} songs").click()
    saved(bench)
    title = bench.locator(".kit-title h2")
    expect(title).to_have_text(name)
    expect(level).not_to_have_value(before)
    expect(bench.locator(".kit-head")).to_have_attribute("data-songs", str(songs))
    level.focus()
    bench.keyboard.press("ArrowDown")  # and is not asked about again
    saved(bench)
    expect(title).to_have_text(name)
    for _ in range(4):
        bench.keyboard.press("Control+z")
        saved(bench)
    expect(level).to_have_value(before)


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
    saved(bench)
    songs = bench.locator("#note button").inner_text().split()[-2]
    bench.locator("#note button", has_text="change it in all").dblclick()
    saved(bench)
    expect(bench.locator("#note")).to_be_hidden()
    expect(bench.locator(".kit-head")).to_have_attribute("data-songs", songs)
    assert bench.locator(".typing").count() == 0
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")


def test_the_list_of_keys_takes_the_keys_and_gives_them_back(bench):
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("?")
    has_keys(bench, "#shortcuts")
    assert bench.locator("#shortcut-list h3").first.inner_text() == "Bench"
    bench.keyboard.press("g")  # a ghost on the rails, but not from here
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("Space")
    until(bench, "!easyPocket.player.running")
    assert not bench.evaluate("easyPocket.edits.queue.length")
    bench.keyboard.press("Escape")
    expect(bench.locator("#shortcuts")).to_be_hidden()
    has_keys(bench, "#rail-rows")


def test_the_list_of_keys_opens_on_the_shelf(bench, address):
    bench.goto(address)
    bench.keyboard.press("?")
    has_keys(bench, "#shortcuts")
    expect(bench.locator("#shortcut-list")).to_contain_text("play, stop")
    bench.keyboard.press("Escape")
    expect(bench.locator("#shortcuts")).to_be_hidden()


def test_keys_of_one_letter_can_be_turned_off_and_on_again(bench):
    before = ticks(bench, "kick")
    bench.keyboard.press("?")
    bench.locator("#letter-keys").uncheck()
    bench.keyboard.press("Escape")
    has_keys(bench, "#rail-rows")
    bench.keyboard.press("9")
    bench.keyboard.press("d")
    bench.keyboard.press("Space")  # no letter: it plays
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("Space")
    bench.reload()
    drawn(bench)
    bench.keyboard.press("i")
    expect(bench.locator("#go-to")).to_be_hidden()
    assert ticks(bench, "kick") == before
    bench.click("[data-help] >> text=shortcuts")
    bench.locator("#letter-keys").check()
    bench.keyboard.press("Escape")
    bench.keyboard.press("i")
    expect(bench.locator("#go-to")).to_be_visible()


@pytest.mark.parametrize(
    ("key", "there"),
    [
        ("s", "#feel-swing_percent"),
        ("g", "[data-groove-open]"),
        ("t", "#tighten-strength"),
        ("r", "#row-tools"),
        ("d", "#detail-value"),
        ("l", "#line-list"),
        ("k", "#snapshot-name"),
        ("o", "#tempo"),
        ("b", "#ribbon"),
        ("e", "#export-menu, [aria-controls=export-menu]"),
    ],
)
def test_two_keys_go_to_a_place_and_escape_comes_back_to_the_rails(bench, key, there):
    bench.keyboard.press("i")
    has_keys(bench, "#go-to")
    bench.keyboard.press(key)
    expect(bench.locator("#go-to")).to_be_hidden()
    has_keys(bench, there)


def test_two_keys_go_to_every_screen_and_there_the_keys_are_the_works(bench):
    names = bench.locator("#nav [data-screen-link]").evaluate_all(
        "(links) => links.map((one) => one.dataset.screenLink)"
    )
    work = {"bench": "#rail-rows", "song": ".plan, #plan", "kit": ".voice-list", "ideas": ".idea-grid, #idea-grid"}
    for name in [*names[1:], "bench"]:
        if bench.evaluate("easyPocket.screen") == "takes":
            bench.keyboard.press("Escape")  # there letters strike until then
        bench.keyboard.press("i")
        has_keys(bench, "#go-to")
        bench.keyboard.press(str(names.index(name) + 1))
        until(bench, f"document.getElementById('screen').dataset.screen === '{name}'")
        until(bench, "document.activeElement !== document.body && document.activeElement.closest('#screen') !== null")
        if name in ("bench",):
            has_keys(bench, work[name])
        bench.keyboard.press("Space")
        until(bench, "easyPocket.player.running")
        bench.keyboard.press("Space")
        until(bench, "!easyPocket.player.running")


def test_the_arrows_and_enter_go_there_too_and_escape_leaves_it(bench):
    bench.keyboard.press("i")
    bench.keyboard.press("Escape")
    expect(bench.locator("#go-to")).to_be_hidden()
    has_keys(bench, "#rail-rows")
    bench.keyboard.press("i")
    bench.keyboard.press("ArrowUp")
    expect(bench.locator("[data-go-to-place]").last).to_be_focused()
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("Enter")
    until(bench, "document.getElementById('screen').dataset.screen === 'loops'")


def test_escape_lets_go_of_one_thing_at_a_time(bench):
    bench.keyboard.press("Control+a")
    count = bench.evaluate("easyPocket.screens.bench.rails.chosen.keys.size")
    assert count > 10
    bench.keyboard.press("i")
    bench.keyboard.press("r")
    has_keys(bench, "#row-tools")
    bench.keyboard.press("Escape")
    expect(bench.locator("#row-tools")).to_be_hidden()
    assert bench.evaluate("easyPocket.screens.bench.rails.chosen.keys.size") == count
    bench.keyboard.press("Escape")
    assert bench.evaluate("easyPocket.screens.bench.rails.chosen.keys.size") == 0


def test_the_view_follows_the_needle_until_one_edits_or_turns_it_off(bench):
    bench.keyboard.press("d")
    bench.keyboard.press("d")  # at once: no press is lost
    until(bench, "easyPocket.screens.bench.rails.facts.length === 8 * 3840")
    saved(bench)
    start = "easyPocket.screens.bench.rails.look.start"
    if bench.locator("[data-follow]").get_attribute("aria-pressed") == "false":  # another test pressed it
        bench.click("[data-follow]")
    bench.evaluate("easyPocket.screens.bench.rails.show(0, 2 * 3840)")
    bench.keyboard.press("Space")
    until(bench, f"{start} >= 2 * 3840")  # two bars are in view
    bench.click("[data-follow]")
    expect(bench.locator("[data-follow]")).to_have_attribute("aria-pressed", "false")
    seen = bench.evaluate(start)
    at = bench.evaluate("easyPocket.player.position")
    until(bench, f"Math.abs(easyPocket.player.position - {at}) > 5")
    assert bench.evaluate(start) == seen
    bench.keyboard.press("Space")
    bench.click("[data-follow]")
    bench.keyboard.press("Home")
    bench.keyboard.press("PageUp")
    bench.keyboard.press("PageUp")
    until(bench, f"{start} === 0")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.position > 3.5")
    click_slot(bench, "rim", 240)  # somebody edits: the view stays
    saved(bench)
    until(bench, "easyPocket.player.position > 6")
    assert bench.evaluate(start) == 0
    bench.keyboard.press("Space")


def test_a_menu_of_switches_gives_the_keys_back_to_the_work(bench: Page) -> None:
    bench.click("#click-chip")
    until(bench, "document.activeElement.matches('[data-click=on]')")
    bench.keyboard.press("Escape")
    until(bench, "document.activeElement.id === 'rail-rows'")
    bench.keyboard.press("ArrowRight")
    until(bench, "easyPocket.screens.bench.rails.cursor.tick === 240")


def test_after_tab_a_press_on_a_grouped_button_leaves_the_keys_to_the_rails(bench: Page) -> None:
    bench.keyboard.press("Tab")
    bench.keyboard.press("Tab")  # from now on one of each group is a tab stop
    bench.click('[data-magnify="6"]')
    until(bench, "document.activeElement.id === 'rail-rows'")
    bench.keyboard.press("ArrowRight")
    until(bench, "easyPocket.screens.bench.rails.cursor.tick === 240")


def test_tabs_are_pressed_by_keys_and_give_them_back_after_a_press(bench: Page) -> None:
    shown = "document.querySelector('#bench-side .tabs .is-active').dataset.tab"
    bench.locator('[data-tab="feel"] a').focus()
    bench.keyboard.press("ArrowRight")
    bench.keyboard.press("Space")
    until(bench, f"{shown} === 'tighten' && !easyPocket.player.running")
    bench.keyboard.press("ArrowRight")
    bench.keyboard.press("Enter")
    until(bench, f"{shown} === 'pocket'")
    bench.locator('[data-tab="feel"]').dblclick()
    until(bench, f"{shown} === 'feel' && document.activeElement.id === 'rail-rows'")
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    assert "#" not in bench.url
