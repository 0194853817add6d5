"""Two people in one song, over two web processes, while one of them is killed."""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, sync_playwright

from tests.browser.test_together import coming, write_together
from tests.many.servers import Servers
from tests.running import CHROMIUM, FLAGS


@pytest.fixture
def browser() -> Iterator[Browser]:
    with sync_playwright() as driver:
        found = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield found
        found.close()


def test_two_write_together_while_a_process_is_killed(browser: Browser, servers: Servers) -> None:
    settings = {**servers.environment(0), "EASY_POCKET_HOME": str(servers.folder / "web0")}
    settings = {name: value for name, value in settings.items() if os.environ.get(name) != value}

    def kill_one() -> None:
        servers.kill("web0")
        servers.begin("web0")

    with coming(browser, servers.address, **settings) as come:
        write_together(come, kill_one)
