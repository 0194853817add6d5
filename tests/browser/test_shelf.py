"""The Shelf: what a song begins with, played from its card, found and ordered; rename, duplicate, the bin."""

from __future__ import annotations

import io
import re
import tarfile
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import send
from tests.browser.gestures import box_of, drawn, ticks, until


def card(page: Page, name: str) -> Locator:
    return page.locator(".song-card", has=page.locator("h3", has_text=re.compile(f"^\\s*{re.escape(name)}\\s*$")))


def with_card(page: Page, name: str, deed: str) -> None:
    card(page, name).locator(".more").click()
    card(page, name).locator(f".song-actions >> text={deed}").click()


def take_off(page: Page, address: str) -> None:
    """The song the page shows, so that the shelf stays short."""
    send(address, re.sub(r"^.*(/songs/\d+).*$", r"\1", page.url) + "/delete")


def shelf(page: Page) -> None:
    """The Shelf, once its script is there."""
    page.goto("/")
    until(page, "document.querySelector('.line-picture path')")


def playing(page: Page) -> Locator:
    return page.locator(".song-card.playing")


def test_an_empty_bar_is_begun_renamed_duplicated_deleted_and_brought_back(page: Page) -> None:
    shelf(page)
    page.fill(".empty-bar [name=name]", "Net Menders")
    page.fill(".empty-bar [name=tempo_bpm]", "90")
    page.click("[aria-label=Faster]")
    page.click("[aria-label=Faster]")
    page.select_option("[name=metre]", "6/8")
    page.click(".empty-bar >> text=Begin")
    page.wait_for_selector("#rail-kick")
    expect(page.locator("#tempo")).to_have_value("92.0")
    expect(page.locator(".transport")).to_contain_text("6/8")
    shelf(page)
    expect(card(page, "Net Menders")).to_contain_text("92 bpm · 6/8 · Boathouse")
    expect(card(page, "Net Menders")).to_contain_text("2 bars · 0:03")
    with_card(page, "Net Menders", "rename")
    field = page.locator(".song-words form:visible input")
    field.fill("<script>Four</script> 🥁")
    field.press("Enter")
    renamed = card(page, "<script>Four</script> 🥁")
    expect(renamed).to_have_count(1)
    with_card(page, "<script>Four</script> 🥁", "duplicate")
    expect(card(page, "<script>Four</script> 🥁 copy")).to_have_count(1)
    with_card(page, "<script>Four</script> 🥁", "delete")
    expect(renamed).to_have_count(0)
    line = page.locator(".bin-line", has_text="<script>Four</script> 🥁").first
    expect(line).to_contain_text("gone in 30 days")
    page.reload()  # it waits there
    line.locator("text=bring back").click()
    expect(renamed).to_have_count(1)
    expect(page.locator(".bin-line", has_text=re.compile(r"^<script>Four</script> 🥁gone"))).to_have_count(0)
    with_card(page, "<script>Four</script> 🥁", "delete")
    expect(renamed).to_have_count(0)
    with_card(page, "<script>Four</script> 🥁 copy", "delete")
    expect(card(page, "<script>Four</script> 🥁 copy")).to_have_count(0)


def test_a_tempo_that_does_not_fit_keeps_what_was_typed(page: Page) -> None:
    shelf(page)
    page.fill(".empty-bar [name=name]", "Kept")
    page.fill(".empty-bar [name=tempo_bpm]", "0")
    page.click(".empty-bar >> text=Begin")
    expect(page.locator(".empty-bar .form-error")).to_contain_text("between 20 and 400 bpm")
    expect(page.locator(".empty-bar [name=name]")).to_have_value("Kept")


def test_a_line_is_stepped_through_heard_and_begun_with(page: Page, address: str) -> None:
    shelf(page)
    first = page.locator(".line-name").inner_text()
    assert page.locator(".line-picture path").count() > 4
    page.click("[data-line-next]")
    expect(page.locator(".line-name")).not_to_have_text(first)
    name = page.locator(".line-name").inner_text().split(" · ")[0]
    page.click("[data-line-play]")
    expect(page.locator("[data-line-play]")).to_have_attribute("aria-pressed", "true")
    page.click("[data-line-play]")
    expect(page.locator("[data-line-play]")).to_have_attribute("aria-pressed", "false")
    page.fill(".empty-bar [name=tempo_bpm]", "88")
    page.click("#begin-line >> text=Begin")
    page.wait_for_url(re.compile(r"/bench$"))
    drawn(page)
    expect(page.locator("#tempo")).to_have_value("88.0")
    expect(page.locator("#song-name")).to_have_value(name.capitalize())
    struck = ticks(page, "kick")
    assert struck
    assert [tick + 3840 for tick in struck if tick < 3840] == [tick for tick in struck if tick >= 3840]  # both bars
    until(page, "document.activeElement.id === 'rail-rows'")  # and the keys write
    take_off(page, address)


