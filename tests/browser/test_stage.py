"""The Stage as a hand uses it: sounds moved on the floor, chains built, before and after; the page and the file null."""

from __future__ import annotations

import base64
import io
import random
import urllib.request

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, Route, expect

from easy_pocket.core.stage.unit_fields import UNITS
from tests.browser.gestures import box_of, drawn, saved, until

ROUNDS = 6  # until rooms and echo are as they are in the middle of the music
MIXED = """async ([passes, whole, rings_s, before_s]) => {
    const address = document.querySelector('script[type=module]').src.replace('app.js', 'offline_mix.js');
    const { offlineMix } = await import(address);
    const playing = whole ? await easyPocket.plan.fetch() : easyPocket.player.stack;
    const [left, right] = await offlineMix(playing, passes, rings_s, before_s);
    const bytes = new Uint8Array(Float32Array.from({ length: 2 * left.length }, (_, at) => (at % 2 ? right : left)[at >> 1]).buffer);
    let text = '';
    for (let at = 0; at < bytes.length; at += 32768) text += String.fromCharCode(...bytes.subarray(at, at + 32768));
    return [playing.length_s, Math.min(0, ...playing.felt.start_s), btoa(text)];
}"""


def open_stage(page: Page, song: str) -> None:
    page.goto(f"{song}/stage")
    until(page, "window.easyPocket?.screen === 'stage'")


def edit(page: Page, **sent: object) -> None:
    page.evaluate("(sent) => easyPocket.edits.push(sent, { near: document.body })", sent)
    saved(page)


def file_of(address: str, song: str, name: str) -> np.ndarray:
    with urllib.request.urlopen(f"{address}{song}/{name}.wav?bits=32") as answer:
        sound: np.ndarray = soundfile.read(io.BytesIO(answer.read()), always_2d=True)[0]
    return sound


def heard(page: Page, passes: int = 2, *, whole: bool = False, rings_s: float = 0, before_s: float = 0) -> np.ndarray:
    _, _, text = page.evaluate(MIXED, [passes, whole, rings_s, before_s])
    return np.frombuffer(base64.b64decode(text), dtype=np.float32).reshape(-1, 2)


def assert_null(page: np.ndarray, file: np.ndarray) -> None:
    frames = min(len(page), len(file))
    left = page[:frames] - file[:frames]
    rms = 20 * np.log10(np.sqrt((left**2).mean()) / np.sqrt((file**2).mean()))
    worst = 20 * np.log10(np.abs(left).max() + 1e-12)
    assert rms < -80, (rms, worst)
    assert worst < -60, (rms, worst)


def units(dice: random.Random, voice: str) -> list[dict[str, object]]:
    chain = []
    for kind in dice.sample(list(UNITS), dice.randint(1, 3)):
        settings: dict[str, object] = {}
        for name, field in UNITS[kind].fields.items():
            if field.choices:
                settings[name] = dice.choice(field.choices)
            elif not isinstance(field.default, str) and dice.random() < 0.6:
                # Towards what is used, not the far ends: a drive of 100 % is noise that nothing can be told from.
                settings[name] = (
                    float(field.default) + (dice.uniform(field.low, field.high) - float(field.default)) * 0.5
                )
        if kind == "compressor" and dice.random() < 0.4:
            settings["side"] = voice
        chain.append({"kind": kind, "settings": settings})
    return chain


def random_stage(page: Page, dice: random.Random) -> None:
    """Chains, groups and sends of the song that is shown, drawn by dice."""
    part = page.evaluate("easyPocket.song.at[0]")
    voices = [f"part:{part}:{voice}" for voice in ("kick", "snare", "hat_closed", "shaker")]
    members = dice.sample(voices, 2)
    edit(page, kind="stage_group", name="some", members=members)
    for where in (*dice.sample(voices, 2), f"part:{part}", "group:g1", "whole", "long"):
        if dice.random() < 0.7:
            edit(page, kind="stage_chain", where=where, chain=units(dice, voices[0]))
    for where in (*voices, "group:g1"):
        edit(
            page, kind="stage_send", where=where, to=dice.choice(["short", "long", "echo"]), percent=dice.randint(0, 80)
        )


