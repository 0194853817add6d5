"""Many hits at once, as a user does it: frames, moves, articulations, the detail strip, locks, lengths, memory."""

import json

import mido
import pytest
from playwright.sync_api import expect

from tests.browser.gestures import (
    box_of,
    click_slot,
    drag,
    drawn,
    expect_hit,
    expect_hits,
    expect_no_hit,
    head_of,
    hit,
    own_ms,
    saved,
    seen,
    slot_point,
    ticks,
    until,
    velocity,
)


def frame(page, start, end):
    """Draw a frame from one place of the rails to another."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=8)
    page.mouse.up()


def chosen(page):
    return sorted(page.evaluate("[...easyPocket.screens.bench.rails.chosen.keys]"))


@pytest.fixture
def snares(bench):
    """The snares of the first bar are framed."""
    bench.click('[data-mode="select"]')
    frame(bench, slot_point(bench, "snare", 600, 0.05), slot_point(bench, "snare", 3720, 0.95))
    assert chosen(bench) == [f"snare {tick}" for tick in sorted(map(str, (960, 1680, 2160, 2880)))]
    return bench


def test_a_frame_chooses_what_it_touches_and_escape_lets_go(snares):
    expect(snares.locator("#chosen-count")).to_have_text("4 hits")
    snares.keyboard.press("Escape")
    assert chosen(snares) == []


def test_chosen_hits_are_drawn_to_another_place_and_copied_with_alt(snares):
    start = head_of(snares, "snare", 960)
    to = slot_point(snares, "rim", 1200)
    offset = slot_point(snares, "rim", 960)
    drag(snares, start, (to[0] - offset[0], to[1] - start[1]))
    saved(snares)
    assert {1200, 1920, 2400, 3120} <= set(ticks(snares, "rim"))
    assert 960 not in ticks(snares, "snare")
    assert chosen(snares)[0].startswith("rim")
    snares.keyboard.press("Control+z")
    expect_hit(snares, "snare", 960)
    saved(snares)
    snares.keyboard.press("Escape")
    snares.mouse.click(*head_of(snares, "snare", 960))
    snares.keyboard.down("Alt")
    drag(
        snares,
        head_of(snares, "snare", 960),
        (slot_point(snares, "snare", 1440)[0] - slot_point(snares, "snare", 960)[0], 0),
    )
    snares.keyboard.up("Alt")
    saved(snares)
    assert {960, 1440} <= set(ticks(snares, "snare"))


def test_keys_nudge_move_and_set_all_chosen(snares):
    before = own_ms(snares, "snare", 2880)
    for key in (".", ".", ","):
        snares.keyboard.press(key)
    saved(snares)
    assert own_ms(snares, "snare", 2880) == pytest.approx(before + 1)
    snares.keyboard.press("5")
    saved(snares)
    assert {velocity(snares, "snare", tick) for tick in (960, 1680, 2160, 2880)} == {71}
    snares.keyboard.press("Shift+ArrowRight")
    saved(snares)
    assert {1200, 1920, 2400, 3120} <= set(ticks(snares, "snare"))
    assert velocity(snares, "snare", 4800) != 71


def test_articulations_are_drawn_heard_and_exported(bench, tmp_path):
    click_slot(bench, "rim", 2160)
    saved(bench)
    bench.keyboard.press("f")
    saved(bench)
    flam = hit(bench, "rim", 2160)
    assert "flam 24 ms before" in flam["ledger"]
    assert flam["articulation"]["drawn"] == [[-24.0, 43]]
    for _ in range(2):
        bench.keyboard.press("r")
        saved(bench)
    assert hit(bench, "rim", 2160)["articulation"]["strokes"] == 3
    own_s = 2160 / 960 * 60 / 104 + hit(bench, "rim", 2160)["offset"] / 1000
    starts = bench.evaluate(
        "(() => { const f = easyPocket.playing.felt; return f.start_s.filter((_, i) => f.audio[f.sound[i]].startsWith('rim-')); })()"
    )
    strokes = [start for start in starts if 0 <= start - own_s + 1e-3 < 60 / 104 / 4]
    assert len(strokes) == 3
    assert strokes[0] == pytest.approx(own_s, abs=1e-4)
    assert strokes[2] - strokes[0] == pytest.approx(2 / 3 * 60 / 104 / 4, rel=0.2)  # swing bends it
    bench.click("text=Export")
    with bench.expect_download() as download:
        bench.click("#export-menu >> text=as felt >> nth=0")
    target = tmp_path / "out.mid"
    download.value.save_as(target)
    notes = [m for track in mido.MidiFile(target).tracks for m in track if m.type == "note_on" and m.note == 37]
    assert len(notes) == len(ticks(bench, "rim")) + 2


def test_what_has_odds_sounds_in_some_passes(bench):
    bench.locator("#rail-rows").focus()
    click_slot(bench, "rim", 0)
    saved(bench)
    bench.keyboard.press("v")
    bench.click("text=more ▾")
    bench.select_option("[data-articulation=passes]", label="every 2nd pass")
    saved(bench)
    assert "every 2nd pass" in hit(bench, "rim", 0)["ledger"]
    counts = bench.evaluate(
        "(() => { const p = easyPocket.playing; return [p.felt, ...p.felt_more].map((f) => f.sound.filter((s) => f.audio[s].startsWith('rim-')).length); })()"
    )
    assert counts == [2, 3]
    passes = bench.evaluate("[0, 1, 2, 3].map((n) => easyPocket.player.sounds(n).start_s.length)")
    assert passes == [passes[0], passes[0] + 1] * 2


def test_drawing_over_the_strip_sets_values_in_one_step(bench):
    bench.click(".voice-name >> text=Closed hat")
    saved(bench)
    before = bench.evaluate("easyPocket.screens.bench.rails.data.hits('hat_closed').map((hit) => hit.velocity)")
    box = box_of(bench.locator("#detail"))
    left, right = slot_point(bench, "hat_closed", 0)[0] - 4, slot_point(bench, "hat_closed", 7440)[0] + 4
    bench.mouse.move(left, box["y"] + box["height"] - 14)
    bench.mouse.down()
    bench.mouse.move(right, box["y"] + 14, steps=12)
    bench.mouse.up()
    saved(bench)
    after = bench.evaluate("easyPocket.screens.bench.rails.data.hits('hat_closed').map((hit) => hit.velocity)")
    assert after == sorted(after)
    assert after[0] < 12
    assert after[-1] > 105
    bench.keyboard.press("Control+z")
    saved(bench)
    assert bench.evaluate("easyPocket.screens.bench.rails.data.hits('hat_closed').map((hit) => hit.velocity)") == before


def test_shapes_and_typed_values(bench):
    bench.click(".voice-name >> text=Closed hat")
    bench.click("text=shape ▾")
    bench.select_option("#shape-kind", "steps")
    bench.fill("#shape-weights", "110 50")
    bench.click("[data-shape]")
    saved(bench)
    values = bench.evaluate("easyPocket.screens.bench.rails.data.hits('hat_closed').map((hit) => hit.velocity)")
    assert values[:4] == [110, 50, 110, 50]
    bench.keyboard.press("Escape")
    bench.click('[data-detail="tune_cents"]')
    bench.locator("#rail-rows").focus()
    bench.keyboard.press("w")
    bench.fill("#detail-value", "-300")
    bench.keyboard.press("Enter")
    saved(bench)
    row = bench.evaluate("easyPocket.screens.bench.rails.cursor.voice")
    assert set(
        bench.evaluate(f"easyPocket.screens.bench.rails.data.hits('{row}').map((hit) => hit.articulation.tune_cents)")
    ) == {-300}
    bench.fill("#detail-value", "9999")
    bench.keyboard.press("Enter")
    expect(bench.locator("#note")).to_contain_text("type a number from -2400 to 2400")


def test_a_locked_hit_refuses_and_says_why(snares):
    snares.keyboard.press("l")
    saved(snares)
    assert hit(snares, "snare", 960)["articulation"]["locked"]
    snares.keyboard.press("Delete")
    expect(snares.locator("#note")).to_contain_text("Snare at 1.2 is locked")
    expect_hit(snares, "snare", 960)
    snares.keyboard.press("l")
    saved(snares)
    snares.keyboard.press("Delete")
    expect_no_hit(snares, "snare", 960)


def test_cut_and_paste_through_the_clipboard_as_text(snares):
    text = snares.evaluate(
        """() => {
            const data = new DataTransfer();
            document.dispatchEvent(new ClipboardEvent('copy', {clipboardData: data, cancelable: true}));
            return data.getData('text/plain');
        }"""
    )
    assert text.splitlines()[0] == "easy-pocket hits"
    assert text.splitlines()[1].startswith("snare 960 114 ")
    snares.evaluate("easyPocket.screens.bench.rails.putCursor('snare', 4080)")
    snares.evaluate(
        f"""() => {{
            const data = new DataTransfer();
            data.setData('text/plain', {json.dumps(text)});
            document.dispatchEvent(new ClipboardEvent('paste', {{clipboardData: data, cancelable: true}}));
        }}"""
    )
    saved(snares)
    assert {4080, 4800, 5280, 6000} <= set(ticks(snares, "snare"))


def test_zoom_scroll_and_sixteen_bars(bench):
    bench.locator("#rail-rows").focus()
    for _ in range(3):
        bench.keyboard.press("d")
        saved(bench)
    expect(bench.locator(".ruler")).to_contain_text("bars 1–2")
    for _ in range(3):
        bench.keyboard.press("-")
    expect(bench.locator(".ruler")).to_contain_text("bars 1–16")
    for _ in range(9):
        bench.keyboard.press("+")
    until(bench, "easyPocket.screens.bench.rails.look.end - easyPocket.screens.bench.rails.look.start === 960")
    before = bench.evaluate("easyPocket.screens.bench.rails.look.start")
    x, y = slot_point(bench, "kick", before + 480)
    bench.mouse.move(x, y)
    bench.keyboard.down("Shift")
    bench.mouse.wheel(0, 300)
    bench.keyboard.up("Shift")
    until(bench, f"easyPocket.screens.bench.rails.look.start > {before}")
    bench.keyboard.down("Control")
    bench.mouse.wheel(0, 240)
    bench.keyboard.up("Control")
    until(bench, "easyPocket.screens.bench.rails.look.end - easyPocket.screens.bench.rails.look.start === 1920")


def test_bars_are_chosen_on_the_ruler_and_a_break_made_in_them(bench):
    ruler = box_of(bench.locator("#counting"))
    x = slot_point(bench, "kick", 3840 + 480)[0]
    bench.mouse.click(x, ruler["y"] + 8)
    bench.locator("#rail-rows").focus()
    bench.evaluate("easyPocket.screens.bench.rails.putCursor('kick', 0)")
    bench.keyboard.press("[")
    until(bench, "easyPocket.screens.bench.rails.bars.from === 1 && easyPocket.screens.bench.rails.bars.count === 2")
    bench.evaluate("easyPocket.screens.bench.rails.putCursor('kick', 3840)")
    bench.keyboard.press("[")
    bench.keyboard.press("v")
    assert chosen(bench) == ["kick 3840"]
    bench.keyboard.press("v")
    bench.click("#rail-kick [data-mix=solo]")
    saved(bench)
    bench.click("[aria-label*='length of the pattern']")
    expect(bench.locator("#bars-chosen")).to_have_text("bar 2 chosen")
    bench.click('[data-bars-edit="break"]')
    saved(bench)
    assert [tick for tick in ticks(bench, "snare") if tick >= 3840] == []
    assert [tick for tick in ticks(bench, "kick") if tick >= 3840]
    bench.fill("#length-typed", "28")
    bench.keyboard.press("Enter")
    saved(bench)
    assert bench.evaluate("easyPocket.screens.bench.rails.facts.length") == 28 * 240


def test_solo_while_held_and_only_kick_and_snare(bench):
    solo = bench.locator("#rail-rim [data-mix=solo]")
    box = box_of(solo)
    bench.mouse.move(box["x"] + 8, box["y"] + 8)
    bench.mouse.down()
    until(bench, "document.querySelector('#rail-rim [data-mix=solo]').getAttribute('aria-pressed') === 'true'")
    bench.mouse.up()
    until(bench, "document.querySelector('#rail-rim [data-mix=solo]').getAttribute('aria-pressed') === 'false'")
    saved(bench)
    bench.locator("#rail-rows").focus()
    bench.keyboard.press("k")
    saved(bench)
    heard = "[...new Set(easyPocket.playing.felt.audio.map((key) => key.split('-')[0]))].sort()"
    assert bench.evaluate(heard) == ["kick", "snare"]
    bench.keyboard.press("k")
    saved(bench)
    assert len(bench.evaluate(heard)) == 7


def test_steps_in_words_lead_back_and_on(bench):
    for tick in (0, 480, 960):
        click_slot(bench, "hat_open", tick)
        saved(bench)
    bench.click("[data-memory=steps]")
    lines = bench.locator("#steps .memory-line")
    expect(lines).to_have_text(
        ["write open hat at 1.2", "write open hat at 1.1 &", "write open hat at 1.1", "the song as it was made"]
    )
    lines.nth(3).click()
    expect_hits(bench, "hat_open", 1)
    bench.reload()
    drawn(bench)
    bench.click("[data-memory=steps]")
    lines.nth(1).click()
    expect_hits(bench, "hat_open", 3)


def test_a_snapshot_kept_before_the_list_has_come_stays_in_it(bench):
    slow = []
    bench.route(
        "**/snapshots?*", lambda route: slow.append(route) if route.request.method == "GET" else route.continue_()
    )
    bench.click("[data-memory=snapshots]")
    bench.fill("#snapshot-name", "at once")
    bench.keyboard.press("Enter")
    expect(bench.locator("#snapshots b")).to_have_text("at once")
    with bench.expect_response("**/snapshots?*"):
        slow[0].fulfill(json={"snapshots": []})
    bench.evaluate("new Promise((go) => setTimeout(go))")
    expect(bench.locator("#snapshots b")).to_have_text("at once")
    bench.unroute("**/snapshots?*")


def test_snapshots_are_compared_by_one_key_and_differences_told(bench):
    bench.click("[data-memory=snapshots]")
    bench.fill("#snapshot-name", "before <i>")
    bench.keyboard.press("Enter")
    expect(bench.locator("#snapshots b")).to_have_text("before <i>")
    click_slot(bench, "rim", 960)
    saved(bench)
    expect(bench.locator("#differences p")).to_have_text(["rim 1.2 gone"])
    assert bench.evaluate("[...easyPocket.screens.bench.rails.marks.differs]") == ["rim 960"]
    bench.click("#play")
    until(bench, "easyPocket.player.running")
    bench.keyboard.press("c")
    until(bench, "easyPocket.player.beside !== null")  # its sounds come first: it may strike others
    assert (
        bench.evaluate("easyPocket.player.beside.felt.start_s.length")
        == bench.evaluate("easyPocket.playing.felt.start_s.length") - 1
    )
    bench.keyboard.press("c")
    assert bench.evaluate("easyPocket.player.beside") is None
    bench.click("[data-snapshot-back]")
    expect_no_hit(bench, "rim", 960)
    bench.keyboard.press("Control+z")
    expect_hit(bench, "rim", 960)
    bench.click("[data-snapshot-away]")
    expect(bench.locator("#snapshots")).to_contain_text("None yet")
    bench.click("#note >> text=Put it back")
    expect(bench.locator("#snapshots b")).to_have_text("before <i>")


def test_lines_are_heard_before_they_are_put_in_and_kept(bench):
    bench.click("[data-memory=lines]")
    bench.wait_for_selector(".line-row")
    bench.click('[data-line-group="kick"]')
    bench.keyboard.press("ArrowDown")
    until(bench, "easyPocket.player.running && easyPocket.player.beside?.felt.start_s.length === 4")
    bench.keyboard.press("ArrowDown")
    until(bench, "easyPocket.player.beside?.felt.start_s.length === 2")
    expect(bench.locator(".line-row.on b")).to_have_text("one and three")
    bench.keyboard.press("Enter")
    saved(bench)
    assert ticks(bench, "kick") == [0, 1920, 3840, 5760]
    until(bench, "!easyPocket.player.running")
    bench.locator("#rail-rows").focus()
    bench.evaluate("easyPocket.screens.bench.rails.putCursor('kick', 0)")
    bench.keyboard.press("w")
    bench.fill("#line-keep-name", "mine")
    bench.keyboard.press("Enter")
    expect(bench.locator(".line-row b")).to_have_text(["mine"])
    bench.click("#line-list >> text=remove")
    expect(bench.locator("#line-list")).to_contain_text("None of yours yet")


def test_a_click_is_drawn_at_once_and_before_the_server_has_answered(bench):
    """In the frame that is asked for at the click, whatever a frame takes here; nothing is sent meanwhile."""
    drawn_in = bench.evaluate(
        """async () => {
            const { edits } = easyPocket, { rails } = easyPocket.screens.bench, frames = [];
            edits.send = () => {};
            for (let n = 0; n < 20; n += 1) {
                const began = performance.now();
                rails.write('tambourine', 240 + 480 * (n % 16));
                let count = 0;
                while (rails.waiting || rails.drawnAt < began) {
                    await new Promise((go) => requestAnimationFrame(go));
                    count += 1;
                }
                frames.push([count, rails.find('tambourine', 240 + 480 * (n % 16)).waiting]);
                rails.remove('tambourine', 240 + 480 * (n % 16));
            }
            delete edits.send;
            edits.send();
            return frames;
        }"""
    )
    assert all(count <= 2 for count, _ in drawn_in)
    assert all(waiting for _, waiting in drawn_in)
    saved(bench)
    assert seen(bench, "tambourine", 240) is None