def test_a_song_is_played_from_its_card_and_one_at_a_time(page: Page) -> None:
    shelf(page)
    card(page, "Lamplighter sketch").locator("[data-play-song]").click()
    expect(playing(page)).to_have_count(1)
    expect(playing(page)).to_contain_text("bar 1 of 2")
    until(page, "parseFloat(document.querySelector('.song-card.playing .card-needle').style.left) > 2")
    card(page, "Slack Water").locator("[data-play-song]").click()
    expect(playing(page)).to_contain_text("Slack Water")
    expect(playing(page)).to_have_count(1)
    page.keyboard.press("Space")
    expect(playing(page)).to_have_count(0)
    page.keyboard.press("Space")
    expect(playing(page)).to_contain_text("Slack Water")
    page.keyboard.press("Space")
    expect(card(page, "Slack Water").locator(".card-place")).to_have_text(re.compile(r"22 bars · 1:13"))


def test_space_plays_after_a_click_on_a_tab_and_presses_one_reached_by_tab(page: Page) -> None:
    shelf(page)
    page.get_by_role("tab", name="Kits").click()
    page.keyboard.press("Space")
    expect(playing(page)).to_have_count(1)
    page.keyboard.press("Space")
    expect(playing(page)).to_have_count(0)
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Space")
    expect(page.get_by_role("tab", name="Backup")).to_have_attribute("aria-selected", "true")
    expect(playing(page)).to_have_count(0)


def test_a_backup_is_saved_and_asked_about_before_it_takes_the_place_of_all(page: Page, tmp_path: Path) -> None:
    shelf(page)
    page.get_by_role("tab", name="Backup").click()
    with page.expect_download() as saved:
        page.locator("[data-backup]").click()
    saved.value.save_as(tmp_path / "b.tar")
    with tarfile.open(tmp_path / "b.tar") as archive:
        assert archive.getnames()[0] == "shelf.sql.gz"
    page.set_input_files("[data-bring-backup]", tmp_path / "b.tar")
    ask = page.locator("#backup-ask")
    expect(ask).to_contain_text("All songs here make way for those of b.tar")
    ask.get_by_role("button", name="leave it").click()
    expect(ask).to_be_hidden()
    page.set_input_files("[data-bring-backup]", tmp_path / "b.tar")
    expect(ask).to_be_visible()
    page.keyboard.press("Escape")
    expect(ask).to_be_hidden()
    (tmp_path / "letter.gz").write_bytes(b"dear all")
    page.set_input_files("[data-bring-backup]", tmp_path / "letter.gz")
    ask.get_by_role("button", name="bring it back").click()
    expect(ask).to_contain_text("letter.gz is no backup of Easy Pocket")


def test_a_backup_is_kept_by_the_server_and_stands_in_the_list(page: Page) -> None:
    shelf(page)
    page.get_by_role("tab", name="Backup").click()
    kept = page.locator("#dumps .bin-line", has_text="you asked for it")
    before = kept.count()
    page.locator("[data-backup-here]").dblclick()
    expect(page.locator("#backup-ask")).to_contain_text("The backup is kept below")
    expect(kept).to_have_count(min(before + 1, 5))
    page.route("**/jobs/*", lambda route: route.fulfill(json={"share": 0.4, "words": "x", "result": None}))
    page.locator("[data-backup-here]").click()
    expect(page.locator("#backup-ask")).to_contain_text("40 %")
    with page.expect_request("**/jobs/*/stop"):
        page.locator("#backup-ask").get_by_role("button", name="stop").click()
    page.unroute("**/jobs/*")
    page.route("**/jobs/*", lambda route: route.fulfill(json={"error": "Stopped: nothing was changed."}))
    expect(page.locator("#backup-ask.wrong")).to_contain_text("Stopped")
    page.keyboard.press("Escape")
    expect(page.locator("#backup-ask")).to_be_hidden()


