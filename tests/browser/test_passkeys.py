"""Passkeys with a device that is simulated by the browser: made on the account's page, used to sign in, taken away."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, CDPSession, Page, expect

from tests.browser.test_together import Come, coming, people_folder, studio
from tests.people import PASSWORD

__all__ = ["people_folder", "studio"]  # fixtures


@pytest.fixture
def named(browser: Browser, studio: str, people_folder: str) -> Iterator[Come]:
    """Passkeys are bound to a name: pages come from localhost, not from an address of numbers."""
    address = studio.replace("127.0.0.1", "localhost")
    with coming(browser, address, EASY_POCKET_HOME=str(people_folder)) as come:
        yield come


def device(page: Page) -> CDPSession:
    """One that keeps keys, and that its owner unlocks at once."""
    session = page.context.new_cdp_session(page)
    session.send("WebAuthn.enable", {"enableUI": False})
    options = {"protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True,
               "isUserVerified": True, "automaticPresenceSimulation": True}  # fmt: skip
    session.send("WebAuthn.addVirtualAuthenticator", {"options": options})
    return session


def made(page: Page) -> None:
    page.goto("/account")
    page.get_by_label("Your password, to make a passkey").fill(PASSWORD)
    page.get_by_role("button", name="make a passkey").click()
    expect(page.locator(".account-own .bin-line", has_text="not used yet")).to_have_count(1)


def test_a_passkey_signs_in_without_a_password_and_once_only(named: Come) -> None:
    page = named("Ada Quill")
    device(page)
    made(page)
    page.get_by_role("button", name="sign out here").click()
    page.wait_for_url("**/sign-in")
    with page.expect_request("**/sign-in/passkey") as asked:
        page.get_by_role("button", name="Sign in with a passkey").dblclick()
    page.wait_for_url(re.compile(r"/$"))
    expect(page.locator("#shelf")).to_be_visible()
    page.goto("/account")
    expect(page.locator(".account-own .bin-line", has_text="used ").first).to_be_visible()
    # What was signed is taken once; and not with a letter changed.
    sent = json.loads(asked.value.post_data or "")
    again = page.evaluate(SEND, sent)
    assert (again["status"], "sent twice" in again["error"]) == (422, True)
    sent["credential"]["response"]["clientDataJSON"] = "e30"
    assert page.evaluate(SEND, sent)["status"] == 422
    # Taken away, after it was asked for twice, it lets nobody in.
    take_away = page.get_by_role("button", name="Take the passkey of")
    take_away.dblclick()  # a double click is no second thought
    expect(take_away).to_have_text("sure?")
    page.wait_for_selector("form[data-sure]")
    take_away.click()
    expect(page.locator(".account-own")).to_contain_text("a device signs you in by itself")
    page.get_by_role("button", name="sign out here").click()
    page.wait_for_url("**/sign-in")
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.locator("#use-passkey [role=alert]")).to_contain_text("does not belong to an account here")
    expect(page.get_by_role("button", name="Sign in with a passkey")).to_be_focused()


SEND = """(sent) => fetch("/sign-in/passkey", {
    method: "POST", headers: {"Content-Type": "application/json", Accept: "application/json"},
    body: JSON.stringify(sent)}).then(async (answer) => ({status: answer.status, ...(await answer.json())}))"""


def test_a_passkey_is_made_only_by_who_knows_the_password_too(named: Come) -> None:
    page = named("Ben Marlow")
    device(page)
    page.goto("/account")
    page.get_by_label("Your password, to make a passkey").fill("not the password at all")
    page.get_by_role("button", name="make a passkey").click()
    expect(page.locator("#make-passkey [role=alert]")).to_contain_text("not your password")
    made(page)
    page.get_by_label("Your password, to make a passkey").fill(PASSWORD)
    page.get_by_role("button", name="make a passkey").click()  # one device, two of them
    expect(page.locator(".account-own .bin-line", has_text="not used yet")).to_have_count(2)


def test_where_browsers_make_none_none_are_offered(browser: Browser, studio: str, people_folder: str) -> None:
    with coming(browser, studio, EASY_POCKET_HOME=str(people_folder)) as come:
        page = come("Cai Fenn")
        page.goto("/account")
        expect(page.locator(".account-own")).to_contain_text("where this server has a name")
        expect(page.locator("#make-passkey")).to_have_count(0)
        page.get_by_role("button", name="sign out here").click()
        page.wait_for_url("**/sign-in")
        expect(page.locator("#use-passkey")).to_have_count(0)
