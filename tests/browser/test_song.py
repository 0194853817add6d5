"""The Song screen as a newcomer uses it: sections and parts are made, set in place, joined, heard, taken away."""

from __future__ import annotations

import io
from pathlib import Path

import mido
import pytest
import soundfile
from playwright.sync_api import Download, Page, expect

from tests.browser.gestures import box_of, saved, until

BAR_S = 4 * 60 / 104


@pytest.fixture
def plan(page: Page, song: str) -> Page:
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screens.song?.data && document.querySelector('[data-cell]')")
    return page


def names(page: Page) -> list[str]:
    return page.locator("[data-head] b").all_inner_texts()


def head(page: Page, number: int) -> None:
    page.locator("[data-head]").nth(number).click()


def cell(page: Page, row: int, column: int) -> str:
    """What a cell says: its first line."""
    sections = page.evaluate("easyPocket.screens.song.data.sections.map((one) => one.id)")
    parts = page.evaluate("easyPocket.screens.song.data.parts.map((one) => one.id)")
    return page.locator(f'[data-cell="{sections[column]} {parts[row]}"] b').inner_text()


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)
        saved(page)


def kept(download: Download) -> bytes:
    return Path(str(download.path())).read_bytes()


def test_a_two_bar_beat_becomes_a_song_that_is_heard_and_taken_away(plan: Page) -> None:
    head(plan, 0)
    press(plan, "d", "d", "d", "d", "d")
    expect(plan.locator("[data-head]")).to_have_count(6)
    for number, name in enumerate(("Intro", "Verse", "Chorus", "Break", "Chorus again", "Outro")):
        head(plan, number)
        plan.fill('[data-set="section name"]', name)
        plan.keyboard.press("Enter")
        plan.keyboard.press("Tab")
        saved(plan)
    assert names(plan) == ["Intro", "Verse", "Chorus", "Break", "Chorus again", "Outro"]
    head(plan, 1)
    plan.locator("[data-head]").nth(1).focus()
    press(plan, "*", "+", "+")
    expect(plan.locator("[data-head]").nth(1)).to_contain_text("4 bars ×2")
    plan.locator("[data-join]").nth(1).click()
    plan.click('[data-act="add fill"]')
    saved(plan)
    plan.click('[data-act="add crash"]')
    saved(plan)
    expect(plan.locator("[data-join]").nth(1)).to_contain_text("fill: 2 beats")
    expect(plan.locator("[data-join]").nth(1)).to_contain_text("crash on the next one")
    plan.locator("[data-cell]").nth(3).click()
    press(plan, "0")
    assert cell(plan, 0, 3) == "–"
    expect(plan.locator("#plan-length")).to_have_text("18 bars · 42 s")
    plan.locator("#screen").focus()
    plan.keyboard.press("Space")
    until(
        plan, "easyPocket.player.running && easyPocket.player.mode === 'song' && easyPocket.player.starts.length > 20"
    )
    plan.keyboard.press("Space")
    plan.click("text=Export")
    with plan.expect_download() as got:
        plan.click("text=a track per part")
    midi = mido.MidiFile(file=io.BytesIO(kept(got.value)))
    assert [track.name for track in midi.tracks][1:] == ["Backbone"]
    markers = [message.text for message in midi.tracks[0] if message.type == "marker" and message.text != "pre-roll"]
    assert markers == ["Intro", "Verse", "Verse (2)", "Chorus", "Break", "Chorus again", "Outro"]
    with plan.expect_download() as got:
        plan.locator('a[href*="song.wav?bits=16"]').click()
    audio, rate = soundfile.read(io.BytesIO(kept(got.value)))
    assert rate == 44100
    assert 18 * BAR_S <= len(audio) / rate <= 18 * BAR_S + 4.5
    assert abs(audio).max() > 0.1


def test_cells_are_set_by_keys_menu_and_copied_by_dragging(plan: Page) -> None:
    head(plan, 0)
    press(plan, "d", "d", "d")
    plan.locator("[data-cell]").nth(0).click()
    plan.click('[data-act="copy"]')
    expect(plan.locator("[data-cell] b").nth(0)).to_have_text("B")
    plan.locator("[data-cell]").nth(0).focus()
    press(plan, "1")
    assert [cell(plan, 0, column) for column in range(4)] == ["A", "A", "A", "A"]
    press(plan, "2", "Shift+ArrowRight")
    assert [cell(plan, 0, column) for column in range(4)] == ["B", "B", "A", "A"]
    boxes = [box_of(plan.locator("[data-cell]").nth(number)) for number in range(4)]

    first, last = boxes[0], boxes[3]
    assert first
    assert last
    plan.mouse.move(first["x"] + 20, first["y"] + 20)
    plan.mouse.down()
    plan.mouse.move(last["x"] + 20, last["y"] + 20, steps=6)
    expect(plan.locator("[data-cell].copied")).to_have_count(3)
    plan.mouse.up()
    saved(plan)
    assert [cell(plan, 0, column) for column in range(4)] == ["B"] * 4
    plan.locator("[data-cell]").nth(2).click()
    plan.locator("[data-cell]").nth(2).focus()
    plan.keyboard.press("Enter")
    expect(plan.locator("#plan-menu")).to_be_visible()
    plan.click("#plan-menu >> text=rest")
    saved(plan)
    assert cell(plan, 0, 2) == "–"
    plan.click("#undo")
    saved(plan)
    assert cell(plan, 0, 2) == "B"