def test_the_bin_is_emptied_only_when_it_is_asked_for_twice(page: Page) -> None:
    shelf(page)
    page.fill(".empty-bar [name=name]", "Gone Rope")
    page.click(".empty-bar >> text=Begin")
    page.wait_for_selector("#rail-kick")
    shelf(page)
    with_card(page, "Gone Rope", "delete")
    page.get_by_role("tab", name="Bin").click()
    expect(page.locator("#bin")).to_contain_text("Gone Rope")
    empty, keep = page.locator("[data-empty-bin]"), page.locator("[data-keep-bin]")
    empty.click()
    expect(keep).to_be_visible()
    page.keyboard.press("Escape")
    expect(keep).to_be_hidden()
    expect(page.locator("#bin")).to_contain_text("Gone Rope")
    empty.click()
    page.locator("#bin [hx-post='/bin/empty']").click()
    expect(page.locator("#bin")).not_to_contain_text("Gone Rope")
    page.reload()
    page.get_by_role("tab", name="Bin").click()
    expect(page.locator("#bin")).not_to_contain_text("Gone Rope")


def test_a_history_is_shortened_from_the_card(page: Page, song: str) -> None:
    page.goto(f"{song}/bench")
    drawn(page)
    for tempo in ("91", "92", "93"):
        page.fill("#tempo", tempo)
        page.press("#tempo", "Enter")
        until(page, f"document.querySelector('#undo').title.includes('tempo {tempo}')")
    shelf(page)
    shown = page.locator(f"#card-{song.rsplit('/', 1)[1]}")
    shown.locator(".more").click()
    shown.locator("[data-shorten]").click()
    expect(shown.locator(".history-form")).to_contain_text(re.compile(r"\d+ steps to undo"))
    shown.locator(".history-form input").fill("1")
    shown.locator(".history-form input").press("Enter")
    expect(shown.locator(".history-form")).to_contain_text("1 step to undo")


def test_of_a_song_and_its_shelf_only_one_sounds(page: Page, song: str) -> None:
    page.goto(f"{song}/bench")
    drawn(page)
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    page.click('[data-screen-link="shelf"]')
    expect(page.locator("#shelf")).to_be_visible()
    card(page, "Slack Water").locator("[data-play-song]").click()
    expect(playing(page)).to_have_count(1)
    until(page, "!easyPocket.player.running")
    page.click('[data-screen-link="bench"]')
    drawn(page)
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running")
    page.keyboard.press("Space")
    until(page, "!easyPocket.player.running")


def test_songs_are_found_and_put_in_order(page: Page) -> None:
    shelf(page)
    page.keyboard.press("/")
    page.keyboard.type("lamp 104")
    found = page.locator(".song-card").evaluate_all(
        "(cards) => cards.filter((card) => /lamp/i.test(card.innerText + card.dataset.name) && card.dataset.tempo === '104.0').length"
    )
    assert 2 <= found < page.locator(".song-card").count()
    expect(page.locator(".song-card:visible")).to_have_count(found)
    expect(page.locator("#song-count")).to_contain_text(f"{found} of")
    page.keyboard.press("Escape")
    expect(card(page, "Slack Water")).to_be_visible()

    def shown() -> list[str]:
        return [name.strip() for name in page.locator(".song-card h3").all_inner_texts()]

    page.click("[data-order=tempo]")
    tempi = page.locator(".song-card").evaluate_all("(cards) => cards.map((card) => Number(card.dataset.tempo))")
    assert tempi == sorted(tempi)
    page.click("[data-order=name]")
    assert shown() == sorted(shown(), key=str.lower)
    page.reload()
    expect(page.locator("[data-order=name]")).to_have_attribute("aria-pressed", "true")
    assert shown() == sorted(shown(), key=str.lower)
    page.click("[data-order=changed]")


def midi_file(notes: list[tuple[int, int]], tempo_bpm: float) -> bytes:
    """Notes as (slot of 16, number), over two bars of 4/4."""
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo_bpm), time=0))
    track.append(mido.MetaMessage("track_name", name="Pier drums", time=0))
    now = 0
    for slot, number in sorted(notes):
        track.append(mido.Message("note_on", note=number, velocity=100, channel=9, time=slot * 120 - now))
        now = slot * 120
    track.append(mido.MetaMessage("end_of_track", time=32 * 120 - now))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_a_midi_file_becomes_a_song_and_unknown_notes_are_asked_for(page: Page, address: str, tmp_path: Path) -> None:
    path = tmp_path / "gull-wing.mid"
    path.write_bytes(midi_file([(0, 36), (8, 36), (4, 38), (12, 38), (2, 22), (6, 22), (10, 3)], 96))
    shelf(page)
    page.set_input_files('[data-bring=midi] input[type="file"]', str(path))
    asked = page.locator("#bring-notes")
    expect(asked).to_contain_text("gull-wing.mid has notes that are no voice of ours")
    asked.locator('[data-note="22"]').select_option("shaker")
    asked.locator('[data-note="3"]').select_option("")
    asked.locator("text=Bring it in").click()
    page.wait_for_url(re.compile(r"/bench$"))
    drawn(page)
    expect(page.locator("#tempo")).to_have_value("96.0")
    expect(page.locator("#song-name")).to_have_value("gull-wing")
    expect(page.locator(".part-name b")).to_have_text(["Pier drums"])
    assert ticks(page, "shaker") == [480, 1440]
    assert page.evaluate("easyPocket.screens.bench.rails.voices()") == ["kick", "snare", "shaker"]
    take_off(page, address)


