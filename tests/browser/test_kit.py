"""The Kit screen as a user meets it: find, layer, shape, fold, compare, take away and bring back."""

import io
import re
import zipfile

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from easy_pocket.core.formats.sfz import read_sfz
from tests.browser.conftest import send
from tests.browser.gestures import box_of, click_slot, drag, drawn, expect_hits, hit, saved, until
from tests.drums import wav_bytes

RATE = 44_100


@pytest.fixture
def kit(bench):
    """The Kit screen on a kit of the test's own, so that no other test hears of it."""
    bench.click("nav >> text=Kit")
    bench.wait_for_selector(".sound")
    bench.click("text=kit…")
    bench.fill("#kit-name", "Test kit")
    bench.click("text=copy it")
    expect(bench.locator(".kit-title h2")).to_have_text("Test kit")
    saved(bench)
    bench.evaluate(
        """() => {
            window.heard = [];
            easyPocket.player.addEventListener('audition', ({detail}) => window.heard.push({...detail, ms: performance.now()}));
        }"""
    )
    choose(bench, "snare")
    return bench


def choose(page, voice):
    page.click(f'[data-kit-voice="{voice}"]')
    until(page, f"document.querySelector('.kit-bar').dataset.role === '{voice}'")
    until(page, "easyPocket.screens.kit.library.sound(0) !== null")


def heard(page):
    return page.evaluate("window.heard.length")


def step_to(page, name):
    """Step down the list by keys until a sound is chosen."""
    page.locator("#sounds").focus()
    until(page, "easyPocket.screens.kit.library.sound(0) !== null")
    for number in range(40):
        page.keyboard.press("ArrowDown" if number else "Home")
        if page.locator(".sound.on b").inner_text() == name:
            return
    raise AssertionError(f"{name} is not in the list")


def layer_names(page):
    return page.locator(".layer-name b span").all_inner_texts()


def test_arrow_keys_step_and_play_and_enter_puts_the_sound_on_the_voice(kit):
    kit.locator("#sounds").focus()
    for number in range(1, 4):
        kit.keyboard.press("ArrowDown")
        until(kit, f"window.heard.length === {number}")
    kit.keyboard.press("ArrowRight")
    until(kit, "window.heard.length === 4")
    keys = kit.evaluate("window.heard.map((one) => one.key)")
    assert len(set(keys[:3])) == 3
    assert keys[2] == keys[3]
    name = kit.locator(".sound.on b").inner_text()
    kit.keyboard.press("Enter")
    expect(kit.locator(".layer-name b span")).to_have_text(name)
    expect(kit.locator(".sound.on small")).to_contain_text("in use")
    kit.keyboard.press("Control+z")
    expect(kit.locator(".layer-name b span")).to_have_text("Boathouse snare")


def test_a_new_layer_and_a_new_alternate_are_what_is_worked_on(kit):
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    kit.keyboard.press("ArrowDown")
    name = kit.locator(".sound.on b").inner_text()
    kit.keyboard.press("Shift+Enter")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-layers", "2")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-layer", "1")
    expect(kit.locator(".layer.on .layer-name b span")).to_have_text(name)
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    kit.click("[data-alternate-add]")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-alternate", "1")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-layer", "0")


def test_keys_and_buttons_are_not_lost_while_the_list_comes_anew(kit):
    """A slow line: the list is on its way when the next sound is chosen and put."""
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    kit.keyboard.press("ArrowDown")
    until(kit, "easyPocket.current.library.sound()?.id > 0")
    third = kit.locator(".sound b").nth(2).inner_text()
    held = []
    kit.route(re.compile(r"/library\?"), lambda route: held.append(route) if not held else route.continue_())
    kit.evaluate("void easyPocket.current.library.reload()")
    until(kit, "easyPocket.current.library.chosen === -1")
    kit.keyboard.press("ArrowDown")
    kit.click("[data-alternate-add]")
    kit.wait_for_timeout(0)
    assert len(held) == 1
    held[0].continue_()
    expect(kit.locator(".kit-bar")).to_have_attribute("data-alternate", "1")
    expect(kit.locator(".layer-name b span")).to_have_text(third)


