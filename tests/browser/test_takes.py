"""Takes as a hand does them: played in by keys, pads and controllers; passes sewn, written in, learned from."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Literal

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import box_of, drawn, saved, until
from tests.drums import ROCK, beat, rendered, wav_bytes

FAST_BPM = 240.0
HERE = "window.easyPocket?.screen === 'takes' && easyPocket.current.data"
DATA = "easyPocket.current.data"
# A controller with a name of its own, as the browser would hand it over; `strike(note, velocity, ms ago)`.
CONTROLLER = """
const input = { id: "one", name: "Wharf drums", state: "connected", onmidimessage: null };
const access = { inputs: new Map([["one", input]]), onstatechange: null };
easyPocket.current.midi.attach(access);
window.send = (bytes, ms = performance.now()) => input.onmidimessage({ data: new Uint8Array(bytes), timeStamp: ms });
window.pull = () => { input.state = "disconnected"; access.inputs.clear(); access.onstatechange(); };
"""


@pytest.fixture
def takes(page: Page, song: str) -> Page:
    """The sketch at a speed at which a pass takes a second or two."""
    page.goto(f"{song}/takes")
    until(page, HERE)
    page.evaluate(f"easyPocket.edits.push({{kind: 'tempo', tempo_bpm: {FAST_BPM}}})")
    until(page, f"Math.abs({DATA}.tempo_bpm - {FAST_BPM}) < 1e-6")
    return page


def plays(page: Page) -> None:
    """Until it is well within the first bar."""
    until(page, "easyPocket.player.running && easyPocket.player.position > 0.15")


def stopped(page: Page) -> None:
    until(page, "!easyPocket.player.running && !easyPocket.current.keeper.on")
    saved(page)


def passes(page: Page) -> int:
    return int(page.evaluate(f"{DATA}.take?.passes.length ?? 0"))


def play_in(page: Page, count: int, letters: str = "qfwf") -> None:
    """So many passes of letters, one after another; begun and ended by Space."""
    page.keyboard.press("Space")
    plays(page)
    for _ in range(400):
        for letter in letters:
            page.keyboard.press(letter)
        if passes(page) >= count:
            break
    page.keyboard.press("Space")
    stopped(page)


def with_quay(page: Page, count: int) -> None:
    """So many passes by the simulated pads."""
    page.locator("[data-source=quay]").click()
    page.keyboard.press("Space")
    until(page, f"({DATA}.take?.passes.length ?? 0) >= {count}")
    page.keyboard.press("Space")
    stopped(page)
    saved(page)
    page.locator("[data-source=quay]").click()


def lane(page: Page, row: int, bar: int) -> tuple[float, float]:
    """The middle of a bar of a pass, the newest pass first; of two bars."""
    box = box_of(page.locator(".pass .pass-lane").nth(row))
    return box["x"] + box["width"] * (bar + 0.5) / 2, box["y"] + box["height"] / 2


def sews(page: Page) -> list[list[object]]:
    found: list[list[object]] = page.evaluate(f"{DATA}.take.sews")
    return found


def test_two_bars_are_played_in_by_keys_and_written(takes: Page, song: str) -> None:
    takes.locator("[data-times='1']").click()  # the last click somewhere else: the keys are still the hands'
    play_in(takes, 2)
    assert takes.evaluate("easyPocket.current.striker.struck.length") > 8
    assert takes.evaluate("Math.min(...easyPocket.current.striker.struck.slice(4).map((one) => one.late_ms))") < 12
    voices = takes.evaluate(f"{DATA}.take.voices")
    assert {"kick", "snare", "hat_closed"} <= set(voices)
    expect(takes.locator(".pass").last).to_contain_text("pass 1")
    takes.locator("#write-in").click()
    saved(takes)
    expect(takes.locator("#note")).to_contain_text("write take 1 into Backbone A")
    wanted = takes.evaluate(f"{DATA}.take.result.tick.length")
    takes.goto(f"{song}/bench")
    until(takes, "window.easyPocket?.screens.bench.rails?.drawnAt")
    written = takes.evaluate(
        "['kick','snare','hat_closed'].reduce((sum, one) => sum + easyPocket.screens.bench.rails.data.hits(one).length, 0)"
    )
    assert written == wanted
    takes.keyboard.press("Control+z")
    saved(takes)
    expect(takes.locator("#undo")).to_have_attribute("title", re.compile(r"^Undo: play in pass"))


def test_every_hit_of_the_simulated_pads_is_kept_when_it_was_struck(takes: Page) -> None:
    """The page stands still for 100 ms twenty times while it is played in."""
    takes.evaluate("setInterval(() => { const end = performance.now() + 100; while (performance.now() < end); }, 500)")
    with_quay(takes, 3)
    found = takes.evaluate(
        f"""(() => {{
        const keeper = easyPocket.current.keeper;
        const armed = keeper.remembered.filter((hit) => hit.source === "quay");
        const played = easyPocket.current.quay.played;
        const errors = played.map((one, number) => Math.abs(armed[number].at - one.at) * 1000);
        const kept = {DATA}.take.passes.reduce((sum, one) => sum + one.played, 0);
        return {{ played: played.length, heard: armed.length, errors, kept }};
    }})()"""
    )
    assert found["heard"] == found["played"] > 60
    errors = sorted(found["errors"])
    assert errors[len(errors) // 2] < 1
    assert errors[int(len(errors) * 0.99)] < 3
    assert found["kept"] == found["played"]


def test_letters_strike_until_escape_and_never_in_a_field(takes: Page) -> None:
    count = "easyPocket.current.keeper.remembered.length"
    takes.keyboard.press("q")
    until(takes, f"{count} === 1")
    takes.locator("#song-name").click()
    takes.keyboard.type("qwer")
    takes.keyboard.press("Escape")
    until(takes, "document.activeElement.id === 'takes-passes'")
    assert takes.evaluate(count) == 1
    takes.keyboard.press("w")
    until(takes, f"{count} === 2")
    takes.keyboard.press("Escape")
    expect(takes.locator("#keys-state")).to_contain_text("shortcuts")
    takes.keyboard.press("i")
    expect(takes.locator("#go-to")).to_be_visible()
    takes.keyboard.press("Escape")
    assert takes.evaluate(count) == 2
    takes.locator("[data-source=keys]").click()
    takes.keyboard.press("e")
    until(takes, f"{count} === 3")


def test_pads_are_struck_by_pointer_harder_in_the_middle(takes: Page) -> None:
    pad = takes.locator('.pad[data-voice="snare"]').first
    box = box_of(pad)
    for share in (0.5, 0.08):
        takes.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * share)
    until(takes, "easyPocket.current.keeper.remembered.length === 2")
    hard, soft = takes.evaluate("easyPocket.current.keeper.remembered.map((hit) => hit.velocity)")
    assert hard > soft
    assert takes.evaluate("easyPocket.current.keeper.remembered.every((hit) => hit.voice === 'snare')")


def test_the_map_of_the_keys_is_changed_and_kept(takes: Page) -> None:
    takes.locator("#change-voices").click()
    takes.locator(".pad-head select").first.select_option("snare")
    takes.locator("#change-voices").click()
    takes.keyboard.press("q")
    until(takes, "easyPocket.current.keeper.remembered.at(-1)?.voice === 'snare'")
    takes.reload()
    until(takes, HERE)
    takes.keyboard.press("q")
    until(takes, "easyPocket.current.keeper.remembered.at(-1)?.voice === 'snare'")
    takes.evaluate("localStorage.removeItem('easy-pocket-pads-' + easyPocket.current.data.kit)")


def test_bars_are_sewn_by_press_drag_and_keys(takes: Page) -> None:
    with_quay(takes, 3)
    newest, second, first = takes.evaluate(f"{DATA}.take.passes.slice(-3).map((one) => one.id).reverse()")
    takes.mouse.click(*lane(takes, 0, 1))
    saved(takes)
    until(takes, f"{DATA}.take.sews.some(([bar, pass]) => bar === 1 && pass === {newest})")
    expect(takes.locator(".seams")).to_contain_text("1 seam")
    # Drawn over both bars; Escape in the middle leaves all as it was.
    before = sews(takes)
    takes.mouse.move(*lane(takes, 1, 0))
    takes.mouse.down()
    takes.mouse.move(*lane(takes, 1, 1), steps=4)
    takes.keyboard.press("Escape")
    takes.mouse.up()
    saved(takes)
    assert sews(takes) == before
    takes.mouse.move(*lane(takes, 1, 0))
    takes.mouse.down()
    takes.mouse.move(*lane(takes, 1, 1), steps=4)
    takes.mouse.up()
    saved(takes)
    until(takes, f"{DATA}.take.sews.every(([, pass]) => pass === {second}) && {DATA}.take.sews.length === 2")
    # By keys: up to the newest, right to bar 2, Enter.
    takes.keyboard.press("ArrowUp")
    takes.keyboard.press("ArrowLeft")
    takes.keyboard.press("Enter")
    until(takes, f"{DATA}.take.sews.some(([bar, pass]) => bar === 0 && pass === {newest})")
    takes.locator("#steadiest").click()
    saved(takes)
    assert len(sews(takes)) == 2
    name = takes.locator(".pass-name").first
    name.click()
    takes.keyboard.type("the good one")
    takes.keyboard.press("Enter")
    expect(name).to_have_text("the good one")
    name.click()
    takes.keyboard.type("another")
    takes.keyboard.press("Escape")
    expect(name).to_have_text("the good one")
    takes.locator("[data-away]").first.click()
    until(takes, f"!{DATA}.take.passes.some((one) => one.id === {newest})")
    takes.keyboard.press("Control+z")
    until(takes, f"{DATA}.take.passes.some((one) => one.id === {newest})")
    assert first


def test_a_pass_is_heard_in_the_beat_or_alone_and_the_result_is_pulled(takes: Page) -> None:
    with_quay(takes, 2)
    takes.locator("[data-hear]").nth(1).click()
    until(takes, "easyPocket.player.beside && easyPocket.player.running")
    takes.locator("[data-hear]").nth(1).click()
    until(takes, "!easyPocket.player.beside")
    result = takes.locator("[data-hear='0']")

    def heard(*modifiers: Literal["Shift"]) -> int:
        """How many hits sound a time round."""
        result.click(modifiers=list(modifiers))
        expect(result).to_have_attribute("aria-pressed", "true")
        until(takes, "easyPocket.player.beside")
        return int(takes.evaluate("easyPocket.player.beside.felt.start_s.length"))

    alone = heard("Shift")
    result.click()
    until(takes, "!easyPocket.player.beside")
    assert alone <= heard()
    takes.locator("[data-hear='0']").click()
    until(takes, "!easyPocket.player.beside")
    before = takes.evaluate(f"{DATA}.take.result.off_ms")
    takes.locator("#result-pull").focus()
    for _ in range(10):
        takes.keyboard.press("ArrowUp")  # in a row of controls left and right go to the next one
    saved(takes)
    until(takes, f"{DATA}.take.pulls.kick === 50")
    after = takes.evaluate(f"{DATA}.take.result.off_ms")
    assert all(abs(one - other / 2) < 0.02 for one, other in zip(after, before, strict=True))
    expect(takes.locator("#result-pull-words")).to_have_text("50 %")
    takes.locator("[data-pulled=kick]").click()
    until(takes, f"{DATA}.take.pulls.kick === 0 && {DATA}.take.pulls.snare === 50")


def test_what_was_played_before_anything_was_armed_is_kept(takes: Page) -> None:
    takes.locator("#play").click()
    plays(takes)
    for letter in "qwerfg":
        takes.keyboard.press(letter)
    expect(takes.locator("#keep-words")).to_contain_text("round")
    assert passes(takes) == 0
    takes.locator("#keep-played").click()
    until(takes, f"({DATA}.take?.passes.length ?? 0) > 0")
    takes.locator("#play").click()
    assert takes.evaluate(f"{DATA}.take.passes.flatMap((one) => one.voice).length") >= 5
    expect(takes.locator("#keep-words")).to_have_text("nothing yet")


def test_what_was_played_to_nothing_is_offered_as_readings(takes: Page) -> None:
    """A beat of 100 bpm by a controller, nothing playing: its tempo is read from it."""
    takes.evaluate(CONTROLLER)
    takes.evaluate(
        """(() => { const from = performance.now() - 9700;
        for (let step = 0; step < 32; step += 1) {
          const ms = from + step * 300 + (step % 3) * 2;
          send([0x99, 42, step % 2 ? 50 : 90], ms);
          if (step % 8 === 0) send([0x99, 36, 120], ms + 1);
          if (step % 8 === 4) send([0x99, 38, 120], ms + 1);
        } })()"""
    )
    expect(takes.locator("#keep-words")).to_contain_text("no tempo")
    takes.keyboard.press("Shift+Enter")
    expect(takes.locator("#note")).to_contain_text("Which of these is it?")
    takes.locator("#note button", has_text="100.").first.click()
    until(takes, f"({DATA}.take?.passes.length ?? 0) === 1")
    assert takes.evaluate(f"{DATA}.take.tick_ms") == pytest.approx(60_000 / 100 / 960, rel=0.01)


def test_a_device_is_measured_and_its_lateness_taken_off(takes: Page) -> None:
    takes.locator("#latency-measure").click()
    until(takes, "easyPocket.current.latency.measuring")
    # Taps as a device would send them that is 40 ms late, of a hand that is 3 ms off now and then.
    takes.evaluate(
        """(() => { const { latency, clock } = easyPocket.current; const { clicks } = latency.measuring;
        clicks.forEach((at, number) => { latency.measuring.taps.push(at + 0.04 + ((number % 3) - 1) * 0.003); });
        latency.measuring.source = "keys";
        const told = { ...latency.measuring }; latency.end(); latency.ask(told); })()"""
    )
    expect(takes.locator("#latency-words")).to_contain_text("40 ms")
    expect(takes.locator("#latency-told")).to_contain_text("16 taps")
    takes.evaluate("window.real = easyPocket.current.clock.heardAt(1000)")
    takes.locator("#play").click()
    plays(takes)
    takes.evaluate(
        """(() => { window.ms = performance.now(); easyPocket.current.struck("kick", 90, window.ms, "keys");
        window.off = (easyPocket.current.clock.heardAt(window.ms) - easyPocket.current.keeper.remembered.at(-1).at) * 1000; })()"""
    )
    assert takes.evaluate("window.off") == pytest.approx(40, abs=0.5)
    takes.locator("#play").click()
    takes.locator("#latency-typed").fill("12")
    takes.keyboard.press("Enter")
    expect(takes.locator("#latency-words")).to_contain_text("12 ms")
    takes.evaluate("localStorage.removeItem('easy-pocket-latency')")


def test_a_controller_is_learned_chokes_and_is_pulled_out(takes: Page) -> None:
    takes.evaluate(CONTROLLER)
    last = "easyPocket.current.keeper.remembered.at(-1)"
    takes.evaluate("send([0x99, 36, 100])")
    until(takes, f"{last}?.voice === 'kick' && {last}.velocity === 100")
    # Clock, active sensing and velocity 0 say nothing; a note nobody knows is learned.
    count = takes.evaluate("easyPocket.current.keeper.remembered.length")
    takes.evaluate(
        "for (let n = 0; n < 2000; n += 1) { send([0xf8]); send([0xfe]); } send([0x99, 36, 0]); send([0x99, 3, 90])"
    )
    assert takes.evaluate("easyPocket.current.keeper.remembered.length") == count
    takes.locator("[data-field=note]").select_option(
        "clap" if takes.locator("[data-field=note] option[value=clap]").count() else "rim"
    )
    takes.evaluate("send([0x99, 3, 90])")
    until(takes, f"['clap', 'rim'].includes({last}.voice)")
    # The pedal opens and closes the hat.
    takes.evaluate("send([0xb9, 4, 0]); send([0x99, 42, 90])")
    until(takes, f"{last}.voice === 'hat_open'")
    takes.evaluate("send([0xb9, 4, 127]); send([0x99, 46, 90])")
    until(takes, f"{last}.voice === 'hat_closed'")
    # Pulled out in the middle of a pass: what was struck is kept.
    takes.keyboard.press("Space")
    plays(takes)
    takes.evaluate("send([0x99, 38, 80]); send([0x99, 36, 80], performance.now() - 5); pull()")
    expect(takes.locator("#midi-devices")).to_contain_text("gone")
    takes.keyboard.press("Space")
    stopped(takes)
    until(takes, f"({DATA}.take?.passes.length ?? 0) === 1")
    assert takes.evaluate(f"{DATA}.take.passes[0].voice.length") == 2
    takes.evaluate("localStorage.removeItem('easy-pocket-midi')")


def test_a_thousand_notes_at_once_and_times_that_run_backwards(takes: Page) -> None:
    takes.evaluate(CONTROLLER)
    takes.keyboard.press("Space")
    plays(takes)
    takes.evaluate(
        """for (let n = 0; n < 1000; n += 1) send([0x99, [36, 38, 42][n % 3], 1 + (n % 127)], performance.now() - n);
        send([0x99, 38, 90], performance.now() + 1e9); send([0x99, 38, 90], -5)"""
    )
    takes.keyboard.press("Space")
    stopped(takes)
    assert takes.evaluate("easyPocket.current.keeper.remembered.length") == 1002
    assert passes(takes) >= 1
    assert takes.locator("#note.wrong:visible").count() == 0


def test_leaving_the_screen_or_the_page_keeps_what_was_played_so_far(takes: Page) -> None:
    takes.keyboard.press("Space")
    plays(takes)
    for letter in "qw":
        takes.keyboard.press(letter)
    takes.locator("[data-screen-link=bench]").click()
    until(takes, "easyPocket.screen === 'bench'")
    assert takes.evaluate("easyPocket.player.running")  # the loop goes on
    saved(takes)
    takes.locator("[data-screen-link=takes]").click()
    until(takes, f"{HERE} && {DATA}.take?.passes.length === 1")
    takes.locator("#play-in").click()  # the loop goes round already: from now on it is kept
    until(takes, "easyPocket.current.keeper.on && easyPocket.player.running")
    for letter in "er":
        takes.keyboard.press(letter)
    takes.reload()
    until(takes, HERE)
    saved(takes)
    until(takes, f"{DATA}.take?.passes.length === 2")
    assert takes.evaluate(f"{DATA}.take.passes[1].played") == 2


def test_another_tempo_while_playing_in_begins_another_take(takes: Page) -> None:
    takes.keyboard.press("Space")
    plays(takes)
    takes.keyboard.press("q")
    takes.evaluate("easyPocket.edits.push({kind: 'tempo', tempo_bpm: 200})")
    until(takes, "Math.abs(easyPocket.current.keeper.round.tempo_bpm - 200) < 0.1")
    until(takes, "easyPocket.player.position > 0.3")
    takes.keyboard.press("w")
    takes.keyboard.press("Space")
    stopped(takes)
    assert takes.locator("#which-take option").count() == 2
    assert takes.evaluate(f"{DATA}.take.voices") == ["snare"]


def test_passes_wait_in_the_page_while_the_server_is_away(takes: Page) -> None:
    takes.route("**/edits", lambda route: route.abort())
    takes.keyboard.press("Space")
    plays(takes)
    until(takes, "easyPocket.current.keeper.sentUpTo >= 1")
    for letter in "qwerfgh":
        takes.keyboard.press(letter)
    takes.keyboard.press("Space")
    until(takes, "easyPocket.edits.queue.length > 0")
    assert passes(takes) == 0
    takes.unroute("**/edits")
    # They come one after another.
    until(takes, f"({DATA}.take?.passes ?? []).flatMap((one) => one.voice).length >= 3")


def test_a_hand_is_learned_kept_taken_away_and_plays_the_part(takes: Page, tmp_path: Path) -> None:
    with_quay(takes, 3)
    takes.locator("#hand-look").click()
    expect(takes.locator(".hand-figures")).to_contain_text("jitter")
    takes.locator("#hand-keep").click()
    saved(takes)
    expect(takes.locator("#which-hand option").first).to_contain_text("hand")
    with takes.expect_download() as download:
        takes.locator("#hand-file").click()
    doc = json.loads(Path(download.value.path()).read_text())
    assert doc["format"] == "easy-pocket-hand/1"
    assert doc["n"] >= 32
    file = tmp_path / "left.json"
    file.write_text(json.dumps({**doc, "name": "Harbour left"}))
    takes.locator("#hand-bring").set_input_files(file)
    expect(takes.locator("#which-hand")).to_contain_text("Harbour left")
    takes.locator("#which-hand").select_option(label="Harbour left")
    before = takes.evaluate("JSON.stringify(easyPocket.playing.felt.start_s)")
    takes.locator("#hand-play").click()
    saved(takes)
    until(takes, f"JSON.stringify(easyPocket.playing.felt.start_s) !== {json.dumps(before)}")
    takes.keyboard.press("Control+z")
    until(takes, f"JSON.stringify(easyPocket.playing.felt.start_s) === {json.dumps(before)}")
    file.write_text("{}")
    takes.locator("#hand-bring").set_input_files(file)
    expect(takes.locator("#note")).to_contain_text("no hand")


def test_the_click_sounds_only_while_playing_in(takes: Page) -> None:
    clicks = "[...easyPocket.player.pending].filter((one) => one.click).length"
    takes.locator("[data-click-when=in]").click()
    takes.locator("#play").click()
    plays(takes)
    assert takes.evaluate(clicks) == 0
    takes.locator("#play").click()
    takes.locator("[data-count-in='1']").click()
    takes.keyboard.press("Space")
    plays(takes)
    until(takes, f"{clicks} > 3")
    takes.keyboard.press("Space")
    stopped(takes)
    takes.locator("[data-click-when=off]").click()
    takes.locator("[data-count-in='0']").click()
    assert takes.evaluate("easyPocket.player.click.settings.on") is False


def test_a_mouth_is_a_pass_too(takes: Page) -> None:
    """The simulated microphone: each time round is listened to, its hits sorted on the part's voices."""
    takes.evaluate("localStorage.setItem('easy-pocket-mic', 'simulated')")
    takes.locator("[data-source=mic]").click()
    expect(takes.locator("#mic-state")).to_contain_text("simulated")
    takes.keyboard.press("Space")
    until(takes, f"({DATA}.take?.passes.length ?? 0) >= 1")
    takes.keyboard.press("Space")
    until(takes, "easyPocket.current.mic.asking === 0")
    stopped(takes)
    assert takes.evaluate(f"{DATA}.take.passes[0].tick.length") > 3
    assert set(takes.evaluate(f"{DATA}.take.voices")) <= set(takes.evaluate("easyPocket.current.pads.columns"))
    takes.locator("[data-source=mic]").click()
    expect(takes.locator("#mic-state")).to_contain_text("table, mouth")
    takes.evaluate("localStorage.removeItem('easy-pocket-mic')")