def test_sections_are_moved_by_dragging_and_a_variation_shows_what_is_its_own(plan: Page) -> None:
    head(plan, 0)
    plan.click('[data-act="vary-section"]')
    saved(plan)
    expect(plan.locator("[data-head]")).to_have_count(2)
    expect(plan.locator("[data-head]").nth(1)).to_contain_text("↳")
    plan.locator("[data-cell]").nth(1).click()
    expect(plan.locator("#plan-strip")).to_contain_text("as in Verse")
    plan.click('[data-act="voice"][data-voice="shaker"]')
    saved(plan)
    expect(plan.locator("[data-cell].own")).to_have_count(1)
    expect(plan.locator("#plan-strip")).to_contain_text("its own here")
    plan.click('[data-act="free"]')
    saved(plan)
    expect(plan.locator("[data-cell].own")).to_have_count(0)
    boxes = [box_of(plan.locator("[data-head]").nth(number)) for number in range(2)]
    one, two = boxes
    assert one
    assert two
    plan.mouse.move(two["x"] + 30, two["y"] + 12)
    plan.mouse.down()
    plan.mouse.move(one["x"] + 10, one["y"] + 12, steps=6)
    plan.mouse.up()
    saved(plan)
    assert names(plan) == ["Verse 2", "Verse"]


def test_a_part_turns_in_its_own_cycle_and_is_seen_and_written_on_the_bench(plan: Page) -> None:
    plan.click("text=add a part…")
    plan.select_option("#add-kit", "net_loft")
    plan.click('[data-plan-add="empty"]')
    saved(plan)
    expect(plan.locator("[data-part]")).to_have_count(2)
    plan.locator("[data-part]").nth(1).click()
    plan.fill('[data-set="part cycle_ticks"]', "3/8")
    plan.keyboard.press("Tab")
    saved(plan)
    expect(plan.locator("[data-part]").nth(1)).to_contain_text("3 8ths")
    expect(plan.locator("#plan-together")).to_have_text("together every 6 bars")
    plan.fill('[data-set="part cycle_ticks"]', "nonsense")
    plan.keyboard.press("Tab")
    expect(plan.locator("#note")).to_contain_text("'nonsense' is no length")
    plan.click('[data-screen-link="bench"]')
    until(plan, "easyPocket.screen === 'bench' && easyPocket.screens.bench.rails.facts.others?.length === 1")
    part = plan.evaluate("easyPocket.screens.song.chosen.part")
    until(plan, f"easyPocket.song.at[0] === {part}")
    expect(plan.locator(".part-head.own")).to_contain_text("Net Loft kit")
    plan.locator("#rail-rows").focus()
    plan.keyboard.press("Enter")
    saved(plan)
    plan.click("[data-look-part]")
    until(plan, "easyPocket.screens.bench.rails.facts.others[0].voices.length === 1")
    assert plan.evaluate("easyPocket.screens.bench.rails.facts.others[0].seams") == [0, 1440, 2880, 4320, 5760, 7200]
    assert plan.evaluate("easyPocket.screens.bench.rails.facts.others[0].voices[0][1]") == [
        0,
        1440,
        2880,
        4320,
        5760,
        7200,
    ]
    expect(plan.locator(".part-head:not(.own)")).to_contain_text("3 8ths")
    plan.click("[data-fold]")
    expect(plan.locator(".other-row").first).to_be_hidden()
    plan.reload()
    until(plan, "window.easyPocket?.screens.bench.rails?.facts")
    expect(plan.locator(".part-head.own")).to_contain_text("Boathouse kit")  # it comes back to where it looked