def test_of_two_layers_added_in_a_row_the_last_is_worked_on(kit):
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    until(kit, "easyPocket.current.library.sound()?.id > 0")
    kit.keyboard.press("Shift+Enter")
    kit.keyboard.press("Shift+Enter")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-layers", "3")
    expect(kit.locator(".kit-bar")).to_have_attribute("data-layer", "2")


def test_a_sound_that_is_chosen_stays_so_while_the_library_is_asked_anew(kit):
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    kit.keyboard.press("ArrowDown")
    until(kit, "easyPocket.current.library.sound()?.id > 0")
    chosen = kit.evaluate("easyPocket.current.library.sound().id")
    kit.evaluate(
        """() => {
            const plain = window.fetch;
            const later = () => new Promise((go) => setTimeout(go, 400));
            window.fetch = async (...sent) => (String(sent[0]).includes("/library?") && (await later()), plain(...sent));
        }"""
    )
    for keep in ("true", "false"):
        during = kit.evaluate(
            f"(() => {{ const asked = easyPocket.current.library.reload({keep}); window.asked = asked;"
            " return easyPocket.current.library.sound()?.id; })()"
        )
        assert during == chosen
        kit.evaluate("window.asked")
        assert kit.evaluate("easyPocket.current.library.sound()?.id") == chosen
    kit.evaluate("void easyPocket.current.library.reload(false)")
    kit.keyboard.press("Shift+Enter")  # a press while it is asked is not lost
    expect(kit.locator(".layer")).to_have_count(2)


def test_every_change_of_a_control_is_heard_at_once(kit):
    for _ in range(3):
        before = heard(kit)
        kit.locator("#d-model-tune_hz").focus()
        kit.keyboard.press("ArrowRight")
        until(kit, f"window.heard.length > {before}")
    keys = kit.evaluate("window.heard.map((one) => one.key)")
    assert len(set(keys)) == 3
    assert all(key.startswith("snare-") for key in keys)


def test_values_are_drawn_and_typed(kit):
    box = box_of(kit.locator('[data-field="tune_hz"]'))
    drag(kit, (box["x"] + 40, box["y"] + 20), (66, 0))
    expect(kit.locator("#d-model-tune_hz")).not_to_have_value("187 Hz")
    saved(kit)
    kit.click('[data-field="tune_hz"] input')
    kit.keyboard.type("220")
    kit.keyboard.press("Enter")
    expect(kit.locator("#d-model-tune_hz")).to_have_value("220 Hz")
    expect(kit.locator('[data-field="tune_hz"] em')).to_have_text("A3")
    kit.click('[data-field="tune_hz"] input')
    kit.keyboard.type("9000")
    kit.keyboard.press("Enter")
    expect(kit.locator("#note")).to_contain_text("'9000' does not fit here: type a number from 90 to 420.")
    expect(kit.locator("#d-model-tune_hz")).to_have_value("220 Hz")
    for field, typed, shown in (
        ("tune_cents", "-3 st", "−3 st"),
        ("length_s", "120", "120 ms"),
        ("balance", "25", "25 %"),
    ):
        kit.click(f'[data-field="{field}"] input')
        kit.keyboard.type(typed)
        kit.keyboard.press("Enter")
        expect(kit.locator(f'[data-field="{field}"] input')).to_have_value(shown)