def test_page_and_file_null_on_a_plain_stage(page: Page, song: str, address: str) -> None:
    page.goto(f"{song}/bench")
    drawn(page)
    file = file_of(address, song, "pattern")
    assert_null(heard(page)[len(file) :], file)


def test_page_and_file_null_on_any_stage(page: Page, song: str, address: str, deep: bool) -> None:
    for number in range(20 if deep else 1):
        open_stage(page, song)
        random_stage(page, random.Random(number))
        page.goto(f"{song}/bench")
        drawn(page)
        file = file_of(address, song, "pattern")
        assert_null(heard(page, ROUNDS)[(ROUNDS - 1) * len(file) :], file)


def test_page_and_file_null_over_a_song_with_its_end(page: Page, song: str, address: str) -> None:
    open_stage(page, song)
    random_stage(page, random.Random(5))
    file = file_of(address, song, "song")
    length_s, first_s, bar_s = page.evaluate(
        "easyPocket.plan.fetch().then((song) => [song.length_s, Math.min(0, ...song.felt.start_s), song.bars_s[1]])"
    )
    before_s = bar_s if first_s < 0 else 0
    page_mix = heard(page, 1, whole=True, rings_s=max(0, len(file) / 44_100 - before_s - length_s), before_s=before_s)
    assert_null(page_mix, file)


def test_page_and_file_null_where_a_section_has_its_own(page: Page, song: str, address: str) -> None:
    open_stage(page, song)
    for _ in range(2):
        edit(page, kind="section_add", how="copy")
    section = int(page.locator("#ribbon [data-section]").nth(1).get_attribute("data-section") or 0)
    part = page.evaluate("easyPocket.song.at[0]")
    kick, snare, hat = (f"part:{part}:{voice}" for voice in ("kick", "snare", "hat_closed"))
    chain = [{"kind": "tone", "settings": {"high_cut_hz": 900}, "on": False}, {"kind": "compressor"}]
    edit(page, kind="stage_chain", where="whole", chain=chain)
    edit(page, kind="stage_unit", where="whole", at=0, on=True, section_id=section)
    edit(page, kind="stage_unit", where="whole", at=1, on=False, section_id=section)
    edit(page, kind="stage_send", where=snare, to="long", percent=50, section_id=section)
    edit(page, kind="stage_send", where=hat, to="short", percent=30)
    edit(page, kind="stage_send", where=hat, to="short", percent=0, section_id=section)
    edit(page, kind="stage_level", where=kick, level_db=-12, section_id=section)
    file = file_of(address, song, "song")
    length_s, first_s, bar_s = page.evaluate(
        "easyPocket.plan.fetch().then((song) => [song.length_s, Math.min(0, ...song.felt.start_s), song.bars_s[1]])"
    )
    before_s = bar_s if first_s < 0 else 0
    assert_null(heard(page, 1, whole=True, rings_s=len(file) / 44_100 - before_s - length_s, before_s=before_s), file)


def test_a_single_hit_blooms_in_the_long_room_on_the_page_and_in_the_file(page: Page, song: str, address: str) -> None:
    page.goto(f"{song}/bench")
    drawn(page)
    edit(page, kind="values", field="room_percent", values=[["snare", 2880, 80]])
    file = file_of(address, song, "pattern")
    assert_null(heard(page, 3)[2 * len(file) :], file)
    edit(page, kind="values", field="room_percent", values=[["snare", 2880, 0]])
    assert np.abs(file_of(address, song, "pattern") - file).max() > 0.005


