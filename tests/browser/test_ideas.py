"""Ideas as a user works with them: asked for, heard in place, kept in part, put in, pinned, mixed, brought back."""

from __future__ import annotations

from itertools import pairwise

import pytest
from playwright.sync_api import Page, expect

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from tests.browser.gestures import box_of, saved, until


@pytest.fixture
def ideas(page: Page, song: str) -> Page:
    page.goto(f"{song}/ideas")
    asked(page)
    return page


def asked(page: Page) -> None:
    """Wait until what was asked for is shown."""
    until(
        page,
        "window.easyPocket?.screens.ideas?.data && easyPocket.screens.ideas.cards.length && !easyPocket.screens.ideas.grid.ariaBusy",
    )


def show(page: Page, kind: str) -> None:
    page.click(f'[data-idea-kind="{kind}"]')
    until(page, f"easyPocket.screens.ideas.cards[0]?.idea.kind === '{kind}'")


def keys(page: Page) -> list[str]:
    found: list[str] = page.evaluate("easyPocket.screens.ideas.cards.map((card) => card.idea.key)")
    return found


def new_keys(page: Page, before: list[str]) -> list[str]:
    until(
        page, f"easyPocket.screens.ideas.cards.length && easyPocket.screens.ideas.cards[0].idea.key !== '{before[0]}'"
    )
    return keys(page)


def pattern(page: Page) -> list[list[object]]:
    """The song's hits as the Bench has them."""
    found: list[list[object]] = page.evaluate(
        """async () => {
            const answer = await fetch(`/songs/${easyPocket.song.id}/state?screen=bench`);
            const { data } = await answer.json();
            return Object.entries(data.hits).flatMap(([voice, hits]) => hits.tick.map((tick, at) => [voice, tick, hits.velocity[at]]));
        }"""
    )
    return sorted(found)


def put(page: Page) -> None:
    page.locator("#idea-put:visible, #idea-grid article.on [data-idea-put]:visible").first.click()
    saved(page)


def test_six_fills_come_at_once_and_six_others_after_them(ideas: Page) -> None:
    first = keys(ideas)
    assert len(set(first)) == 6
    expect(ideas.locator("#idea-where")).to_have_text("bar 2, beats 3–4")
    ideas.click("#idea-more")
    second = new_keys(ideas, first)
    assert not set(first) & set(second)


def test_a_card_shows_its_hits_where_they_will_be(ideas: Page) -> None:
    drawn = ideas.evaluate(
        """() => [...document.querySelectorAll('#idea-grid article:first-child .i-mark.new .head')]
            .map((head) => head.getBoundingClientRect().x + head.getBoundingClientRect().width / 2)"""
    )
    window = box_of(ideas.locator("#idea-grid article:first-child .i-window"))
    assert window is not None
    come = ideas.evaluate("easyPocket.screens.ideas.idea.changes.flatMap((change) => change.come).map((hit) => hit[1])")
    inside = sorted({round((tick - 5760) / 1920, 4) for tick in come if tick >= 5760})
    seen = sorted({round((x - window["x"]) / window["width"], 4) for x in drawn})
    assert [share for share in seen if share < 0.999] == pytest.approx(inside, abs=0.01)


def test_every_setting_changes_what_is_offered(ideas: Page) -> None:
    for button, check in (
        ('[data-opt="ending"][data-value="silence"]', "every((i) => i.words.endsWith('then silence'))"),
        ('[data-opt="path"][data-value="one"]', "every((i) => i.words.includes('alone'))"),
        ('[data-opt="subdivision"][data-value="triplet"]', "every((i) => i.words.startsWith('triplets'))"),
    ):
        before = keys(ideas)
        ideas.click(f'[data-for="fill"] {button}')
        new_keys(ideas, before)
        until(ideas, f"easyPocket.screens.ideas.cards.map((card) => card.idea).{check}")
    ideas.click('[data-opt="ending"][data-value="silence"]')  # pressed again it is open
    expect(ideas.locator('[data-shown="ending"]')).to_have_text("auto")
    before = keys(ideas)
    ideas.click('[data-for="fill"] [data-opt="beats"][data-value="1"]')
    new_keys(ideas, before)
    expect(ideas.locator("#idea-where")).to_have_text("bar 2, beat 4")