def test_tracks_of_type_2_and_other_channels_are_asked_about_first(page: Page, address: str, tmp_path: Path) -> None:
    midi = mido.MidiFile(type=2, ticks_per_beat=960)
    for title, notes in (("Verse", ((36, 9), (38, 9))), ("Fill", ((38, 9), (47, 2)))):
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=title, time=0)])
        track += [
            mido.Message("note_on", note=note, velocity=90, channel=channel, time=960 * number)
            for number, (note, channel) in enumerate(notes)
        ]
        midi.tracks.append(track)
    path = tmp_path / "two-turns.mid"
    midi.save(str(path))
    shelf(page)
    page.set_input_files('[data-bring=midi] input[type="file"]', str(path))
    asked = page.locator("#bring-notes")
    expect(asked).to_contain_text("two-turns.mid is of type 2")
    page.keyboard.press("Tab")  # the choice has the keys; the next is the button
    page.keyboard.press("Enter")
    expect(asked).to_contain_text("two-turns.mid has notes outside the drums' channel (10).")
    expect(asked).to_contain_text("1 note on other channels")
    asked.locator("select").select_option("all")
    asked.locator("text=Bring it in").click()
    page.wait_for_url(re.compile(r"/bench$"))
    drawn(page)
    assert page.evaluate("easyPocket.screens.bench.rails.voices()") == ["kick", "snare", "tom_mid"]
    page.locator('[data-screen-link="song"]').click()
    until(page, "easyPocket.screen === 'song'")
    assert page.evaluate("easyPocket.screens.song.data.sections.map((one) => one.name)") == ["Verse", "Fill"]
    take_off(page, address)


def test_a_program_is_let_in_by_a_token_and_out_again(page: Page, address: str) -> None:
    shelf(page)
    page.locator("[role=tab]", has_text="Programs").click()
    name = page.locator('#programs [name="name"]')
    name.fill("night script")
    page.locator('#programs [name="scope"]').select_option("write")
    page.locator("text=make a token").click()
    token = page.locator("[data-token]")
    expect(token).to_be_focused()  # to be copied
    expect(page.locator("#programs")).to_contain_text("night script")
    expect(page.locator("#programs")).to_contain_text("reads and changes · not used yet")
    headers = {"Authorization": f"Bearer {token.input_value()}"}
    expect(name).to_have_value("")  # ready for another
    assert page.request.get(f"{address}/api/v1/songs", headers=headers).ok
    page.reload()
    expect(page.locator("[data-token]")).to_have_count(0)  # shown once
    page.locator("[role=tab]", has_text="Programs").click()
    expect(page.locator("#programs")).to_contain_text("used ")
    page.locator('[aria-label="Take the token night script away"]').click()
    expect(page.locator("#programs .bin-line")).to_have_count(0)
    expect(name).to_be_focused()  # the keys are not dead
    assert page.request.get(f"{address}/api/v1/songs", headers=headers).status == 401
    page.locator("text=make a token").click()
    assert page.evaluate("document.querySelector('#programs [name=name]').validity.valueMissing")
    name.fill("hurried")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")  # before the first is answered: one token, and it is shown
    expect(page.locator("[data-token]")).to_be_focused()
    expect(page.locator("#programs .bin-line")).to_have_count(1)
    page.locator('[aria-label="Take the token hurried away"]').click()
    expect(page.locator("#programs .bin-line")).to_have_count(0)


def test_what_programs_can_do_is_read_on_a_page(page: Page) -> None:
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.goto("/api/docs")
    expect(page.locator(".opblock-summary-path").first).to_contain_text("/songs")
    expect(page.locator("#api")).to_contain_text("tempi in quarter notes a minute")
    origin = page.evaluate("location.origin")
    assert all(url.startswith((origin, "data:")) for url in asked)