def test_a_guide_is_brought_in_placed_and_heard_under_the_song(takes: Page, tmp_path: Path) -> None:
    audio, _ = rendered(beat(ROCK), 104.0)
    file = tmp_path / "rough mix.wav"
    file.write_bytes(wav_bytes(np.tile(audio.samples, (4, 1))))
    takes.locator("#guide-bring").set_input_files(file)
    expect(takes.locator("[data-guide] h3")).to_contain_text("rough mix.wav")
    expect(takes.locator(".guide-words")).to_contain_text("104.")
    takes.locator("[data-guide-tempo]").click()
    saved(takes)
    expect(takes.locator("#tempo")).to_have_value("104.0")
    takes.evaluate("easyPocket.edits.push({ kind: 'part_add', kit_key: 'net_loft' })")  # a second part to compare
    saved(takes)
    takes.dblclick("[data-guide-bars]")  # a hurried hand makes one loop
    expect(takes.locator("#loop-side")).to_be_visible()
    expect(takes.locator("#against-words")).to_contain_text("hits have one of the loop near them")
    expect(takes.locator("#against-of")).to_have_value("all")
    expect(takes.locator(".loop-tabs >> text=/rough mix, bars/")).to_have_count(1)
    takes.keyboard.press("Control+z")
    saved(takes)
    takes.click("nav >> text=Takes")
    box = box_of(takes.locator("#guide-picture"))
    count = takes.locator("#ribbon [data-section-go]").count()
    takes.mouse.move(box["x"] + 20, box["y"] + 10)
    takes.mouse.down()
    takes.mouse.move(box["x"] + 140, box["y"] + 10, steps=4)
    takes.keyboard.press("Escape")
    takes.mouse.up()
    saved(takes)
    assert takes.locator("#ribbon [data-section-go]").count() == count
    takes.mouse.move(box["x"] + 20, box["y"] + 10)
    takes.mouse.down()
    takes.mouse.move(box["x"] + 140, box["y"] + 10, steps=4)
    takes.mouse.up()
    expect(takes.locator("#ribbon [data-section-go]")).to_have_count(count + 1)
    takes.keyboard.press("Control+z")
    expect(takes.locator("#ribbon [data-section-go]")).to_have_count(count)
    takes.locator("[data-guide-follow=new]").click()
    saved(takes)
    assert takes.locator("#ribbon [data-section-go]").count() > count
    takes.keyboard.press("Control+z")
    expect(takes.locator("#ribbon [data-section-go]")).to_have_count(count)
    takes.locator("#guide-start").fill("0.25")
    takes.keyboard.press("Enter")
    saved(takes)
    takes.locator("#play-song").click()
    takes.locator("#play").click()
    until(takes, "easyPocket.player.running && easyPocket.player.mode === 'song'")
    piece = "[...easyPocket.player.layered.sounding.values()]"
    until(takes, f"{piece}.length === 1")
    # Its bar one is the song's: it begins a quarter of a second into the file.
    assert takes.evaluate("easyPocket.player.song.layered_loops_at[0].at_s") == pytest.approx(-0.25, abs=1e-6)
    takes.locator("[data-guide-switch=muted]").click()
    saved(takes)
    until(takes, f"{piece}.length === 0")
    takes.locator("[data-guide-switch=muted]").click()
    until(takes, f"{piece}.length === 1")
    takes.locator("#play").click()
    takes.locator("[data-guide-away]").click()
    expect(takes.locator("#guide-bring")).to_be_attached()
    takes.keyboard.press("Control+z")
    expect(takes.locator("[data-guide] h3")).to_contain_text("rough mix.wav")