def test_who_hides_whom_is_told_tried_and_mended(page: Page, song: str) -> None:
    open_stage(page, song)
    page.locator('[data-tab="crowding"]').click()
    first = page.locator("#crowd-pairs li").first
    expect(first.locator("b")).to_contain_text(" and ", timeout=30_000)
    # Whether something small helps is the core's to say (test_crowding); here it is what a hand does with it.
    where = page.evaluate(
        """(() => {
            const { whole, crowd } = easyPocket.screens.stage;
            const [pair] = whole.measured.crowding.pairs;
            const plan = { kind: 'wide', character: '', side: '', numbers: { width: 0.5 }, filters: [], points: {}, delays: [] };
            Object.assign(pair, { where: pair.by, plan, unit: { kind: 'wide', settings: { width_percent: 50 } } });
            crowd.show();
            return pair.by;
        })()"""
    )
    trying = page.locator("[data-crowd-try]").first
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    box = box_of(trying)
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    until(page, f"easyPocket.player.stage.planOf('{where}').units.length === 1")
    page.mouse.up()
    until(page, f"easyPocket.player.stage.planOf('{where}').units.length === 0")
    page.locator("[data-crowd-put]").first.click()
    saved(page)
    until(page, f"easyPocket.player.stage.planOf('{where}').units.length === 1")


def test_a_sound_in_the_way_is_tried_and_put_elsewhere(page: Page, song: str) -> None:
    open_stage(page, song)
    page.locator('[data-tab="crowding"]').click()
    expect(page.locator("#crowd-pairs li").first.locator("b")).to_contain_text(" and ", timeout=30_000)
    where = page.evaluate(
        """(() => {
            const { whole, crowd } = easyPocket.screens.stage;
            const where = document.querySelector('.sound[data-where$=":shaker"]').dataset.where;
            Object.assign(whole.measured.crowding.pairs[0], { where, unit: null, plan: null, pan: -0.6, later_ms: 0 });
            crowd.show();
            return where;
        })()"""
    )
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    box = box_of(page.locator("[data-crowd-try]").first)
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    until(page, f"easyPocket.player.panners.has('{where} -0.6')")  # a hit has sounded there
    page.mouse.up()
    until(page, "easyPocket.player.moved === null")
    page.locator("[data-crowd-put]").first.click()
    saved(page)
    expect(page.locator(f'.sound[data-where="{where}"]')).to_have_attribute("data-pan", "-0.6")


def sound_on_floor(page: Page, voice: str) -> tuple[float, float]:
    box = box_of(page.locator(f'.sound[data-where$=":{voice}"] .disc'))
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def send_of(page: Page, voice: str, name: str = "short") -> float:
    plan = page.evaluate("easyPocket.player.stack.stage.places")
    return float(next((place["sends"].get(name, 0) for where, place in plan.items() if where.endswith(f":{voice}")), 0))


def test_a_sound_is_drawn_to_the_side_and_into_the_room(page: Page, song: str) -> None:
    open_stage(page, song)
    x, y = sound_on_floor(page, "shaker")
    was = float(page.locator('.sound[data-where$=":shaker"]').get_attribute("data-pan") or 0)
    page.mouse.move(x, y)
    page.mouse.down()
    floor = box_of(page.locator("svg.floor"))
    page.mouse.move(x + 60, y - 40, steps=5)
    page.mouse.move(x + 120, floor["y"] + floor["height"] * 140 / 420, steps=5)  # among the rooms
    page.mouse.up()
    saved(page)
    until(page, "document.querySelector('.sound.sel')?.dataset.where.endsWith(':shaker')")
    after = page.locator('.sound[data-where$=":shaker"]')
    assert float(after.get_attribute("data-pan") or 0) > was + 0.2
    assert float(after.get_attribute("data-send") or 0) > 3
    assert send_of(page, "shaker") == pytest.approx(float(after.get_attribute("data-send") or 0) / 100, abs=0.001)
    pans = page.evaluate(
        "easyPocket.player.stack.felt.places.map((one, at) => [one, easyPocket.player.stack.felt.pan[easyPocket.player.stack.felt.place.indexOf(at)]])"
    )
    assert dict(pans)[after.get_attribute("data-where")] == pytest.approx(float(after.get_attribute("data-pan") or 0))
    # It was one move, so one undo takes all of it back.
    page.keyboard.press("Control+z")
    saved(page)
    expect(after).to_have_attribute("data-send", "0")
    assert float(after.get_attribute("data-pan") or 0) == was
    assert send_of(page, "shaker") == 0