def test_the_song_is_played_from_a_bar_round_a_section_and_left_at_the_next_bar(plan: Page) -> None:
    head(plan, 0)
    press(plan, "d", "d")
    head(plan, 1)
    plan.locator("[data-head]").nth(1).focus()
    plan.keyboard.press("b")
    until(plan, "easyPocket.player.running && easyPocket.player.mode === 'song'")
    position = plan.evaluate("easyPocket.player.position")
    assert 2 * BAR_S - 0.01 <= position < 3 * BAR_S
    until(plan, "!document.getElementById('plan-needle').hidden && !document.getElementById('ribbon-needle').hidden")
    needle = box_of(plan.locator("#plan-needle"))
    second = box_of(plan.locator("[data-head]").nth(1))
    assert needle
    assert second
    assert second["x"] - 2 <= needle["x"] <= second["x"] + second["width"]
    assert plan.locator("#position").inner_text().startswith(("3.", "4."))
    head(plan, 2)
    plan.locator("[data-head]").nth(2).focus()
    plan.keyboard.press("j")
    until(plan, "easyPocket.player.before")
    told = plan.evaluate("[easyPocket.player.before.until, easyPocket.player.before.anchor, easyPocket.player.anchor]")
    leaves_at = told[0] - told[1]
    assert leaves_at / BAR_S == pytest.approx(round(leaves_at / BAR_S), abs=1e-6)  # on a bar line
    assert told[0] - told[2] == pytest.approx(4 * BAR_S)  # where the third section begins
    until(plan, f"easyPocket.player.position >= {4 * BAR_S} && easyPocket.player.position < {5.9 * BAR_S}")
    plan.keyboard.press("o")
    until(plan, "easyPocket.player.songSpan")
    assert plan.evaluate("easyPocket.player.songSpan") == pytest.approx({"from_s": 4 * BAR_S, "to_s": 6 * BAR_S})
    starts, anchor, events = plan.evaluate(
        "[easyPocket.player.starts.slice(-20), easyPocket.player.anchor, easyPocket.player.song.felt.start_s]"
    )
    for at in starts:
        place = 4 * BAR_S + (at - anchor) % (2 * BAR_S)
        assert min(abs(place - time) for time in [*events, 6 * BAR_S]) < 0.001


def test_an_edit_while_the_song_plays_is_heard_and_the_place_stays(plan: Page) -> None:
    plan.locator("#screen").focus()
    plan.keyboard.press("Space")
    until(plan, "easyPocket.player.running && easyPocket.player.starts.length > 5")
    before = plan.evaluate("easyPocket.player.song.felt.start_s.length")
    plan.click('[data-act="voice"][data-voice="hat_closed"]')
    saved(plan)
    until(plan, f"easyPocket.player.song.felt.start_s.length < {before}")
    assert plan.evaluate("easyPocket.player.running && easyPocket.player.position") > 0


def test_a_loop_plays_in_the_sections_one_presses(page: Page, song: str) -> None:
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screens.song?.data")
    loop = page.evaluate("easyPocket.screens.song.data.free_loops[0][0]")
    page.evaluate(f"easyPocket.edits.push({{kind: 'layered_loop', loop_id: {loop}, there: true}})")
    saved(page)
    head(page, 0)
    press(page, "d")
    expect(page.locator("[data-loop-cell]")).to_have_count(2)
    page.locator("[data-loop-cell]").nth(0).click()
    saved(page)
    expect(page.locator("[data-loop-cell] b").nth(0)).to_have_text("–")
    page.locator("#screen").focus()
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running && easyPocket.player.song.layered_loops_at.length === 1")
    assert page.evaluate("easyPocket.player.song.layered_loops_at[0].at_s") == pytest.approx(2 * BAR_S)


def test_the_song_fits_the_window_and_an_empty_one_says_what_to_do(page: Page, song: str) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screens.song?.data && document.querySelector('[data-cell]')")
    sizes = page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
    assert sizes == [1024, 700]
    grid = box_of(page.locator("#plan-scroll"))
    strip = box_of(page.locator("#plan-strip"))
    assert grid
    assert strip
    assert grid["y"] + grid["height"] <= strip["y"] + 1
    assert strip["y"] + strip["height"] <= 700 - 28 + 1


def test_a_span_of_bars_is_drawn_over_the_energy_and_gone_round(plan: Page) -> None:
    head(plan, 0)
    press(plan, "+", "+")
    box = box_of(plan.locator("[data-energy]").nth(0))
    assert box
    bar = box["width"] / 4
    plan.mouse.move(box["x"] + 1.2 * bar, box["y"] + 20)
    plan.mouse.down()
    plan.mouse.move(box["x"] + 2.8 * bar, box["y"] + 20, steps=5)
    plan.mouse.up()
    until(plan, "easyPocket.player.running && easyPocket.player.songSpan")
    assert plan.evaluate("easyPocket.player.songSpan") == pytest.approx({"from_s": BAR_S, "to_s": 3 * BAR_S})
    expect(plan.locator("#loop-toggle")).to_have_text("loop 2–3")
    mark = box_of(plan.locator("[data-energy] .plan-span"))
    assert mark
    assert mark["x"] == pytest.approx(box["x"] + bar, abs=2)
    assert mark["width"] == pytest.approx(2 * bar, abs=2)