def test_space_twice_in_a_hurry_begins_nothing(takes: Page) -> None:
    takes.keyboard.press("Space")
    takes.keyboard.press("Space")
    until(takes, "!easyPocket.current.beginning && !easyPocket.player.starting")
    assert takes.evaluate("easyPocket.player.running || easyPocket.current.keeper.on") is False
    takes.keyboard.press("Space")
    plays(takes)
    assert takes.evaluate("easyPocket.current.keeper.on")
    takes.keyboard.press("Space")
    stopped(takes)


def test_letters_that_are_shortcuts_stay_so_when_a_section_is_chosen(takes: Page) -> None:
    takes.keyboard.press("Escape")
    expect(takes.locator("#keys-state")).to_contain_text("shortcuts")
    takes.evaluate("easyPocket.redraw()")
    until(takes, "!easyPocket.drawing")
    expect(takes.locator("#keys-state")).to_contain_text("shortcuts")
    takes.locator("[data-screen-link=bench]").click()
    until(takes, "easyPocket.screen === 'bench'")
    takes.locator("[data-screen-link=takes]").click()
    until(takes, HERE)
    expect(takes.locator("#keys-state")).to_contain_text("three rows")


def test_what_is_sewn_while_the_result_is_heard_is_heard_at_once_and_a_reason_is_told(takes: Page) -> None:
    with_quay(takes, 2)
    takes.locator("[data-hear='0']").click()
    until(takes, "easyPocket.player.beside && easyPocket.player.running")
    before = takes.evaluate("JSON.stringify(easyPocket.player.beside.felt.start_s)")
    takes.mouse.click(*lane(takes, 0, 0))
    takes.mouse.click(*lane(takes, 0, 1))
    saved(takes)
    until(takes, f"JSON.stringify(easyPocket.player.beside.felt.start_s) !== {json.dumps(before)}")
    takes.locator("#steadiest").click()
    expect(takes.locator("#note")).to_contain_text("Bar 1: pass ")
    expect(takes.locator("#note")).to_contain_text("off the feel")
    # A pass that is heard and thrown away ends the hearing, in words.
    takes.locator("[data-hear='0']").click()
    takes.locator(".pass [data-hear]").first.click()
    until(takes, "easyPocket.player.beside")
    takes.locator("[data-away]").first.click()
    until(takes, "!easyPocket.player.beside")
    expect(takes.locator("#note")).to_contain_text("This pass is gone")