def test_a_section_is_set_by_itself_and_goes_back_to_the_song(page: Page, song: str) -> None:
    open_stage(page, song)
    edit(page, kind="section_add", how="copy")
    page.locator("#ribbon [data-section-go]").nth(1).click()
    page.locator(".level-name", has_text="Snare").click()
    page.locator('[data-unit-add="tone"]').click()
    page.locator('[data-placed="section"]').click()
    expect(page.locator(".own-here")).to_contain_text("as in the song")
    page.locator('[data-unit="0"] [data-unit-on]').click()
    expect(page.locator(".own-here")).to_contain_text("Verse 2 has its own here")
    expect(page.locator('[data-unit="0"] [data-unit-on]')).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("-")
    page.keyboard.press("-")
    expect(page.locator(".level-row.sel.own em")).to_have_text("−1.0")
    page.locator('[data-placed="song"]').click()
    expect(page.locator('[data-unit="0"] [data-unit-on]')).to_have_attribute("aria-pressed", "true")
    expect(page.locator(".level-row.sel em")).to_have_text("0")
    page.locator('[data-placed="section"]').click()
    page.locator("[data-section-clear]").click()
    expect(page.locator(".level-row.sel em")).to_have_text("0")
    expect(page.locator('[data-unit="0"] [data-unit-on]')).to_have_attribute("aria-pressed", "true")


def test_escape_puts_a_drawn_sound_back_and_a_click_moves_nothing(page: Page, song: str) -> None:
    open_stage(page, song)
    before = page.locator('.sound[data-where$=":snare"]').get_attribute("transform")
    x, y = sound_on_floor(page, "snare")
    page.mouse.click(x, y)
    saved(page)
    assert page.evaluate("easyPocket.song.undo") in (None, "")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 90, y - 90, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    saved(page)
    until(page, f"document.querySelector('.sound[data-where$=\":snare\"]').getAttribute('transform') === '{before}'")
    assert send_of(page, "snare") == 0


def test_the_floor_by_keys(page: Page, song: str) -> None:
    open_stage(page, song)
    first = page.evaluate("document.querySelector('.sound.sel').dataset.where")
    page.keyboard.press("n")
    until(page, f"document.querySelector('[data-chain]').dataset.chain !== '{first}'")
    where = page.evaluate("document.querySelector('[data-chain]').dataset.chain")
    for key in ("ArrowUp", "ArrowUp", "ArrowLeft", "+", "+"):
        page.keyboard.press(key)
    saved(page)
    sound = page.locator(f'.sound[data-where="{where}"]')
    expect(sound).to_have_attribute("data-send", "10.0")
    expect(sound).to_have_attribute("data-level", "1.0")
    page.keyboard.press("m")
    saved(page)
    expect(page.locator('#stage-side [data-mix="mute"]')).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")


def test_a_chain_is_built_switched_moved_and_taken_out(page: Page, song: str) -> None:
    open_stage(page, song)
    page.locator('.level-name:has-text("Snare")').first.click()
    until(page, "document.querySelector('[data-chain]').dataset.chain.endsWith(':snare')")
    for kind in ("tone", "drive", "compressor"):
        page.locator(f'[data-unit-add="{kind}"]').click()
        saved(page)
    names = page.locator("#stage-side .unit-name")
    expect(names).to_have_text(["tone", "drive", "compressor"])
    page.locator('.unit:has-text("compressor") [data-unit-move="-1"]').click()
    saved(page)
    expect(names).to_have_text(["tone", "compressor", "drive"])
    page.locator('.unit:has-text("drive") .knot').click()
    saved(page)
    kinds = "Object.entries(easyPocket.player.stack.stage.places).find(([one]) => one.endsWith(':snare'))[1].units.map(({ kind }) => kind)"
    assert page.evaluate(kinds) == ["tone", "compressor"]
    drag = page.locator('.unit:has-text("compressor") .drag[data-field="threshold_db"]')
    before = float(drag.get_attribute("data-value") or 0)
    box = box_of(drag)
    page.mouse.move(box["x"] + 20, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] - 40, box["y"] + 20, steps=6)
    page.mouse.up()
    saved(page)
    until(page, f"Number(document.querySelector('.drag[data-field=threshold_db]').dataset.value) < {before}")
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    page.locator('.unit:has-text("tone") [data-unit-away]').click()
    saved(page)
    expect(names).to_have_text(["compressor", "drive"])
    page.reload()
    until(page, "window.easyPocket?.screen === 'stage'")
    page.locator('.level-name:has-text("Snare")').first.click()
    expect(page.locator("#stage-side .unit-name")).to_have_text(["compressor", "drive"])


