"""Several people with accounts, each in a browser of their own: they write in one song, listen by a link, or are kept
out."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import PATIENCE_MS
from tests.browser.gestures import drawn
from tests.people import PASSWORD
from tests.running import start_app

Come = Callable[..., Page]


@pytest.fixture(scope="module")
def people_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("people")


@pytest.fixture(scope="module")
def studio(people_folder: Path) -> Iterator[str]:
    """The program with accounts, for the people of one studio."""
    process, address = start_app(people_folder)
    yield address
    process.terminate()
    process.wait(30)


def invitation(name: str, **settings: str) -> str:
    """The address of the page that sets a password."""
    told = subprocess.run(
        [sys.executable, "-m", "easy_pocket.home.user", "add", name],
        env={**os.environ, **settings}, capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    return re.search(r"/invitation/\S+", told).group()


@contextmanager
def coming(browser: Browser, address: str, **settings: str) -> Iterator[Come]:
    """Somebody comes in with a browser of their own; without a name they are a stranger."""
    contexts, faults = [], []

    def entered(name: str = "") -> Page:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
        context.add_init_script('localStorage.setItem("easy-pocket-first-lines", "all")')
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.on("pageerror", lambda error: faults.append(str(error)))
        if name:
            page.goto(invitation(name, **settings))
            page.get_by_label("a password of your own").fill(PASSWORD)
            page.get_by_label("once more").fill(PASSWORD)
            page.keyboard.press("Enter")
            page.wait_for_url("**/")
        return page

    yield entered
    for context in contexts:
        context.close()
    assert faults == []


@pytest.fixture
def come(browser: Browser, studio: str, people_folder: Path) -> Iterator[Come]:
    with coming(browser, studio, EASY_POCKET_HOME=str(people_folder)) as entered:
        yield entered


def share(page: Page, kind: str) -> str:
    """A link to the song that is open."""
    page.locator("#share-open").click()
    page.locator("#share-box").get_by_role("button", name=kind, exact=True).click()
    address = page.get_by_label("The new link")
    expect(address).to_be_focused()
    expect(page.locator("#share-box .token-made")).to_contain_text(kind)
    found = address.input_value()
    page.keyboard.press("Escape")
    expect(page.locator("#share-box")).to_be_hidden()
    return found


def hits(page: Page, voice: str) -> list[int]:
    found: list[int] = page.evaluate(
        """async (voice) => {
          const answer = await fetch(`/songs/${window.easyPocket.song.id}/state?screen=bench`);
          return ((await answer.json()).data.hits[voice] ?? { tick: [] }).tick;
        }""",
        voice,
    )
    return found


def write(page: Page, voice: str, tick: int) -> None:
    page.evaluate("(hit) => window.easyPocket.edits.push({ kind: 'write', ...hit })", {"voice": voice, "tick": tick})


def test_two_write_in_one_song_a_third_listens_and_a_fourth_is_kept_out(come: Come) -> None:
    write_together(come)


def write_together(come: Come, meanwhile: Callable[[], None] = lambda: None) -> None:
    """meanwhile: what happens to the server when both are in the song."""
    ada, ben = come("Ada Quill"), come("Ben Marsh")
    ada.locator(".song-card h3 a", has_text=re.compile("^Lamplighter sketch$")).first.click()
    drawn(ada)
    to_write, to_listen = share(ada, "write"), share(ada, "listen")
    song = re.search(r"/songs/\d+", ada.url).group()

    ben.goto(to_write)
    expect(ben.locator(".entry-card")).to_contain_text("Ada Quill lets you write in this song")
    ben.get_by_role("button", name="Write in it").click()
    ben.wait_for_url(f"**{song}/bench**")
    drawn(ben)
    # Each sees the other, by initials and where they are.
    expect(ada.locator("#people button")).to_have_text("BM")
    expect(ada.locator("#people button")).to_have_attribute("title", re.compile(r"Ben Marsh: on the Bench"))
    expect(ben.locator("#people button")).to_have_text("AQ")
    expect(ada.locator("#ribbon .there")).to_have_text("BM")

    meanwhile()

    # What one writes the other sees, while something of theirs is half typed.
    name = ada.locator("#song-name")
    name.fill("Lamplighter half typ")
    write(ben, "rim", 1200)
    expect(ada.locator("#elsewhere")).to_have_text(re.compile("^Ben Marsh: write rim"))
    expect(name).to_be_focused()
    expect(name).to_have_value("Lamplighter half typ")
    name.press("Escape")
    expect(name).to_have_value("Lamplighter sketch")
    assert 1200 in hits(ada, "rim")

    # Undo takes back one's own step, not the other's.
    write(ada, "snare", 3360)
    expect(ada.locator("#undo")).to_have_attribute("title", re.compile("write snare"))
    expect(ben.locator("#undo")).to_have_attribute("title", re.compile("write rim"))
    ben.locator("#undo").click()
    expect(ben.locator("#redo")).to_have_attribute("title", re.compile("write rim"))
    assert (1200 in hits(ben, "rim"), 3360 in hits(ben, "snare")) == (False, True)

    # Where somebody goes is seen.
    ben.locator("[data-screen-link=song]").click()
    expect(ada.locator("#people button")).to_have_attribute("title", re.compile("on the Song"))

    # What is said about a bar is counted in the other's header, and looked at from there.
    ben.locator("#comments-open").click()
    ben.get_by_label("Comment", exact=True).fill("a little later here")
    ben.keyboard.press("Enter")
    expect(ada.locator("#comment-count")).to_have_text("1")
    ada.locator("#comments-open").click()
    expect(ada.locator("#comments-box")).to_contain_text("a little later here")
    ada.locator("#comments-box").get_by_role("button", name=re.compile("^Tick off")).click()
    expect(ada.locator("#comment-count")).to_be_hidden()
    expect(ben.locator("#comment-count")).to_be_hidden()
    ada.keyboard.press("Escape")

    # A third listens by the link, felt and straight, without an account.
    listener = come()
    listener.goto(to_listen)
    expect(listener.locator(".listen-name")).to_have_text("Lamplighter sketch")
    listener.locator(".listen-cloth").click()  # the last click is somewhere else
    listener.keyboard.press("Space")
    expect(listener.locator("#play")).to_have_attribute("aria-pressed", "true")
    expect(listener.locator("#position")).not_to_have_text("1.1")
    listener.locator("#straight").click()
    expect(listener.locator("#straight")).to_have_attribute("aria-pressed", "true")
    expect(listener.locator("#play")).to_have_attribute("aria-pressed", "true")
    listener.keyboard.press("Space")
    expect(listener.locator("#play")).to_have_attribute("aria-pressed", "false")

    # A fourth is kept out: with an account the song is not there for them, without one they are asked to sign in.
    cleo, stranger = come("Cleo"), come()
    cleo.goto(f"{song}/bench")
    expect(cleo.locator("#screen")).to_contain_text("There is no such song on the shelf")
    cleo.goto("/")
    expect(cleo.locator("#song-count")).to_have_text("0")
    stranger.goto(f"{song}/bench")
    expect(stranger.get_by_role("heading", name="Sign in")).to_be_visible()

    # The links are ended by one press each.
    ada.locator("#share-open").click()
    while ada.locator("#share-box").get_by_role("button", name=re.compile("^End the link")).count():
        before = ada.locator("#share-box").get_by_role("button", name=re.compile("^End the link")).count()
        ada.locator("#share-box").get_by_role("button", name=re.compile("^End the link")).first.click()
        expect(ada.locator("#share-box").get_by_role("button", name=re.compile("^End the link"))).to_have_count(
            before - 1
        )
    listener.goto(to_listen)
    expect(listener.locator("#screen")).to_contain_text("This link was ended")
    ben.goto(f"{song}/bench")
    expect(ben.locator("#screen")).to_contain_text("There is no such song on the shelf")
    expect(ada.locator("#people")).to_be_hidden()


def test_a_comment_half_written_stays_whatever_else_happens(come: Come) -> None:
    ada, ben = come("Ada Quill"), come("Ben Marsh")
    ada.locator(".song-card h3 a", has_text=re.compile("^Lamplighter$")).first.click()
    drawn(ada)
    ben.goto(share(ada, "write"))
    ben.get_by_role("button", name="Write in it").dblclick()
    ben.wait_for_url("**/bench**")
    drawn(ben)
    expect(ada.locator("#people button")).to_have_text("BM")
    ada.locator("#comments-open").click()
    words = ada.locator("#comment-words")
    expect(words).to_be_focused()  # so that one writes at once
    ada.keyboard.type("half written ")
    ben.locator("#comments-open").click()
    expect(ben.locator("#comment-words")).to_be_focused()
    ben.keyboard.type("from ben")
    ben.keyboard.press("Enter")
    # The other's comes into the open box; what is being written stays, and goes on.
    expect(ada.locator("#comments-box .comment")).to_contain_text("from ben")
    expect(words).to_be_focused()
    ada.keyboard.type("thought")
    ada.keyboard.press("Escape")
    expect(ada.locator("#comments-box")).to_be_hidden()
    ada.locator("#comments-open").click()
    expect(words).to_be_focused()
    expect(words).to_have_value("half written thought")
    ada.keyboard.press("Enter")
    expect(ada.locator("#comments-box .comment")).to_have_count(2)
    expect(words).to_have_value("")
    expect(words).to_be_focused()
    ada.keyboard.press("Escape")
    # One's own other tab is told apart from others.
    tab = ada.context.new_page()
    tab.goto(ada.url)
    expect(ada.locator("#people button", has_text="AQ")).to_have_attribute("title", re.compile("^You, in another tab"))
    tab.close()
    expect(ada.locator("#people button")).to_have_text(["BM"])
    ben.locator("[data-screen-link=shelf]").click()
    expect(ada.locator("#people")).to_be_hidden()


def test_who_signs_in_again_comes_back_to_where_they_were(come: Come) -> None:
    ada = come("Ada Quill")
    ada.locator(".song-card h3 a").first.click()
    drawn(ada)
    address = ada.url
    ada.locator(".who").click()
    ada.get_by_role("button", name="sign out here").click()
    expect(ada.get_by_role("heading", name="Sign in")).to_be_visible()
    ada.goto(address)
    ada.get_by_label("name").fill("Ada Quill")
    ada.get_by_label("password").fill("not this one at all")
    ada.keyboard.press("Enter")
    expect(ada.get_by_role("alert").filter(has_text="do not belong together")).to_be_visible()
    expect(ada.get_by_label("name")).to_have_value("Ada Quill")
    ada.get_by_label("password").fill(PASSWORD)
    ada.keyboard.press("Enter")
    ada.wait_for_url(address)
    drawn(ada)


def test_alone_a_comment_is_a_note_to_oneself(bench: Page) -> None:
    """Pinned in a hurry, once; counted after the page was loaded anew; Space plays after looking there."""
    bench.locator("#comments-open").click()
    words = bench.get_by_label("Comment", exact=True)
    words.fill("leave the ghosts")
    bench.locator("#comments-box").get_by_role("button", name="pin it").dblclick()
    expect(bench.locator("#comments-box .comment")).to_have_count(1)
    bench.get_by_label("Bar of the section").fill("99")
    words.fill("too far")
    bench.keyboard.press("Enter")
    expect(bench.locator("#comments-box .form-error")).to_have_text("Verse has bars 1 to 2; 99 is none of them.")
    expect(words).to_have_value("too far")
    bench.keyboard.press("Escape")
    expect(bench.locator("#comments-box")).to_be_hidden()
    bench.reload()
    drawn(bench)
    expect(bench.locator("#comment-count")).to_have_text("1")
    bench.locator("#comments-open").click()
    bench.locator("[data-comment-go]").click()
    expect(bench.locator("#comments-box")).to_be_hidden()
    bench.keyboard.press("Space")
    expect(bench.locator("#play")).to_have_attribute("aria-pressed", "true")
    bench.keyboard.press("Space")