def test_only_the_bars_that_are_to_be_played_are_kept_and_nothing_else_is_complained_of(takes: Page) -> None:
    takes.locator("#armed-chip").click()
    takes.locator("[data-punch=from_bar]").fill("2")
    takes.locator("[data-punch=to_bar]").fill("2")
    takes.keyboard.press("Enter")
    takes.keyboard.press("Escape")
    expect(takes.locator("#armed-words")).to_contain_text("bars 2–2")
    takes.keyboard.press("Space")
    plays(takes)
    takes.keyboard.press("q")  # in bar 1
    until(takes, "easyPocket.player.position > 1.2")
    takes.keyboard.press("w")
    until(takes, "easyPocket.current.keeper.sentUpTo >= 1 && easyPocket.player.position > 0.2")
    takes.keyboard.press("q")
    takes.keyboard.press("Space")
    stopped(takes)
    assert takes.evaluate(f"{DATA}.take.passes.map((one) => one.played)") == [1]
    assert takes.evaluate(f"{DATA}.take.voices") == ["snare"]
    assert takes.locator("#note.wrong:visible").count() == 0


def test_two_tabs_play_into_one_take_and_neither_loses_a_pass(takes: Page, song: str) -> None:
    other = takes.context.new_page()
    other.goto(f"{song}/takes")
    until(other, HERE)
    for page in (takes, other):
        page.keyboard.press("Space")
        plays(page)
        page.keyboard.press("q")
        page.keyboard.press("Space")
        stopped(page)
    until(other, f"{DATA}.take.passes.length === 2")
    takes.reload()
    until(takes, f"{HERE} && {DATA}.take.passes.length === 2")
    # Both sew the same bar at once: the second one is told, and sees what stands there.
    other.evaluate("easyPocket.live.source.close()")
    for page, row in ((takes, 0), (other, 1)):
        page.mouse.click(*lane(page, row, 0))
        saved(page)
    expect(other.locator("#note")).to_contain_text("Another tab changed the same thing")
    assert sews(other) == sews(takes)
    other.close()