def test_a_fill_of_ideas_ends_the_section_and_is_seen_on_the_song_screen(page: Page, song: str) -> None:
    page.goto(f"{song}/ideas")
    until(
        page,
        "window.easyPocket?.screens.ideas?.data && easyPocket.screens.ideas.cards.length && !easyPocket.screens.ideas.grid.ariaBusy",
    )
    page.click("#idea-end")
    saved(page)
    page.click('[data-screen-link="song"]')
    until(page, "easyPocket.screen === 'song' && easyPocket.screens.song.data")
    expect(page.locator("[data-join]")).to_contain_text("fill: 2 beats")
    page.locator("[data-part]").nth(0).click()
    expect(page.locator("#plan-strip")).to_contain_text("fill")
    page.click("#undo")
    saved(page)
    expect(page.locator("[data-join]")).not_to_contain_text("fill")


def test_a_long_export_tells_how_far_it_is_and_is_stopped(page, song):
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screen === 'song'")
    section = page.locator("#ribbon [data-section]").first.get_attribute("data-section")
    page.evaluate(
        "(id) => easyPocket.edits.push({ kind: 'section_set', section_id: id, field: 'repeats', value: 48 }, { near: document.body })",
        int(section),
    )
    saved(page)
    page.locator("[aria-controls='export-menu']").click()
    page.locator("#export-menu a[data-mixed][href*='song.wav']").first.click()
    expect(page.locator("#note")).to_contain_text("Mixing, ")
    page.locator("#note button", has_text="stop").click()
    expect(page.locator("#note")).to_contain_text("Stopped; nothing was brought in or written")


def test_a_section_is_taken_away_as_audio(page, song):
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screen === 'song'")
    page.evaluate("easyPocket.edits.push({ kind: 'section_add', how: 'copy' }, { near: document.body })")
    saved(page)
    page.locator("[aria-controls='export-menu']").click()
    page.locator("#export-span").select_option(label="Verse 2")
    expect(page.locator("#export-from")).to_have_value("3")
    expect(page.locator("#export-to")).to_have_value("4")
    with page.expect_download() as download:
        page.locator("#export-menu a[href*='song.wav']").first.click()
    info = soundfile.info(download.value.path())
    assert info.frames == pytest.approx(2 * 4 * 60 / 104 * 44_100, abs=2)
    page.locator("[aria-controls='export-menu']").click()
    expect(page.locator("#export-span option:checked")).to_have_text("Verse 2")  # as the bars beside it say
    page.locator("#export-to").fill("1")
    expect(page.locator("#export-from")).to_have_value("3")
    page.locator("#export-menu a[href*='song.wav']").first.click()
    expect(page.locator("#note")).to_contain_text("Bars 3 to 1 are none")


def test_sections_that_are_started_by_keys_can_be_kept_as_the_songs_order(plan: Page) -> None:
    head(plan, 0)
    press(plan, "d", "d")
    plan.evaluate("easyPocket.edits.push({kind: 'tempo', tempo_bpm: 240})")
    saved(plan)
    before = names(plan)
    head(plan, 2)
    plan.locator("[data-head]").nth(2).focus()
    plan.keyboard.press("b")
    until(plan, "easyPocket.player.running && easyPocket.player.position > 4.1")
    head(plan, 1)
    plan.locator("[data-head]").nth(1).focus()
    plan.keyboard.press("J")  # at the end; then another one takes its place
    until(plan, "easyPocket.player.before")
    head(plan, 0)
    plan.locator("[data-head]").nth(0).focus()
    plan.keyboard.press("J")
    until(plan, "easyPocket.player.position < 1.9")
    head(plan, 1)
    plan.locator("[data-head]").nth(1).focus()
    plan.keyboard.press("j")  # after its first bar
    until(plan, "easyPocket.player.position > 2.1 && easyPocket.player.position < 3.9")
    plan.locator("#play").click()
    note = plan.get_by_role("button", name="keep it as the song's order")
    note.click()
    saved(plan)
    after = names(plan)
    assert after[0] == before[2]
    assert after[-1] == before[0]  # it was left early: what was played of it is a copy, it comes last
    assert after[-2] == before[1]
    assert len(after) == 4
    plan.keyboard.press("Control+z")
    saved(plan)
    assert names(plan) == before
