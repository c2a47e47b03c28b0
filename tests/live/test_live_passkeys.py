"""Signing in with a passkey: the real console in Chromium, with the authenticator that its DevTools protocol has."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

import httpx
import pytest
from playwright.sync_api import expect
from tests.running import Live

from noctilum.demo import agency

pytestmark = pytest.mark.browser


def device(page):
    """Give the page a device that holds passkeys and whose owner unlocks it."""
    devtools = page.context.new_cdp_session(page)
    devtools.send("WebAuthn.enable")
    options = {
        **{"protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True},
        **{"isUserVerified": True, "automaticPresenceSimulation": True},
    }
    made = devtools.send("WebAuthn.addVirtualAuthenticator", {"options": options})
    return devtools, made["authenticatorId"]


@pytest.fixture
def named(live: Live) -> str:
    """The console under a name, as passkeys are of names."""
    return f"http://localhost:{urlsplit(live.url).port}"


def signed_in(browser, address: str):
    page = browser.new_context(locale="en-GB").new_page()
    page.set_default_timeout(60_000)
    page.goto(address)
    _, email, password = agency.USER
    page.get_by_label("Mail address").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("button", name="Go to…").wait_for()
    return page


def test_a_passkey_is_added_signs_in_without_password_and_is_dropped(browser, live, named):
    page = signed_in(browser, named)
    device(page)
    page.goto(f"{named}/people")
    part = page.get_by_role("region", name="Passkeys")
    part.get_by_label("What the device is called").fill("Ines's notebook")
    part.get_by_role("button", name="Add a passkey").click()
    expect(part.get_by_role("listitem")).to_contain_text("Ines's notebook since")
    page.get_by_role("button", name="Sign out").click()
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("button", name="Go to…")).to_be_visible()
    with live.client() as noctilum:
        (kept,) = noctilum.passkeys()
    assert kept.label == "Ines's notebook" and kept.used_at is not None
    said = live.cli("users", "--passkeys")
    assert said.returncode == 0 and re.search(rf"{kept.id} +Ines.s notebook", said.stdout)
    page.goto(f"{named}/people")
    page.get_by_role("button", name="Drop the passkey Ines's notebook").click()
    expect(part.get_by_role("listitem")).to_have_count(0)
    page.get_by_role("button", name="Sign out").click()
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("alert")).to_contain_text("does not answer what was asked")
    page.context.close()


def test_an_answer_is_taken_once_and_only_for_what_this_service_asked(browser, live, named):
    page = signed_in(browser, named)
    device(page)
    page.goto(f"{named}/people")
    part = page.get_by_role("region", name="Passkeys")
    part.get_by_label("What the device is called").fill("Once")
    part.get_by_role("button", name="Add a passkey").click()
    expect(part.get_by_role("listitem")).to_have_count(1)
    page.get_by_role("button", name="Sign out").click()
    with page.expect_request(re.compile("/session/passkey$")) as sent:
        page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("button", name="Go to…")).to_be_visible()
    told = sent.value.post_data_json
    headers = {"Host": urlsplit(named).netloc, "Content-Type": "application/json"}
    again = httpx.post(f"{live.url}/api/v1/session/passkey", json=told, headers=headers)
    assert (again.status_code, again.json()["code"]) == (401, "passkey-refused"), "the same answer twice"
    asked = httpx.post(f"{live.url}/api/v1/session/passkey/asking", headers=headers).json()
    moved = httpx.post(f"{live.url}/api/v1/session/passkey", json=told | {"ticket": asked["ticket"]}, headers=headers)
    assert moved.json()["code"] == "passkey-refused", "an answer to another question"
    made_up = httpx.post(f"{live.url}/api/v1/session/passkey", json=told | {"ticket": "made-up"}, headers=headers)
    assert made_up.json()["code"] == "passkey-refused"
    with live.client() as noctilum:
        for each in noctilum.passkeys():
            noctilum.drop_passkey(each.id)
    page.context.close()