def test_midi_that_is_not_allowed_is_said_beside_it(takes: Page) -> None:
    refused = "Promise.reject(new DOMException('no', 'NotAllowedError'))"
    takes.evaluate(f"() => {{ navigator.requestMIDIAccess = () => {refused}; }}")
    takes.locator("[data-source=midi]").click()
    expect(takes.locator("#midi-state")).to_contain_text("not allowed")
    takes.keyboard.press("q")
    until(takes, "easyPocket.current.keeper.remembered.length === 1")


def test_a_double_click_does_it_once(takes: Page) -> None:
    with_quay(takes, 3)
    count = passes(takes)
    takes.locator("[data-away]").first.dblclick()
    saved(takes)
    until(takes, f"{DATA}.take.passes.length === {count - 1}")
    hands = takes.locator("#which-hand option")
    before = hands.count()
    takes.locator("#hand-keep").dblclick()
    saved(takes)
    expect(hands).to_have_count(before + 1)
    takes.locator("[aria-label='Write it elsewhere']").click()
    takes.locator("[data-write=new]").dblclick()
    saved(takes)
    expect(takes.locator("#note")).to_contain_text("into pattern B")
    takes.keyboard.press("Control+z")
    saved(takes)
    expect(takes.locator("#undo")).to_have_attribute("title", re.compile(r"^Undo: keep hand"))
    takes.keyboard.press("Control+z")  # the hand; a second one would still be there
    saved(takes)
    expect(hands).to_have_count(before)