def test_what_cannot_be_played_is_said_beside_the_ideas(ideas: Page) -> None:
    ideas.click('[data-opt="subdivision"][data-value="8"]')
    for end in ("0", "1"):
        slider = ideas.locator(f'[data-pair="density"][data-end="{end}"]')
        slider.focus()
        slider.press("End")
    expect(ideas.locator("#idea-state.wrong")).to_contain_text("two hands and two feet can play")
    ideas.click('[data-open="density"]')
    asked(ideas)
    expect(ideas.locator("#idea-state.wrong")).to_be_hidden()


def test_an_idea_is_put_in_and_undone_as_one_step(ideas: Page) -> None:
    before = pattern(ideas)
    ideas.keyboard.press("ArrowRight")
    wanted = ideas.evaluate(
        "easyPocket.screens.ideas.idea.changes.flatMap((change) => change.come).map((h) => h.slice(0, 3))"
    )
    put(ideas)
    after = pattern(ideas)
    assert all(hit in after for hit in wanted)
    assert [hit for hit in after if 0 < int(str(hit[1])) < 5760] == [
        hit for hit in before if 0 < int(str(hit[1])) < 5760
    ]
    ideas.keyboard.press("Control+z")
    saved(ideas)
    assert pattern(ideas) == before


def test_single_changes_are_kept_or_dropped_and_can_be_undone_one_by_one(ideas: Page) -> None:
    show(ideas, "variation")
    before = pattern(ideas)
    ideas.click('#idea-side [data-tab="changes"]')
    expect(ideas.locator("#change-count")).to_have_text("3 of 3 changes kept")
    ideas.uncheck("#change-list li:nth-child(2) input")
    expect(ideas.locator("#change-count")).to_have_text("2 of 3 changes kept")
    ideas.check("#one-by-one")
    ideas.click("[data-put-kept]")
    saved(ideas)
    both = pattern(ideas)
    ideas.keyboard.press("Control+z")
    saved(ideas)
    assert pattern(ideas) not in (both, before)
    ideas.keyboard.press("Control+z")
    saved(ideas)
    assert pattern(ideas) == before