def beat() -> bytes:
    """A plain beat of noise at 100 bpm, two bars."""
    rate, rng = 44100, np.random.default_rng(3)
    audio = np.zeros(int(rate * 4.8))
    for number in range(16):
        at = int(number * 0.3 * rate)
        length = 9000 if number % 4 in (0, 2) else 3000
        burst = rng.normal(size=length) * np.exp(-np.arange(length) / (length / 6))
        if number % 4 == 0:
            burst = np.sin(2 * np.pi * 60 * np.arange(length) / rate) * np.exp(-np.arange(length) / 2500)
        audio[at : at + length] += burst[: len(audio) - at] * (0.8 if number % 2 == 0 else 0.3)
    out = io.BytesIO()
    soundfile.write(out, audio / np.abs(audio).max() * 0.9, rate, format="WAV")
    return out.getvalue()


def test_an_audio_loop_becomes_a_song_at_its_tempo(page: Page, address: str, tmp_path: Path) -> None:
    path = tmp_path / "fog-bank.wav"
    path.write_bytes(beat())
    shelf(page)
    page.set_input_files('[data-bring=loop] input[type="file"]', str(path))
    page.wait_for_url(re.compile(r"/songs/\d+/loops/\d+"))
    expect(page.locator("#song-name")).to_have_value("fog bank")
    assert float(page.locator("#tempo").input_value()) in (pytest.approx(100, abs=0.5), pytest.approx(200, abs=1))
    take_off(page, address)


def test_a_file_that_is_none_says_so_makes_no_song_and_leaves_the_shelf(page: Page, tmp_path: Path) -> None:
    path = tmp_path / "notes.mid"
    path.write_bytes(b"not a song at all")
    shelf(page)
    before = page.locator(".song-card").count()
    page.set_input_files('[data-bring=midi] input[type="file"]', str(path))
    expect(page.locator("#bring-state")).to_have_class(re.compile("wrong"))
    expect(page.locator("#bring-state")).to_contain_text("notes.mid")
    page.reload()
    expect(page.locator(".song-card")).to_have_count(before)


DROP = """([name, words]) => {
    const data = new DataTransfer();
    data.items.add(new File([words], name));
    for (const kind of ["dragover", "drop"]) {
        document.querySelector(".bin").dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: data }));
    }
}"""


def test_a_file_is_dropped_anywhere(page: Page) -> None:
    shelf(page)
    page.evaluate(DROP, ["torn.wav", "no sound"])
    expect(page.locator("#bring-state")).to_contain_text("torn.wav")
    expect(page.locator("#bring-state")).to_have_class(re.compile("wrong"))


def test_the_picture_shows_the_beat(page: Page) -> None:
    shelf(page)
    strokes = card(page, "Lamplighter sketch").locator(".stroke")
    assert strokes.count() > 50
    first = box_of(strokes.nth(0))
    assert first["height"] > 4


def test_the_shelf_lists_the_keys_of_every_song(page: Page) -> None:
    shelf(page)
    page.click("footer [data-help]")
    expect(page.locator("#shortcuts")).to_contain_text("play, stop")
    page.click("#shortcuts [data-help]")
    expect(page.locator("#shortcuts")).to_be_hidden()


def test_a_song_is_saved_as_a_file_and_brought_back_by_choosing_it(page: Page, address: str, tmp_path: Path) -> None:
    page.goto("/")
    card = page.locator(".song-card", has=page.get_by_role("link", name="Three Piers", exact=True)).first
    count = page.locator(".song-card").count()
    card.get_by_role("button", name="More with Three Piers").click()
    with page.expect_download() as saved:
        card.get_by_role("link", name="save as file").click()
    assert saved.value.suggested_filename == "Three Piers.pocket"
    path = tmp_path / "carried.pocket"
    saved.value.save_as(path)
    page.set_input_files('[data-bring=midi] input[type="file"]', str(path))
    page.wait_for_url(re.compile(r"/songs/\d+/bench"))
    expect(page.locator("#song-name")).to_have_value("Three Piers")
    page.goto("/")
    assert page.locator(".song-card").count() == count + 1
    path.write_bytes(path.read_bytes()[:900])  # cut off on its way
    page.set_input_files('[data-bring=midi] input[type="file"]', str(path))
    expect(page.locator("#bring-state")).to_contain_text("carried.pocket")
    assert page.locator(".song-card").count() == count + 1