def test_the_whole_song_goes_round_and_is_kept_and_written_by_its_sections(takes: Page) -> None:
    for number, bars in enumerate((1, 2)):
        if number:
            takes.evaluate("easyPocket.edits.push({kind: 'section_add'})")
            saved(takes)
        section = takes.evaluate(
            "Number([...document.querySelectorAll('#ribbon [data-section]')].at(-1).dataset.section)"
        )
        for field, value in (("bars", bars), ("repeats", 1)):
            takes.evaluate(
                "([section_id, field, value]) => easyPocket.edits.push({ kind: 'section_set', section_id, field, value })",
                [section, field, value],
            )
            saved(takes)
    takes.locator("#goes-round").select_option("song")
    takes.locator("[data-times='1']").click()
    takes.keyboard.press("Space")
    until(takes, "easyPocket.player.mode === 'song'")
    plays(takes)
    keeper = "easyPocket.current.keeper"
    for _ in range(400):
        for letter in "qfwf":
            takes.keyboard.press(letter)
        if takes.evaluate(f"{keeper}.sentUpTo") >= 1:
            break
    assert takes.evaluate(f"{keeper}.round.length_s") == pytest.approx(3 * 4 * 60 / FAST_BPM)
    takes.keyboard.press("Space")
    stopped(takes)
    names = takes.locator("#which-take option").all_inner_texts()
    assert len(names) == 2
    assert all(name.startswith("song 1: ") for name in names)
    expect(takes.locator("#goes-round")).to_have_value("song")
    kept = takes.evaluate(f"{DATA}.take.passes.reduce((sum, one) => sum + one.played, 0)")
    takes.locator("#which-take").select_option(index=1)
    until(takes, f"{DATA}.take.name === {json.dumps(names[1])}")
    kept += takes.evaluate(f"{DATA}.take.passes.reduce((sum, one) => sum + one.played, 0)")
    struck = takes.evaluate(f"{keeper}.remembered.filter((hit) => hit.armed).length")
    assert kept == struck
    before = takes.locator("#ribbon [data-section]").evaluate_all("all => all.map((one) => one.textContent)")
    takes.get_by_role("button", name="Write it elsewhere").click()
    takes.locator("[data-write-song]").click()
    saved(takes)
    expect(takes.locator("#undo")).to_have_attribute("title", re.compile("write song 1 into 2 sections"))
    takes.keyboard.press("Control+z")
    saved(takes)
    assert takes.locator("#ribbon [data-section]").evaluate_all("all => all.map((one) => one.textContent)") == before