def test_escape_puts_a_drawn_value_back(page: Page, song: str) -> None:
    open_stage(page, song)
    page.locator('[data-unit-add="tone"]').click()
    saved(page)
    last_step = page.evaluate("easyPocket.song.undo")
    drag = page.locator('.drag[data-field="low_cut_hz"]')
    box = box_of(drag)
    page.mouse.move(box["x"] + 20, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 80, box["y"] + 20, steps=4)
    page.keyboard.press("Escape")
    page.mouse.move(box["x"] + 90, box["y"] + 20)
    page.mouse.up()
    saved(page)
    until(page, "Number(document.querySelector('.drag[data-field=low_cut_hz]').dataset.value) === 20")
    until(page, f"easyPocket.song.undo === '{last_step}'")  # there is nothing of it to undo
    assert (
        page.evaluate("Object.values(easyPocket.player.stack.stage.places).flatMap(({ units }) => units)[0].filters")
        == []
    )


def test_after_any_control_the_keys_are_the_floors(page: Page, song: str) -> None:
    open_stage(page, song)
    page.locator('.level-name:has-text("Shaker")').first.click()
    page.locator('[data-unit-add="tone"]').click()
    saved(page)
    controls = (
        ".knot", '[data-room="long"]', '[data-room="short"]', '[data-tab="crowding"]', '[data-tab="whole"]',
        '[data-without="all"]', '[data-without=""]', "[data-stage-on]", '[data-setting="B"]',
    )  # fmt: skip
    for control in controls:
        page.locator(control).first.click()
        saved(page)
        before = float(page.locator(".sound.sel").get_attribute("data-send") or 0)
        page.keyboard.press("ArrowUp")
        saved(page)
        until(page, f"Number(document.querySelector('.sound.sel').dataset.send) === {before + 5}")
        page.keyboard.press("ArrowDown")
        saved(page)
        until(page, f"Number(document.querySelector('.sound.sel').dataset.send) === {before}")


def test_a_group_is_made_ducked_and_named_on_the_floor(page: Page, song: str) -> None:
    open_stage(page, song)
    page.get_by_role("button", name="group ▾").click()
    page.fill("#group-name", "tops")
    for name in ("Shaker", "Closed hat"):
        page.locator(f'.group-members label:has-text("{name}") input').check()
    kick = page.locator('.group-members label:has-text("Kick") input')
    if kick.is_checked():
        kick.uncheck()
    page.get_by_role("button", name="Make a group").click()
    saved(page)
    expect(page.locator(".outline text")).to_have_text("tops")
    page.locator('#stage-scopes a:has-text("group")').click()
    page.locator('[data-unit-add="duck"]').click()
    saved(page)
    expect(page.locator(".outline text")).to_have_text("tops, ducked")
    group = page.evaluate("easyPocket.player.stack.stage.places['group:g1']")
    assert min(group["units"][0]["points"]["gain"]["values"]) == pytest.approx(10 ** (-5 / 20), abs=1e-4)


