"""The running application and a real Chromium; every test has a song of its own, copied from the demo."""

from __future__ import annotations

import contextlib
import re
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from tests.browser.gestures import drawn
from tests.running import CHROMIUM, FLAGS, start_app

PATIENCE_MS = 25_000  # a busy machine is slow, not wrong
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def app_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the application of these tests keeps all it has; another worker's has another one."""
    return tmp_path_factory.mktemp("app")


@pytest.fixture(scope="session")
def address(home: Path, app_folder: Path) -> Iterator[str]:
    process, address = start_app(app_folder)
    yield address
    process.terminate()
    process.wait(30)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def context(browser: Browser, address: str) -> Iterator[BrowserContext]:
    """One for all tests, so that scripts and sounds are fetched once; what a page keeps it keeps by tab and song."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True, base_url=address)
    # The lines for a newcomer are sent away; their test has a context of its own.
    context.add_init_script('localStorage.setItem("easy-pocket-first-lines", "all")')
    yield context
    context.close()


@pytest.fixture
def page(context: BrowserContext) -> Iterator[Page]:
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on(
        "console", lambda message: faults.append(message.text) if "Content Security Policy" in message.text else None
    )
    yield page
    page.close()
    assert faults == []


def send(address: str, path: str) -> str:
    request = urllib.request.Request(address + path, data=b"", headers={"Origin": address})
    with urllib.request.urlopen(request) as answer:
        return str(answer.read().decode())


@pytest.fixture(scope="session")
def sketch(address: str) -> int:
    """The demo's first song, of which each test gets a copy."""
    with urllib.request.urlopen(address + "/") as answer:
        return min(int(n) for n in re.findall(r"/songs/(\d+)/bench", answer.read().decode()))


@pytest.fixture
def song(address: str, sketch: int) -> Iterator[str]:
    """Address of a fresh copy of Lamplighter, taken off the shelf in the end so that the shelf stays short."""
    shelf = send(address, f"/songs/{sketch}/duplicate")
    newest = max(int(n) for n in re.findall(r"/songs/(\d+)/bench", shelf))
    yield f"/songs/{newest}"
    with contextlib.suppress(urllib.error.HTTPError):  # a test may have done it
        send(address, f"/songs/{newest}/delete")


@pytest.fixture
def bench(page: Page, song: str) -> Page:
    page.goto(f"{song}/bench")
    drawn(page)
    return page