def test_another_sound_of_a_voice_is_chosen_by_its_number_struck_and_written(takes: Page, song: str) -> None:
    takes.locator('[data-screen-link="kit"]').click()
    takes.click("text=kit…")
    takes.fill("#kit-name", "Kit of two snares")  # of its own: no other test hears of it
    takes.click("text=copy it")
    expect(takes.locator(".kit-title h2")).to_have_text("Kit of two snares")
    saved(takes)
    takes.click('[data-kit-voice="snare"]')
    takes.wait_for_selector('.kit-bar[data-role="snare"]')
    expect(takes.locator("#sounds .sound").first).to_be_visible()  # the library comes a moment later
    takes.locator("#sounds").focus()
    takes.keyboard.press("ArrowDown")
    expect(takes.locator("#sounds .sound.on")).to_have_count(1)
    takes.click("[data-alternate-add]")
    expect(takes.locator("[data-alternate-show]")).to_have_count(2)
    takes.locator('[data-screen-link="takes"]').click()
    until(takes, HERE)
    other = takes.locator('[data-other="snare"]')
    expect(other).to_have_text("1")
    column = takes.evaluate("easyPocket.current.pads.columns.indexOf('snare')")
    own, second = takes.evaluate(
        f"(({{ sound, audio, others }}) => [audio[sound[84]], others[0].audio[others[0].sound[84]]])({DATA}.pads.find((pad) => pad.voice === 'snare'))"
    )
    takes.keyboard.press("Space")
    plays(takes)
    letter = "asdfghjkl"[column]
    struck = "easyPocket.current.striker.struck"
    there = "easyPocket.player.buffers.get(key) instanceof AudioBuffer"
    until(takes, f"{json.dumps([own, second])}.every((key) => {there})")
    takes.keyboard.press(letter)
    takes.keyboard.press(f"{column + 1}")
    expect(other).to_have_text("2")
    takes.keyboard.press(letter)
    assert takes.evaluate(f"{struck}.slice(-2).map((one) => one.key)") == [own, second]
    takes.keyboard.press("Space")
    stopped(takes)
    takes.locator("#write-in").click()
    saved(takes)
    other.click()  # by pointer it goes round to its own sound
    expect(other).to_have_text("1")
    strokes = f"{DATA}.pads.find((pad) => pad.voice === 'snare').strokes"
    next_stroke = takes.evaluate(f"{strokes}[0].audio[{strokes}[0].sound[84]]")
    for _ in range(3):  # one that is not here yet is asked for
        takes.keyboard.press(letter)
    until(takes, f"easyPocket.player.buffers.get('{next_stroke}') instanceof AudioBuffer")
    while takes.evaluate("easyPocket.current.striker.turns.get('snare') % 3"):
        takes.keyboard.press(letter)
    takes.keyboard.press(letter)
    assert takes.evaluate(f"{struck}.at(-1).key") == next_stroke != own  # struck again, it is another stroke of it
    takes.locator('[data-screen-link="bench"]').click()
    drawn(takes)
    sounds = takes.evaluate(
        "[...easyPocket.screens.bench.rails.data.all()].filter((one) => one.voice === 'snare').map((one) => one.asked)"
    )
    assert 1 in sounds
