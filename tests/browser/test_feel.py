"""The feel as a user sets it: by voice, on the cymbals only, tightened, written in, compared, and taken away."""

import json
import re

import mido
import pytest
from playwright.sync_api import expect

from easy_pocket.core.pattern.timebase import ms_per_tick
from tests.browser.gestures import box_of, drawn, hit, own_ms, saved, seen, until

TEMPO = 104.0


def type_into(page, field, value):
    box = page.locator(f'.typed[data-feel="{field}"]')
    box.fill(str(value))
    box.press("Enter")
    saved(page)


def scope(page, name):
    page.click(
        f'#rail-rows [data-scope="{name}"]' if name not in ("stack", "part") else f'.scope [data-scope="{name}"]'
    )
    until(page, f"easyPocket.view.scope === '{name}' && !!document.querySelector('.scope .on[data-scope=\"{name}\"]')")


def offset(page, voice, tick):
    return float(hit(page, voice, tick)["offset"])


def test_rope_walk_on_the_cymbals_only_made_by_mouse_measured_written_in_and_exported(bench, tmp_path):
    bench.click('[data-reach-set="cymbals"]')
    saved(bench)
    reached = bench.locator('[data-reach][aria-pressed="true"]')
    expect(reached).to_have_count(2)
    type_into(bench, "timing_pull", 100)
    type_into(bench, "swing_percent", 50)
    scope(bench, "snare")
    type_into(bench, "push_ms", 9)
    scope(bench, "hat_closed")
    type_into(bench, "push_ms", -4)
    scope(bench, "stack")
    assert own_ms(bench, "kick", 0) == 0
    assert offset(bench, "kick", 1680) == 0
    assert offset(bench, "snare", 960) == 9
    type_into(bench, "drift_ms", 4)
    drift = bench.evaluate("easyPocket.screens.bench.rails.data.hits('kick').map((hit) => hit.offset)")
    assert max(map(abs, drift)) > 0.5

    bench.click('#bench-side [data-tab="pocket"]')
    row = bench.locator(".compared").get_by_role("row", name=re.compile("^Snare"))
    expect(row).to_be_visible()
    figures = row.get_by_role("cell").all_inner_texts()[1:]
    mean = float(figures[1].replace("−", "-"))
    snares = bench.evaluate("easyPocket.screens.bench.rails.data.hits('snare').map((hit) => hit.offset)")
    assert mean == pytest.approx(sum(snares) / len(snares), abs=0.06)
    assert 4 < mean < 14

    bench.click('#bench-side [data-tab="feel"]')
    before = {
        name: bench.evaluate(f"easyPocket.screens.bench.rails.data.hits('{name}').map((h) => h.offset)")
        for name in ("snare", "hat_closed")
    }
    bench.click("[data-write-in]")
    saved(bench)
    expect(bench.locator('.typed[data-feel="drift_ms"]')).to_have_value("0")
    for name, offsets in before.items():
        after = bench.evaluate(f"easyPocket.screens.bench.rails.data.hits('{name}').map((h) => h.offset)")
        assert after == pytest.approx(offsets, abs=0.02)
        assert bench.evaluate(f"easyPocket.screens.bench.rails.data.hits('{name}').map((h) => h.own)") == pytest.approx(
            offsets, abs=0.02
        )
    bench.keyboard.press("Control+z")
    saved(bench)
    expect(bench.locator('.typed[data-feel="drift_ms"]')).to_have_value("4")
    assert own_ms(bench, "snare", 960) == 0

    bench.click("text=Export")
    with bench.expect_download() as download:
        bench.click("text=as felt >> nth=0")
    path = tmp_path / "felt.mid"
    download.value.save_as(path)
    ticks = set()
    for track in mido.MidiFile(path).tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity and message.note == 38:
                ticks.add(now)
    ledger = bench.evaluate("easyPocket.screens.bench.rails.data.hits('snare').map((h) => [h.tick, h.offset])")
    wanted = sorted(round(tick + ms / ms_per_tick(TEMPO)) % 7680 for tick, ms in ledger)
    assert all(abs(a - b) <= 1 for a, b in zip(sorted(ticks), wanted, strict=True))