def test_lamplighter_grows_to_eight_bars_with_a_fill_and_three_of_five_changes(ideas: Page) -> None:
    show(ideas, "grow")
    expect(ideas.locator("#idea-grid article")).to_have_count(8)
    tags = ideas.locator("#idea-grid article .idea-tags").all_inner_texts()
    assert tags == ["statement", "statement", "repeat", "answer", "repeat", "repeat", "repeat", "lift, a fill"]
    before = keys(ideas)
    ideas.click('[data-opt="plan"][data-value="every"]')
    new_keys(ideas, before)
    expect(ideas.locator("[data-check=bigger]")).to_be_visible()
    before = keys(ideas)
    words = ideas.locator("#idea-grid article:nth-child(5) .idea-words").inner_text()
    others = ideas.locator("#idea-grid article:nth-child(3) .idea-words").inner_text()
    ideas.click('[data-idea-again="5"]')
    new_keys(ideas, before)
    assert ideas.locator("#idea-grid article:nth-child(5) .idea-words").inner_text() != words
    assert ideas.locator("#idea-grid article:nth-child(3) .idea-words").inner_text() == others
    ideas.click('#idea-side [data-tab="changes"]')
    ideas.click("#idea-grid article:nth-child(4)")
    total = ideas.locator("#change-list input").count()
    for number in range(3, total):
        ideas.uncheck(f"#change-list li:nth-child({number + 1}) input")
    expect(ideas.locator("#change-count")).to_have_text(f"3 of {total} changes kept")
    put(ideas)
    until(ideas, "easyPocket.playing.bars === 8")
    expect(ideas.locator("#ribbon .section")).to_contain_text("8 bars")
    hits = pattern(ideas)
    bars = [{(v, int(str(t)) % 3840) for v, t, _ in hits if int(str(t)) // 3840 == bar} for bar in range(8)]
    assert all(one != other for one, other in pairwise(bars))


def test_an_idea_is_heard_in_place_while_the_sound_goes_on(ideas: Page) -> None:
    ideas.click("#idea-hear")
    until(ideas, "easyPocket.player.running && easyPocket.player.beside")
    expect(ideas.locator("#idea-hear")).to_have_attribute("aria-pressed", "true")
    one = ideas.evaluate("JSON.stringify(easyPocket.player.beside.felt.start_s)")
    ideas.focus("#idea-grid")
    ideas.keyboard.press("ArrowRight")
    ideas.keyboard.press("ArrowRight")
    until(ideas, f"JSON.stringify(easyPocket.player.beside?.felt.start_s) !== '{one}'")
    due = ideas.evaluate("easyPocket.player.beside.felt.start_s")
    until(ideas, "easyPocket.player.starts.length > 40")
    starts, anchor, length = ideas.evaluate(
        "[easyPocket.player.starts.slice(-12), easyPocket.player.anchor, easyPocket.player.turnLength]"
    )
    for at in starts:
        place = (at - anchor) % length
        assert min(abs(place - time) for time in [*due, length]) < 0.001
    ideas.click("#idea-hear")
    until(ideas, "!easyPocket.player.beside && easyPocket.player.running")


def test_another_idea_chosen_before_the_first_is_heard_begins_the_sound_just_as_well(ideas: Page) -> None:
    ideas.evaluate("document.getElementById('idea-hear').click(); easyPocket.screens.ideas.choose(2)")
    until(ideas, "easyPocket.player.running && easyPocket.player.beside")
    assert ideas.evaluate("easyPocket.screens.ideas.hearing.heard.idea.key") == keys(ideas)[2]


def test_a_long_pattern_is_heard_round_the_bar_before_and_after(ideas: Page) -> None:
    show(ideas, "grow")
    put(ideas)
    show(ideas, "fill")
    until(ideas, "easyPocket.screens.ideas.windowEnd === 8 * 3840")
    before = keys(ideas)
    for _ in range(4):
        ideas.click('[data-idea-bar="-1"]')
    new_keys(ideas, before)
    expect(ideas.locator("#idea-where")).to_have_text("bar 4, beats 3–4")
    ideas.click("#idea-hear")
    until(ideas, "easyPocket.player.running && easyPocket.player.span")
    span = ideas.evaluate("easyPocket.player.span")
    bar_s = 4 * 60 / 104
    assert span["from_s"] == pytest.approx(2 * bar_s)
    assert span["to_s"] == pytest.approx(5 * bar_s)
    until(ideas, "easyPocket.player.starts.length > 30")
    position = ideas.evaluate("easyPocket.player.position")
    assert span["from_s"] - 0.2 <= position <= span["to_s"]


def test_pinned_ideas_stay_and_two_of_them_are_mixed(ideas: Page) -> None:
    first = keys(ideas)
    ideas.click("#idea-grid article:nth-child(1) [data-idea-pin]")
    ideas.click("#idea-grid article:nth-child(4) [data-idea-pin]")
    ideas.click("#idea-more")
    until(ideas, "easyPocket.screens.ideas.cards.length === 8")
    assert keys(ideas)[:2] == [first[0], first[3]]
    ideas.click("text=mix pinned…")
    ideas.click('[data-idea-mix="time"]')
    until(ideas, "easyPocket.screens.ideas.cards[0].idea.kind === 'mix'")
    expect(ideas.locator("#idea-grid article:first-child .idea-words")).to_contain_text("the first half of one")
    ideas.reload()
    asked(ideas)
    until(ideas, "easyPocket.screens.ideas.cards.filter((card) => card.pinned).length === 2")


def test_dropped_ideas_come_back_on_request(ideas: Page) -> None:
    first = keys(ideas)
    ideas.click("#idea-more")
    new_keys(ideas, first)
    ideas.click('#idea-side [data-tab="log"]')
    expect(ideas.locator('#idea-log li[data-state="passed"]')).to_have_count(6)
    ideas.click('[data-back="dropped"]')
    until(ideas, f"easyPocket.screens.ideas.cards.some((card) => card.idea.key === '{first[0]}')")


def test_a_fill_is_brought_from_a_loop_and_from_a_midi_file(ideas: Page) -> None:
    ideas.click("text=bring in…")
    ideas.click("[data-idea-bring]")
    until(ideas, "easyPocket.screens.ideas.cards[0].idea.words.startsWith('from ')")
    fill = Pattern(1920, tuple(Hit("tom_low", tick, 80 + tick // 60) for tick in range(0, 1920, 240)))
    data = write_midi(perform(fill, tempo_bpm=104.0)).data
    ideas.set_input_files("#idea-file", {"name": "landing.mid", "mimeType": "audio/midi", "buffer": data})
    until(ideas, "easyPocket.screens.ideas.cards[0].idea.words.startsWith('from landing.mid')")
    put(ideas)
    toms = [hit for hit in pattern(ideas) if hit[0] == "tom_low"]
    assert [hit[1] for hit in toms] == [5760 + tick for tick in range(0, 1920, 240)]
    assert [hit[2] for hit in toms] == [80 + tick // 60 for tick in range(0, 1920, 240)]


def test_a_roll_is_drawn(ideas: Page) -> None:
    show(ideas, "roll")
    strip = box_of(ideas.locator("#roll-rates"))
    assert strip is not None
    before = keys(ideas)
    ideas.mouse.move(strip["x"] + 8, strip["y"] + strip["height"] * 0.55)
    ideas.mouse.down()
    ideas.mouse.move(strip["x"] + strip["width"] - 8, strip["y"] + 2, steps=8)
    ideas.mouse.up()
    new_keys(ideas, before)
    until(ideas, "easyPocket.screens.ideas.settings.values.roll.rates?.[3] === '64'")
    until(ideas, "easyPocket.screens.ideas.cards[0].idea.words.includes('64ths')")
    rates = ideas.evaluate("easyPocket.screens.ideas.settings.values.roll.rates")
    assert rates[3] == "64"
    put(ideas)
    snares = sorted(int(str(hit[1])) for hit in pattern(ideas) if hit[0] == "snare" and int(str(hit[1])) >= 7200)
    assert {later - tick for tick, later in pairwise(snares)} == {60}


def test_a_build_up_becomes_sections_and_undo_takes_them_back(ideas: Page) -> None:
    show(ideas, "build")
    expect(ideas.locator("#idea-grid article")).to_have_count(4)
    put(ideas)
    names = ideas.locator("#ribbon .section b")
    expect(names).to_have_text(["Stage 1", "Stage 2", "Stage 3", "Verse"])
    until(ideas, "easyPocket.playing.bars === 8")
    ideas.keyboard.press("Control+z")
    saved(ideas)
    expect(names).to_have_text(["Verse"])
    ideas.keyboard.press("Control+Shift+z")
    saved(ideas)
    expect(names).to_have_text(["Stage 1", "Stage 2", "Stage 3", "Verse"])


def test_a_line_is_borrowed_from_the_shelf(ideas: Page) -> None:
    show(ideas, "borrow")
    ideas.select_option('[data-for="borrow"] [data-select="voice"]', "bell")
    until(ideas, "easyPocket.screens.ideas.cards[0]?.idea.words.startsWith('bell on kick of')")
    put(ideas)
    ideas.keyboard.press("Control+z")
    saved(ideas)


def test_density_leaves_hits_out_and_gives_them_back(page: Page, song: str) -> None:
    page.goto(f"{song}/bench")
    until(page, "window.easyPocket?.screens.bench.rails?.drawnAt")
    sounding = page.evaluate("easyPocket.playing.felt.start_s.length")
    page.fill('#feel .typed[data-feel="density_percent"]', "50")
    page.keyboard.press("Enter")
    saved(page)
    until(page, f"easyPocket.playing.felt.start_s.length < {sounding}")
    expect(page.locator("#feel-note-density_percent")).to_contain_text("hits sound")
    assert page.evaluate("[...easyPocket.screens.bench.rails.data.all()].some((hit) => hit.silent)")
    page.fill('#feel .typed[data-feel="density_percent"]', "100")
    page.keyboard.press("Enter")
    saved(page)
    until(page, f"easyPocket.playing.felt.start_s.length === {sounding}")


def test_an_idea_that_was_refused_is_not_listed_as_taken(ideas: Page) -> None:
    places = [hit[:2] for hit in pattern(ideas)]
    ideas.evaluate("easyPocket.live.source.close()")  # it is not told of the other edit
    ideas.evaluate(
        """async (places) => {
            const body = { revision: easyPocket.edits.revision, edit: { kind: "wipe", places } };
            const headers = { "Content-Type": "application/json" };
            await fetch(`/songs/${easyPocket.song.id}/edits`, { method: "POST", headers, body: JSON.stringify(body) });
        }""",
        places,
    )
    before = pattern(ideas)
    ideas.locator("#idea-put:visible, #idea-grid article.on [data-idea-put]:visible").first.click()
    expect(ideas.locator("#note")).to_contain_text("Another tab changed the same thing")
    saved(ideas)
    assert pattern(ideas) == before
    ideas.click('#idea-side [data-tab="log"]')
    expect(ideas.locator("#idea-log")).to_contain_text("Nothing yet")
    ideas.locator("#idea-put:visible, #idea-grid article.on [data-idea-put]:visible").first.click()
    expect(ideas.locator("#note")).to_contain_text("in the pattern")
    expect(ideas.locator('#idea-log li[data-state="taken"]')).to_have_count(1)


def test_an_idea_that_is_not_wanted_is_dropped_and_others_like_it_come_less(ideas: Page) -> None:
    learned = ideas.locator("#idea-learned")
    expect(learned).to_have_text("0 kept or dropped so far; from 4 on it counts.")
    first = ideas.locator("#idea-grid article").first
    first.locator("[data-idea-drop]").click()
    expect(first.locator("[data-idea-drop]")).to_have_text("take back")
    expect(learned).to_contain_text("1 kept or dropped")
    first.locator("[data-idea-drop]").click()  # a slip
    expect(learned).to_contain_text("0 kept or dropped")
    ideas.click("#idea-grid article:nth-child(2) .idea-pic")
    ideas.keyboard.press("Delete")
    for number in (3, 4):
        ideas.keyboard.press("ArrowRight")
        expect(ideas.locator(f"#idea-grid article:nth-child({number})")).to_have_attribute("aria-current", "true")
        ideas.keyboard.press("Delete")
    expect(ideas.locator("#idea-grid article.unwanted")).to_have_count(3)
    ideas.keyboard.press("ArrowRight")
    ideas.keyboard.press("p")
    expect(learned).to_contain_text("From 4 choices")
    before = keys(ideas)
    ideas.click("#idea-more")
    new_keys(ideas, before)
    expect(ideas.locator("#idea-grid article.unwanted")).to_have_count(0)
    ideas.click("[data-forget]")
    expect(learned).to_contain_text("0 kept or dropped")
    ideas.click("[data-forget]")
    expect(learned).to_contain_text("From 4 choices")
    ideas.locator('[data-check="learned"]').uncheck()
    ideas.reload()
    asked(ideas)
    expect(ideas.locator('[data-check="learned"]')).not_to_be_checked()


def test_nothing_is_dropped_where_nothing_is_learned(ideas: Page) -> None:
    expect(ideas.locator("[data-idea-drop]").first).to_be_visible()
    show(ideas, "roll")
    expect(ideas.locator("#idea-grid article").first).to_be_visible()
    expect(ideas.locator("[data-idea-drop]:visible")).to_have_count(0)
    ideas.locator("#idea-grid").focus()
    ideas.keyboard.press("Delete")
    expect(ideas.locator("#idea-grid article.unwanted")).to_have_count(0)