def test_handles_on_the_waveform_set_what_they_show(kit):
    box = box_of(kit.locator(".layer-box"))
    axis_ms = float(kit.locator(".kit-bar").get_attribute("data-axis"))
    middle = box["y"] + box["height"] / 2
    drag(kit, (box["x"] + box["width"] * 0.2, middle), (box["width"] * 0.1, 0))
    saved(kit)
    expect(kit.locator(".layer .layer-name")).to_contain_text("ms late")
    delay_ms = float(kit.locator(".layer-box").get_attribute("data-delay"))
    assert delay_ms == pytest.approx(axis_ms * 0.1, rel=0.1)
    edge = box_of(kit.locator('[data-handle="start"] .edge'))
    now_ms = float(kit.locator(".kit-bar").get_attribute("data-axis"))
    assert edge["x"] == pytest.approx(box["x"] + box["width"] * delay_ms / now_ms, abs=3)
    end = box_of(kit.locator('[data-handle="length"] circle'))
    drag(kit, (end["x"] + 5, end["y"] + 5), (-box["width"] * 0.4, 0))
    saved(kit)
    length_ms = float(kit.locator(".layer-box").get_attribute("data-length"))
    assert 100 < length_ms < now_ms * 0.62
    fade = box_of(kit.locator('[data-handle="fade"] circle'))
    drag(kit, (fade["x"] + 5, fade["y"] + 5), (30, 0))
    saved(kit)
    assert float(kit.locator(".layer-box").get_attribute("data-fade")) > 5
    for _ in range(3):
        kit.keyboard.press("Control+z")
        saved(kit)
    assert kit.locator(".layer-box").get_attribute("data-delay") == "0.0"
    assert kit.locator(".layer-box").get_attribute("data-length") == ""


def test_a_proposal_is_taken_by_one_click_and_undone(kit):
    kit.click("[data-layer-add]")
    expect(kit.locator("#note")).to_contain_text("Choose a sound in the library")
    step_to(kit, "Boathouse snare")
    kit.keyboard.press("Shift+Enter")
    expect(kit.locator(".layer")).to_have_count(2)
    kit.locator('[data-layer-line="1"]').click(position={"x": 30, "y": 8})
    kit.click('[data-layer-switch="invert"]')
    expect(kit.locator(".check-row")).to_contain_text("flip the polarity of Boathouse snare")
    expect(kit.locator(".check-row .late")).to_contain_text("dB at")
    kit.click(".propose")
    expect(kit.locator(".propose")).to_have_count(0)
    expect(kit.locator(".check-row .num")).to_have_text("nothing cancels")
    kit.keyboard.press("Control+z")
    expect(kit.locator(".propose")).to_have_count(1)


def test_a_sound_is_tried_in_the_beat_and_given_back(kit):
    kit.click("text=in the beat >> nth=-1")
    kit.locator("#sounds").focus()
    kit.keyboard.press("ArrowDown")
    kit.keyboard.press("ArrowDown")
    until(kit, "easyPocket.player.running && easyPocket.screens.kit.trial === true")
    tried = kit.evaluate("easyPocket.player.stack.felt.audio.filter((key) => key.startsWith('snare-'))")
    own = kit.evaluate("easyPocket.playing.felt.audio.filter((key) => key.startsWith('snare-'))")
    assert not set(tried) & set(own)
    anchor = kit.evaluate("easyPocket.player.anchor")
    kit.keyboard.press("Escape")
    until(kit, "easyPocket.player.stack === easyPocket.playing")
    assert kit.evaluate("[easyPocket.player.running, easyPocket.player.anchor]") == [True, anchor]


def test_another_kit_is_heard_while_a_key_is_held_and_the_beat_goes_on(kit):
    kit.select_option("#beside", label="Signal Box")
    kit.click("#play")
    until(kit, "easyPocket.player.running")
    anchor = kit.evaluate("easyPocket.player.anchor")
    kit.locator(".voice-list").focus()
    kit.keyboard.down("x")
    until(kit, "easyPocket.player.beside !== null")
    expect(kit.locator("#kit-state")).to_contain_text("Signal Box")
    expect(kit.locator("#kit-state")).to_contain_text("to be as loud")
    other = kit.evaluate("easyPocket.player.sounds().audio")
    own = kit.evaluate("easyPocket.player.stack.felt.audio")
    assert not set(other) & set(own)
    kit.keyboard.up("x")
    until(kit, "easyPocket.player.beside === null")
    assert kit.evaluate("[easyPocket.player.running, easyPocket.player.anchor]") == [True, anchor]