def test_before_is_heard_while_b_is_held_and_settings_are_kept_apart(page: Page, song: str) -> None:
    open_stage(page, song)
    part = page.evaluate("easyPocket.song.at[0]")
    edit(page, kind="stage_chain", where="whole", chain=[{"kind": "drive", "settings": {"amount_percent": 60}}])
    edit(page, kind="stage_send", where=f"part:{part}:snare", to="long", percent=50)
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    units_now = "easyPocket.player.stage.planOf('whole').units.length"
    assert page.evaluate(units_now) == 1
    page.keyboard.down("b")
    until(page, f"{units_now} === 0")
    expect(page.locator('[data-without="all"]')).to_have_attribute("aria-pressed", "true")
    page.keyboard.up("b")
    until(page, f"{units_now} === 1")
    page.locator('[data-setting="B"]').click()
    saved(page)
    edit(page, kind="stage_chain", where="whole", chain=[])
    page.locator('[data-setting="A"]').click()
    saved(page)
    assert page.evaluate("easyPocket.player.stack.stage.places.whole.units.length") == 1
    expect(page.locator("[data-measured=lufs]")).to_contain_text("−", timeout=75_000)


def test_a_control_that_moves_is_heard_without_a_step(page: Page, song: str) -> None:
    """The gain of what is changed glides: the largest step of the sum stays that of the music."""
    open_stage(page, song)
    steps = page.evaluate(
        """async () => {
            const base = document.querySelector('script[type=module]').src.replace('app.js', '');
            const { StageGraph } = await import(base + 'stage_graph.js');
            const context = new AudioContext({ sampleRate: 44100 });
            await context.audioWorklet.addModule(base + 'stage_worklet.js');
            const tape = new MediaStreamAudioDestinationNode(context);
            const graph = new StageGraph(context, tape, () => null);
            const unit = (gain_db) => ({ kind: 'tone', character: '', side: '', numbers: {}, points: {}, delays: [],
                filters: [{ type: 'peaking', hz: 200, quality: 1, gain_db, b: [], a: [] }] });
            const plan = (units) => ({ ceiling_db: -1, returns: {}, places: { x: { to: 'whole', units, sends: {}, send_points: {} } } });
            graph.apply(plan([unit(0)]));
            const tone = new OscillatorNode(context, { frequency: 200 });
            tone.connect(graph.input('x'));
            const analyser = new AnalyserNode(context, { fftSize: 8192 });
            graph.input('whole').connect(analyser);
            tone.start();
            await context.resume();
            let largest = 0;
            const look = () => {
                const data = new Float32Array(8192);
                analyser.getFloatTimeDomainData(data);
                for (let at = 1; at < data.length; at += 1) largest = Math.max(largest, Math.abs(data[at] - data[at - 1]));
            };
            const rest = (ms) => new Promise((go) => setTimeout(go, ms));
            await rest(400);
            for (const units of [[unit(-9)], [unit(0)], [], [unit(-6), unit(-6)], [unit(0)]]) {
                graph.apply(plan(units));
                await rest(100);
                look();
                await rest(100);
            }
            await context.close();
            return [largest, 2 * Math.PI * 200 / 44100];
        }"""
    )
    assert 0.01 < steps[0] < 1.5 * steps[1]


def test_a_beat_is_printed_an_octave_down_and_put_under_itself_in_four_gestures(page: Page, song: str) -> None:
    open_stage(page, song)
    page.get_by_role("tab", name="everything").click()
    page.get_by_role("button", name="print").click()
    page.get_by_label("Pitch in semitones").fill("-12")
    page.get_by_role("button", name="Print", exact=True).click()
    expect(page.locator("#note")).to_contain_text("plays under the song now")
    expect(page.locator("#stage-side h2")).to_contain_text("bars 1-2")
    saved(page)
    page.keyboard.press("Space")
    until(
        page,
        "easyPocket.player.running && easyPocket.player.buffers.has(`layers/${easyPocket.player.stack.layered_loops[0]}`)",
    )
    page.keyboard.press("Space")
    page.locator("#undo").click()
    expect(page.locator(".level-name", has_text="bars 1-2")).to_have_count(0)


