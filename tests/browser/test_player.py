"""What the browser sounds, recorded at the player's output, against the times and the mix Python gave."""

import base64

import numpy as np
import pytest
from playwright.sync_api import expect

from easy_pocket.core.sound.events import MASTER_GAIN
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.mixdown import pan_gains
from tests.browser.gestures import click_slot, drawn, saved, until

RATE = 44_100


@pytest.fixture
def taped(browser, address, song):
    """The Bench in a page that lets the test bring its own recorder; the page's policy would not."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address, bypass_csp=True)
    page = context.new_page()
    page.goto(f"{song}/bench")
    drawn(page)
    yield page
    context.close()


KIT = HOUSE_KITS["boathouse"]
STROKES = {
    f"{voice.role}-{voice.alternate(number).audio_base}": voice.alternate(number)
    for voice in KIT.voices
    for number in voice.sounds
}

WORKLET = """
registerProcessor('tape', class extends AudioWorkletProcessor {
  process(inputs) {
    const input = inputs[0];
    if (input.length) this.port.postMessage({at: currentFrame, left: input[0].slice(), right: (input[1] || input[0]).slice()});
    return true;
  }
});
"""

START = """async (code) => {
  const player = window.easyPocket.player;
  await player.ready();
  await player.context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], {type: 'text/javascript'})));
  const tape = new AudioWorkletNode(player.context, 'tape', {channelCount: 2, channelCountMode: 'explicit'});
  window.tape = [];
  tape.port.onmessage = ({data}) => window.tape.push(data);
  player.master.connect(tape);
  tape.connect(player.context.destination);
}"""

# On a busy machine the browser renders several blocks in a row and stamps them all with the frame of the first, and the
# block after them with its true frame: a block whose stamp has been passed follows the one before it. A jump without
# such a run is a gap in the sound, and stays one.
STOP = """() => {
  const first = window.tape[0].at;
  let next = first;
  const blocks = [];
  for (const {at, left, right} of window.tape) {
    next = Math.max(next, at);
    blocks.push({at: next - first, left, right});
    next += left.length;
  }
  const out = new Float32Array(2 * (next - first));
  for (const {at, left, right} of blocks) for (let i = 0; i < left.length; i += 1) {
    out[2 * (at + i)] = left[i];
    out[2 * (at + i) + 1] = right[i];
  }
  const bytes = new Uint8Array(out.buffer);
  let text = '';
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return {first, data: btoa(text), anchor: window.easyPocket.player.anchor};
}"""


def begin_tape(page):
    page.click("#play")  # a user's press lets the page sound
    until(page, "easyPocket.player.running")
    page.click("#play")
    page.evaluate(START, WORKLET)


def end_tape(page):
    taped = page.evaluate(STOP)
    samples = np.frombuffer(base64.b64decode(taped["data"]), dtype=np.float32).reshape(-1, 2)
    return samples.astype(np.float64), taped["first"], taped["anchor"]


def expected_mix(columns, passes, length_s, total, origin):
    """All passes as Python means them, in frames from the start of the tape."""
    mix = np.zeros((total + 4 * RATE, 2))
    for number in range(passes):
        for sound, start_s, gain, pan, cut_s in zip(
            *(columns[k] for k in ("sound", "start_s", "gain", "pan", "cut_s")), strict=True
        ):
            role, _, zone = columns["audio"][sound].rpartition("-")
            voice = voice_audio(STROKES[role], int(zone))[:, 0] * gain * MASTER_GAIN
            if cut_s is not None:
                whole = max(round((cut_s - start_s) * RATE), 0)
                fade = int(0.006 * RATE)
                if whole + fade < len(voice):
                    voice = voice[: whole + fade].copy()
                    voice[whole:] *= np.linspace(1, 0, fade)
            at = round(origin + (number * length_s + start_s) * RATE)
            if at >= 0 and at + len(voice) < len(mix):
                mix[at : at + len(voice)] += np.outer(voice, pan_gains(pan))
    return mix[:total]


def lag_of(recorded, expected, at, reach=220):
    """By how many samples the recording is late around a hit, and how alike the two are there."""
    window = expected[at - 60 : at + 1100]
    best, best_lag = -1.0, 0
    for lag in range(-reach, reach + 1):
        piece = recorded[at - 60 + lag : at + 1100 + lag]
        alike = float((window * piece).sum() / np.sqrt((window**2).sum() * (piece**2).sum() + 1e-20))
        if alike > best:
            best, best_lag = alike, lag
    return best_lag, best


def test_hits_sound_within_a_millisecond_over_eight_bars_while_screens_change(taped):
    begin_tape(taped)
    playing = taped.evaluate("easyPocket.player.stack")
    taped.click("#play")
    until(taped, "easyPocket.player.context.currentTime > easyPocket.player.anchor + 3")
    taped.click("nav >> text=Loops")
    taped.wait_for_selector(".onset")
    until(taped, "easyPocket.player.context.currentTime > easyPocket.player.anchor + 8")
    taped.click("nav >> text=Bench")
    drawn(taped)
    taped.click('#feel [data-scope="part"]')
    passes = 4
    length_s = playing["length_s"]
    until(taped, f"easyPocket.player.context.currentTime > easyPocket.player.anchor + {passes * length_s + 0.4}", 30)
    recorded, first, anchor = end_tape(taped)
    columns = playing["felt"]
    origin = anchor * RATE - first
    expected = expected_mix(columns, passes + 1, length_s, len(recorded), origin)
    lags, likeness = [], []
    for number in range(passes):
        for start_s in columns["start_s"]:
            lag, alike = lag_of(recorded, expected, round(origin + (number * length_s + start_s) * RATE))
            lags.append(lag / RATE * 1000)
            likeness.append(alike)
    assert len(lags) == passes * len(columns["start_s"]) > 200
    worst = sorted(zip(likeness, columns["start_s"] * passes, strict=True))[:5]
    assert np.abs(lags).max() < 1.0
    assert min(likeness) > 0.99, worst
    print(f"player: {len(lags)} hits, worst {np.abs(lags).max():.3f} ms, mean likeness {np.mean(likeness):.4f}")


def test_what_is_heard_is_what_mixdown_writes(taped):
    begin_tape(taped)
    playing = taped.evaluate("easyPocket.player.stack")
    taped.click("#play")
    until(
        taped, f"easyPocket.player.context.currentTime > easyPocket.player.anchor + {2 * playing['length_s'] + 0.3}", 30
    )
    recorded, first, anchor = end_tape(taped)
    origin = anchor * RATE - first
    expected = expected_mix(playing["felt"], 3, playing["length_s"], len(recorded), origin)
    span = slice(round(origin), round(origin + 2 * playing["length_s"] * RATE))
    # A hit between two samples may round to either; everything else is the same to the last bit.
    heard, written = recorded[span].ravel(), expected[span].ravel()
    assert np.corrcoef(heard, written)[0, 1] > 0.98
    assert abs(20 * np.log10(np.sqrt((heard**2).mean() / (written**2).mean()))) < 0.2


def test_an_edit_while_playing_is_heard_and_the_place_is_kept(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.position > 0.3")
    anchor = bench.evaluate("easyPocket.player.anchor")
    click_slot(bench, "rim", 3840)
    saved(bench)
    at = bench.evaluate(
        "easyPocket.player.stack.felt.start_s[easyPocket.player.stack.felt.sound.findIndex((s) => easyPocket.player.stack.felt.audio[s].startsWith('rim-'))]"
    )
    until(bench, f"easyPocket.player.starts.some((t) => Math.abs(t - {anchor} - {at}) < 1e-6)")
    assert bench.evaluate("easyPocket.player.anchor") == anchor
    assert bench.evaluate("easyPocket.player.running")


def test_every_screen_leaves_the_sound_alone(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.position > 0.2")
    anchor = bench.evaluate("easyPocket.player.anchor")
    for screen in ("Shelf", "Loops", "Shelf", "Bench"):
        bench.click(f"nav >> text={screen}")
        bench.wait_for_selector(f'#screen[data-screen="{screen.lower()}"]')
        expect(bench.locator("nav .on")).to_have_text(screen)
        assert bench.evaluate("[easyPocket.player.running, easyPocket.player.anchor]") == [True, anchor]
    bench.go_back()
    bench.wait_for_selector('#screen[data-screen="shelf"] .song-card')


def test_a_tempo_change_keeps_the_place_in_the_bar(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.position > 1.0")
    bench.evaluate("""() => { window.share = []; const p = easyPocket.player; const old = p.setStack.bind(p);
        const beat = () => (p.context.currentTime - p.anchor) / p.stack.beat_s;
        p.setStack = (s) => { const before = beat(), began = p.context.currentTime; old(s);
            // The clock goes on while the stack is set: that much of the beat has passed.
            window.share.push([before + (p.context.currentTime - began) / p.stack.beat_s, beat()]); }; }""")
    bench.locator("#tempo").fill("70")
    bench.keyboard.press("Enter")
    saved(bench)
    before, after = bench.evaluate("window.share[0]")
    assert before % 8 == pytest.approx(after % 8, abs=0.02)


def test_felt_and_straight_and_the_held_key(bench):
    bench.click("#play")
    bench.click("#straight")
    assert bench.evaluate("easyPocket.player.timing") == "straight"
    bench.click("#felt")
    bench.keyboard.down("h")
    assert bench.evaluate("easyPocket.player.timing") == "straight"
    expect(bench.locator("#straight")).to_have_attribute("aria-pressed", "true")
    bench.keyboard.up("h")
    assert bench.evaluate("easyPocket.player.timing") == "felt"


def test_mute_solo_and_once_only(bench):
    bench.click("#rail-kick [data-mix=solo]")
    saved(bench)
    assert bench.evaluate("easyPocket.player.stack.felt.audio.every((key) => key.startsWith('kick-'))")
    bench.click("#rail-kick [data-mix=solo]")
    bench.click("#rail-kick [data-mix=mute]")
    saved(bench)
    assert not bench.evaluate("easyPocket.player.stack.felt.audio.some((key) => key.startsWith('kick-'))")
    bench.locator("#tempo").fill("300")
    bench.keyboard.press("Enter")
    saved(bench)
    bench.click("#loop-toggle")
    bench.click("#play")
    until(bench, "easyPocket.player.running === false", 8)
    expect(bench.locator("#play")).to_have_attribute("aria-label", "Play")


def test_a_second_press_while_sounds_come_in_does_not_play_twice(bench):
    bench.evaluate("() => { for (let i = 0; i < 3; i += 1) document.getElementById('play').click(); }")
    until(bench, "easyPocket.player.position > 0.5")
    starts = bench.evaluate("easyPocket.player.starts")
    events = bench.evaluate("easyPocket.player.stack.felt.start_s.filter((at) => at < 0.4).length")
    first = bench.evaluate("easyPocket.player.anchor")
    assert len([at for at in starts if at - first < 0.4]) == events


WATCH_SLOW_STOPS = """() => {
  const {player} = easyPocket;
  const {start, stop} = AudioBufferSourceNode.prototype;
  window.left = new Map(); // node: when it begins, of all that were not taken back
  AudioBufferSourceNode.prototype.start = function (at) {
    window.left.set(this, at);
    return start.call(this, at);
  };
  AudioBufferSourceNode.prototype.stop = function (...at) {
    const end = performance.now() + 4;
    while (performance.now() < end);
    if (!at.length) window.left.delete(this);
    return stop.apply(this, at);
  };
}"""


def test_taking_back_slowly_loses_no_hit(bench):
    """A busy page: taking back what is planned takes longer than the player leaves alone."""
    bench.click("#play")  # a user's press lets the page sound
    until(bench, "easyPocket.player.running")
    bench.click("#play")
    bench.evaluate(WATCH_SLOW_STOPS)
    bench.click("#play")
    until(bench, "easyPocket.player.running")
    for beat in range(8):
        until(bench, f"easyPocket.player.context.currentTime > easyPocket.player.anchor + {0.4 * (beat + 1)}")
        bench.evaluate("easyPocket.player.replan()")
    found = bench.evaluate(
        """() => {
            const {anchor, stack, context} = easyPocket.player;
            return {left: [...window.left.values()].map((at) => at - anchor), due: stack.felt.start_s, now: context.currentTime - anchor};
        }"""
    )
    left = np.array(found["left"])
    due = [at for at in found["due"] if at < found["now"]]
    assert len(due) > 20
    assert [at for at in due if np.abs(left - at).min() > 1e-4] == []


def test_nothing_is_taken_back_when_nothing_changed(bench):
    bench.click("#play")
    until(bench, "easyPocket.player.running")
    bench.evaluate(
        """() => {
            const {player} = easyPocket;
            const replan = player.replan.bind(player);
            window.replans = 0;
            player.replan = () => { window.replans += 1; replan(); };
        }"""
    )
    bench.evaluate("easyPocket.refresh()")
    bench.click(".voice-name >> text=Snare")
    expect(bench.locator("#feel .scope .on")).to_have_text("Snare")
    assert bench.evaluate("window.replans") == 0


def test_a_click_sounds_on_the_beats_and_a_bar_is_counted_in(bench):
    bench.locator("#click-chip").click()
    bench.locator('[data-click="on"]').check()
    bench.locator('[data-click="count_in"]').select_option("1")
    bench.keyboard.press("Escape")
    bench.locator(".rails, #rails, canvas").first.click(position={"x": 5, "y": 2})
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    got = bench.evaluate(
        """(() => {
            const { player } = easyPocket;
            const clicks = [...player.pending].filter((voice) => voice.click).map((voice) => [voice.click, voice.at - player.anchor]);
            const hits = [...player.pending].filter((voice) => !voice.click).map((voice) => voice.at - player.anchor);
            return [clicks, hits, player.stack.clicks.bar_s, player.anchor - player.context.currentTime];
        })()"""
    )
    clicks, hits, bar_s, away_s = got
    counted = [(kind, round(at / bar_s * 4, 3)) for kind, at in clicks if at < -0.01]
    assert counted == [("bar", -4.0), ("beat", -3.0), ("beat", -2.0), ("beat", -1.0)]
    assert 0.5 * bar_s < away_s <= bar_s + 0.11
    assert all(at > -0.2 for at in hits)  # the music waits
    until(
        bench,
        "[...easyPocket.player.pending].some((voice) => voice.click && voice.at > easyPocket.player.anchor + 0.1)",
    )
    after = bench.evaluate(
        "[...easyPocket.player.pending].filter((v) => v.click).map((v) => (v.at - easyPocket.player.anchor) / easyPocket.player.stack.beat_s)"
    )
    assert all(abs(beat - round(beat)) < 1e-3 for beat in after)
    bench.keyboard.press("Space")
    bench.locator("#click-chip").click()
    bench.locator('[data-click="on"]').uncheck()
    bench.locator('[data-click="count_in"]').select_option("0")
    bench.keyboard.press("Escape")
    assert bench.evaluate("localStorage.getItem('easy-pocket-click')").find('"on":false') > 0