def test_a_file_that_is_no_sound_leaves_everything_as_it_was(kit):
    files = [
        {"name": "words.wav", "mimeType": "audio/wav", "buffer": b"only words " * 30},
        {"name": "gravel.wav", "mimeType": "audio/wav", "buffer": wav_bytes(burst())},
    ]
    kit.set_input_files("#sound-files", files[:1])
    expect(kit.locator("#sound-state")).to_contain_text("words.wav is no audio that can be read")
    assert layer_names(kit) == ["Boathouse snare"]
    kit.set_input_files("#sound-files", files)
    expect(kit.locator("#sound-state")).to_contain_text("1 sound came in: gravel")
    expect(kit.locator(".sound.on b")).to_have_text("gravel")
    kit.set_input_files("#sound-files", files[1:])
    expect(kit.locator("#sound-state")).to_contain_text("1 is in the library already")


def burst():
    decay = np.exp(-np.arange(9000) / 1500)
    return np.random.default_rng(8).normal(0, 0.2, 9000) * decay


def test_a_list_of_any_length_draws_only_what_is_seen(kit):
    kit.click('[data-find-role=""]')
    until(kit, "easyPocket.screens.kit.library.total > 100")
    assert kit.locator(".sound").count() < 30
    kit.locator("#sounds").evaluate("(list) => list.scrollTo(0, list.scrollHeight)")
    last = kit.evaluate("easyPocket.screens.kit.library.total") - 1
    expect(kit.locator(f'.sound[data-place="{last}"]')).to_be_visible()
    assert kit.locator(".sound").count() < 30
    kit.fill("#find-words", "ship")
    expect(kit.locator(".sound b")).to_have_text(["bell, ship's"])


def test_favourites_by_key_and_taken_out_with_a_way_back(kit):
    step_to(kit, "snare, deep")
    kit.keyboard.press("f")
    expect(kit.locator(".sound.on .star")).to_have_attribute("aria-pressed", "true")
    kit.click('[data-find="favourite"]')
    expect(kit.locator(".sound b")).to_have_text(["snare, deep"])
    kit.click('[data-find="favourite"]')
    step_to(kit, "snare, deep")
    kit.keyboard.press("f")
    expect(kit.locator(".sound.on .star")).to_have_attribute("aria-pressed", "false")
    kit.keyboard.press("Delete")
    expect(kit.locator(".sound b", has_text="snare, deep")).to_have_count(0)
    kit.click("text=Put it back")
    expect(kit.locator(".sound b", has_text="snare, deep")).to_have_count(1)


def test_a_sound_gets_another_name_and_another_role(kit):
    step_to(kit, "snare, tight")
    kit.locator(".sound.on .words").dblclick()
    kit.fill(".sound .words input", "slap")
    kit.select_option(".sound .words select", "clap")
    kit.keyboard.press("Enter")
    expect(kit.locator(".sound b", has_text="slap")).to_have_count(0)  # it is no snare any more
    choose(kit, "clap")
    step_to(kit, "slap")
    kit.locator(".sound.on .words").dblclick()
    kit.fill(".sound .words input", "snare, tight")
    kit.select_option(".sound .words select", "snare")
    kit.keyboard.press("Enter")
    expect(kit.locator(".sound b", has_text="snare, tight")).to_have_count(0)


def test_one_hit_asks_for_another_sound(kit):
    step_to(kit, "Signal Box snare")
    kit.click("[data-alternate-add]")
    expect(kit.locator("[data-alternate-show]")).to_have_count(2)
    kit.click("nav >> text=Bench")
    drawn(kit)
    click_slot(kit, "snare", 240)
    saved(kit)
    kit.keyboard.press("b")
    saved(kit)
    found = hit(kit, "snare", 240)
    assert found["asked"] == 1
    assert "sound 2" in found["ledger"]
    keys = kit.evaluate("easyPocket.playing.felt.audio.filter((key) => key.startsWith('snare-'))")
    assert len({key.rsplit("-", 1)[0] for key in keys}) == 4  # its own sound in three strokes, and the other once