def test_what_is_inherited_and_what_is_set_is_shown_and_given_back(bench):
    scope(bench, "hat_closed")
    setting = bench.locator(".setting", has=bench.locator("#feel-swing_percent"))
    expect(setting.locator("em")).to_have_text("from the stack")
    type_into(bench, "swing_percent", 62)
    expect(setting.locator("em")).to_have_count(0)
    assert offset(bench, "hat_closed", 720) != 0
    setting.locator("[data-inherit]").click()
    saved(bench)
    expect(setting.locator("em")).to_have_text("from the stack")
    expect(bench.locator('.typed[data-feel="swing_percent"]')).to_have_value("57")


def test_what_swings_the_seed_and_the_lane_of_a_voice_go_back_too(bench):
    scope(bench, "hat_closed")
    bench.click('[data-feel-set="swing_unit"][data-value="8"]')
    saved(bench)
    bench.locator('[data-feel-select="groove_lane"]').select_option("low")
    saved(bench)
    for field in ("swing_unit", "groove_lane"):
        bench.click(f'[data-inherit="{field}"]')
        saved(bench)
        expect(bench.locator(f'[data-inherit="{field}"]')).to_have_count(0)
    expect(bench.locator('[data-feel-select="groove_lane"]')).to_have_value("voice")
    expect(bench.locator('[data-feel-set="swing_unit"].on')).to_have_text("16ths")


def test_triplet_swing_is_named_as_its_ratio(bench):
    type_into(bench, "swing_percent", 66.67)
    expect(bench.locator("#feel")).to_contain_text("2 : 1, triplets")


def test_tighten_is_drawn_before_it_is_done(bench):
    bench.click('#bench-side [data-tab="tighten"]')
    until(bench, "easyPocket.screens.bench.rails.marks.targets?.get('snare')?.has(1680)")
    expect(bench.locator("#tighten-words")).to_contain_text("74 of 74 hits move")
    was = offset(bench, "snare", 1680)
    by = bench.evaluate("easyPocket.screens.bench.rails.marks.targets.get('snare').get(1680)")
    assert by == pytest.approx(-was / 2, abs=0.05)
    bench.locator("#tighten-strength").fill("100")
    expect(bench.locator("#tighten-words")).to_contain_text("to 0.0 ms")
    bench.select_option("#tighten-grid", "480")
    expect(bench.locator("#tighten-warning")).to_contain_text("On 16ths none collide")
    expect(bench.locator("#tighten-propose")).to_have_text("Use 16ths")
    bench.click("#tighten-propose")
    expect(bench.locator("#tighten-grid")).to_have_value("240")
    expect(bench.locator("#tighten-warning")).to_be_hidden()
    bench.click("#tighten-do")
    until(bench, "Math.abs(easyPocket.screens.bench.rails.find('snare', 1680).offset) < 0.02")
    bench.click('#bench-side [data-tab="feel"]')
    assert bench.evaluate("easyPocket.screens.bench.rails.marks.targets") is None


def test_only_chosen_hits_are_tightened(bench):
    bench.click('#bench-side [data-tab="tighten"]')
    bench.evaluate("easyPocket.screens.bench.rails.chosen.set([easyPocket.screens.bench.rails.find('snare', 1680)])")
    expect(bench.locator("#tighten-of")).to_have_text("1 chosen")
    expect(bench.locator("#tighten-words")).to_contain_text("1 of 74 hits move")


def test_the_widest_gap_is_a_click_away_and_the_figures_can_be_copied(bench):
    bench.click('#bench-side [data-tab="pocket"]')
    bench.select_option("#pocket-other", "straight")
    first = bench.locator("[data-worst-voice]").first
    expect(first).to_be_visible()
    voice, tick = first.get_attribute("data-worst-voice"), int(first.get_attribute("data-worst-tick"))
    first.click()
    until(
        bench,
        f"easyPocket.screens.bench.rails.cursor?.voice === '{voice}' && easyPocket.screens.bench.rails.cursor.tick === {tick}",
    )
    table = bench.locator("#pocket-table").input_value()
    assert table.splitlines()[0].split("\t")[:3] == ["voice", "hits", "mean ms"]
    assert re.search(r"^Snare\t9\t", table, re.MULTILINE)
    bench.click("[data-pocket-copy]")
    expect(bench.locator("#note")).to_contain_text("on the clipboard")