def test_a_print_can_be_stopped_while_it_is_computed_and_the_page_works_on(page: Page, song: str) -> None:
    """The page goes on writing meanwhile; stopped, nothing is printed; asked for again, it is."""
    open_stage(page, song)
    edit(page, kind="section_set", field="bars", value=16)
    page.get_by_role("tab", name="everything").click()
    page.route("**/jobs/*", lambda route: route.fulfill(json={"share": 0.4, "words": "sound 2 of 5", "result": None}))
    page.get_by_role("button", name="print").click()
    page.get_by_role("button", name="Print", exact=True).click()
    expect(page.locator("#note")).to_contain_text("Printing, 40 %: sound 2 of 5")
    where = page.evaluate("`part:${easyPocket.song.at[0]}:snare`")
    page.evaluate("(where) => easyPocket.edits.push({kind: 'stage_send', where, to: 'short', percent: 10})", where)
    until(page, "easyPocket.edits.queue.length === 0")
    with page.expect_request("**/jobs/*/stop"):
        page.locator("#note").get_by_role("button", name="stop").click()
    page.unroute("**/jobs/*")
    page.route("**/jobs/*", lambda route: route.fulfill(json={"error": "Stopped; nothing was brought in or written."}))
    expect(page.locator("#note.wrong")).to_contain_text("Stopped")
    page.unroute("**/jobs/*")
    saved(page)
    expect(page.locator('.level-name[data-where^="loop:"]')).to_have_count(0)
    page.get_by_role("button", name="print").click()
    page.get_by_role("button", name="Print", exact=True).dblclick()
    expect(page.locator("#note")).to_contain_text("plays under the song now")
    saved(page)
    expect(page.locator('.level-name[data-where^="loop:"]')).to_have_count(1)


def test_a_chain_of_the_kit_is_begun_from_a_preset_and_heard(page: Page, song: str, address: str) -> None:
    open_stage(page, song)
    edit(page, kind="kit_new", name="Mole", source="song")
    page.locator(".level-name", has_text="Snare").click()
    page.locator("#stage-scopes a", has_text="kit").click()
    expect(page.locator(".own-here")).to_contain_text("of the kit Mole")
    page.locator("[data-preset]").select_option(label="old and dusty")
    expect(page.locator(".unit-name")).to_have_text(["tone", "drive", "wide"])
    page.locator('[data-unit="1"] [data-unit-on]').click()
    expect(page.locator('[data-unit="1"] [data-unit-on]')).to_have_attribute("aria-pressed", "false")
    saved(page)
    page.goto(f"{song}/bench")
    drawn(page)
    file = file_of(address, song, "pattern")
    assert_null(heard(page)[len(file) :], file)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    saved(page)
    assert np.abs(file_of(address, song, "pattern") - file).max() > 0.005


def test_a_control_is_heard_before_its_edit_is_answered(page: Page, song: str) -> None:
    open_stage(page, song)
    where = page.evaluate("`part:${easyPocket.song.at[0]}:snare`")
    chain = [{"kind": "drive", "on": False}, {"kind": "tone", "settings": {"bell_1_db": 3.0}}]
    edit(page, kind="stage_chain", where=where, chain=chain)
    page.locator(f'.sound[data-where="{where}"]').click()
    page.wait_for_selector(f'[data-chain="{where}"] [data-unit]')
    page.click("#play")
    until(page, "easyPocket.player.running")
    gain = f"easyPocket.player.stage.chains.get('{where}').plan.units[0].filters[0].gain_db"
    assert page.evaluate(gain) == 3.0
    held: list[Route] = []
    page.route("**/edits", lambda route: held.append(route))
    page.locator(".drag[data-field='bell_1_db'] input").focus()
    page.keyboard.press("ArrowUp")
    until(page, f"{gain} > 3")
    assert page.evaluate("easyPocket.edits.queue.length") == 1
    heard_early = page.evaluate(gain)
    held[0].continue_()
    page.unroute("**/edits")
    saved(page)
    until(page, "easyPocket.player.trial === null")
    assert page.evaluate(gain) == heard_early
    page.click("#undo")
    saved(page)
    assert page.evaluate(gain) == 3.0