def test_a_voice_taken_out_keeps_its_hits_and_comes_back(kit):
    choose(kit, "rim")
    kit.click("[data-voice-off]")
    expect(kit.locator('[data-kit-voice="rim"]')).to_have_count(0)
    kit.click("nav >> text=Bench")
    drawn(kit)
    expect_hits(kit, "rim", 2)
    expect(kit.locator("#rail-rim .hint")).to_have_text("not in Test kit: silent")
    kit.keyboard.press("Control+z")
    expect(kit.locator("#rail-rim .hint")).to_have_count(0)


def test_a_layered_snare_is_built_folded_used_in_two_songs_taken_away_and_brought_back(kit, address):
    """The whole way a newcomer goes."""
    step_to(kit, "snare, crack")
    kit.keyboard.press("Shift+Enter")
    expect(kit.locator(".layer")).to_have_count(2)
    step_to(kit, "Dry Dock snare")
    kit.keyboard.press("Shift+Enter")
    expect(kit.locator(".layer")).to_have_count(3)
    assert layer_names(kit) == ["Boathouse snare", "snare, crack", "Dry Dock snare"]
    kit.click("text=Fold into one sound")
    kit.fill("#fold-name", "harbour wall")
    kit.click("[data-fold]")
    expect(kit.locator(".layer-name b span")).to_have_text(["harbour wall"])
    kit.evaluate(
        "document.querySelectorAll('[data-kit-voice]').forEach(({ dataset }) =>"
        " easyPocket.edits.push({ kind: 'kit_voice', role: dataset.kitVoice, field: 'strokes', value: 1 }))"
    )
    saved(kit)
    # Another song, another kit, the same sound.
    first = kit.url.rsplit("/", 1)[0]
    other = send(address, f"{first.removeprefix(address)}/duplicate")
    newest = max(int(piece.split("/")[0]) for piece in other.split("/songs/")[1:])
    with kit.expect_download() as came:
        kit.click("text=kit…")
        kit.click("text=Save as SFZ with samples")
    data = came.value.path().read_bytes()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert "samples/snare-8.wav" in archive.namelist()
    kit.goto(f"/songs/{newest}/kit")
    kit.wait_for_selector(".sound")
    kit.click("text=kit…")
    kit.select_option('.kit-menu [data-edit="kit"]', label="Signal Box")
    expect(kit.locator(".kit-title h2")).to_have_text("Signal Box")
    kit.click("text=kit…")
    kit.fill("#kit-name", "Signal copy")
    kit.click("text=copy it")
    expect(kit.locator(".kit-title h2")).to_have_text("Signal copy")
    choose(kit, "snare")
    step_to(kit, "harbour wall")
    kit.keyboard.press("Enter")
    expect(kit.locator(".layer-name b span")).to_have_text(["harbour wall"])
    # The kit of the first song comes in here, and is what it was (an SFZ with key switches has one stroke of each).
    before = mixed(kit, first)
    kit.set_input_files("#kit-file", {"name": "Test kit.zip", "mimeType": "application/zip", "buffer": data})
    expect(kit.locator("#kit-state")).to_contain_text("All of it was brought in.")
    after = mixed(kit, f"{address}/songs/{newest}")
    assert before.shape == after.shape
    null_db = 10 * np.log10(((before - after) ** 2).mean() / (before**2).mean())
    print(f"kit: out and in again, null test {null_db:.0f} dB")
    assert null_db < -80
    assert read_sfz(data, "x").kit.roles[:2] == ("kick", "snare")


def mixed(page, song):
    """The loop as it is downloaded."""
    answer = page.request.get(f"{song}/pattern.wav?bits=32")
    samples, _ = soundfile.read(io.BytesIO(answer.body()))
    return samples