def test_grooves_are_tried_in_the_beat_with_arrow_keys_before_one_is_taken(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.running")
    before = bench.evaluate("easyPocket.player.stack.felt.start_s.slice()")
    bench.keyboard.press("o")
    expect(bench.locator("#groove-chooser")).to_be_visible()
    bench.keyboard.press("ArrowDown")
    until(
        bench, f"JSON.stringify(easyPocket.player.stack.felt.start_s) !== '{json.dumps(before, separators=(',', ':'))}'"
    )
    assert bench.evaluate("easyPocket.player.running")
    bench.keyboard.press("Escape")
    until(
        bench, f"JSON.stringify(easyPocket.player.stack.felt.start_s) === '{json.dumps(before, separators=(',', ':'))}'"
    )
    expect(bench.locator("[data-groove-open]")).to_have_text("Rope Walk ▾")
    bench.keyboard.press("o")
    expect(bench.locator("#groove-chooser")).to_be_visible()
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("Enter")
    saved(bench)
    expect(bench.locator("[data-groove-open]")).to_have_text("Plumb Line ▾")
    assert seen(bench, "shaker", 240)["offset"] == pytest.approx(
        0.3 * 0.07 * 480 * ms_per_tick(TEMPO), abs=0.05
    )  # 70 % pull to a straight groove leaves 30 % of the swing


def test_a_voice_is_taken_out_of_the_grooves_reach_by_its_sign(bench):
    type_into(bench, "timing_pull", 100)
    type_into(bench, "swing_percent", 50)
    assert offset(bench, "shaker", 240) > 5
    bench.click('[data-reach="shaker"]')
    saved(bench)
    assert offset(bench, "shaker", 240) == 0
    expect(bench.locator('[data-reach="shaker"]')).to_have_attribute("aria-pressed", "false")


def test_dynamics_show_in_the_hits(bench):
    ghost = hit(bench, "snare", 1680)["played"]
    type_into(bench, "ghost_percent", 50)
    assert hit(bench, "snare", 1680)["played"] == round(ghost / 2)
    bench.reload()
    drawn(bench)
    assert hit(bench, "snare", 1680)["played"] == round(ghost / 2)


def test_a_slider_is_seen_and_heard_while_it_is_dragged_and_kept_when_let_go(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.running")
    box = box_of(bench.locator("#feel-swing_percent"))
    y = box["y"] + box["height"] / 2
    bench.mouse.move(box["x"] + 8 + (box["width"] - 16) * 7 / 25, y)
    bench.mouse.down()
    bench.mouse.move(box["x"] + box["width"] * 0.9, y, steps=4)
    wanted = bench.evaluate("Number(document.getElementById('feel-swing_percent').value)")
    assert wanted > 65
    late_ms = 2 * 240 * (wanted / 50 - 1) * ms_per_tick(TEMPO) / 2
    until(bench, f"Math.abs(easyPocket.screens.bench.rails.find('shaker', 240).amounts.swing[1] - {late_ms}) < 0.01")
    sounds_ms = f"240 * {ms_per_tick(TEMPO)} + easyPocket.screens.bench.rails.find('shaker', 240).offset"
    until(
        bench, f"easyPocket.player.stack.felt.start_s.some((s) => Math.abs(s * 1000 - ({sounds_ms})) < 0.02)"
    )  # a sample is 0.023 ms
    expect(bench.locator("#feel-note-swing_percent")).to_contain_text(f"{wanted / (100 - wanted):.2f} : 1")
    assert bench.evaluate("easyPocket.edits.revision === easyPocket.song.revision && !easyPocket.edits.queue.length")
    kept = bench.evaluate("easyPocket.song.undo")
    bench.mouse.up()
    saved(bench)
    assert bench.evaluate("easyPocket.song.undo") == f"swing of the stack {wanted:g}" != kept
    bench.click("#undo")
    saved(bench)
    assert bench.evaluate("easyPocket.song.undo") == kept  # one step, however long the drag
