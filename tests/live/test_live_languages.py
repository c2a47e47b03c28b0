"""The console, its errors and its mails in the language of whoever reads them."""

import re

import httpx
import pytest
from playwright.sync_api import expect
from tests.running import Live, sign_in

from noctilum.client.errors import ProblemFault

SITE = "/sites/skerryferries.example"
SAID = {
    "en": ("Clicks", "Sign out", "There is no site 'nowhere.example'.", "List them with `noctilum sites`."),
    "de": ("Klicks", "Abmelden", "Es gibt keine Website 'nowhere.example'.", "Auflisten mit `noctilum sites`."),
    "fr": ("Clics", "Se déconnecter", "Il n’y a pas de site 'nowhere.example'.", "Listez-les avec `noctilum sites`."),
    "es": ("Clics", "Salir", "No hay ningún sitio 'nowhere.example'.", "Lístelos con `noctilum sites`."),
}


def console(browser, live: Live, locale: str):
    """A browser of that locale, signed in, in which no language was ever chosen."""
    live.signed_in = live.signed_in or sign_in(browser, live)
    return browser.new_context(locale=locale, storage_state=live.signed_in).new_page()


def asked(live: Live, path: str, language: str, **params: str) -> dict[str, object]:
    answer = httpx.get(
        f"{live.url}/api/v1{path}",
        params=params,
        headers={"Authorization": f"Bearer {live.token}", "Accept-Language": language},
    )
    assert answer.status_code in (400, 404)
    return answer.json()


@pytest.mark.parametrize("language", SAID)
def test_a_fault_is_said_in_the_language_asked_for_with_the_same_code(live, language):
    found = asked(live, "/sites/nowhere.example", f"{language};q=0.9,en;q=0.1")
    _, _, what, remedy = SAID[language]
    assert (found["code"], found["title"]) == ("no-such-site", what)
    assert str(found["detail"]).endswith(remedy)


def test_what_is_wrong_with_an_input_is_said_in_the_language_and_english_without_one(live):
    path = "/sites/skerryferries.example/breakdown/query"
    said = {language: asked(live, path, language, limit="0") for language in ("de", "it", "fr")}
    assert said["de"]["title"] == "1 Feld ist nicht zu gebrauchen."
    assert said["de"]["fields"] == [{"field": "limit", "why": "mindestens 1"}]
    assert said["fr"]["fields"] == [{"field": "limit", "why": "au moins 1"}]
    assert said["it"]["fields"] == [{"field": "limit", "why": "Input should be greater than or equal to 1"}]
    chosen = asked(live, "/sites/skerryferries.example/timeline", "de", by="decade")["fields"]
    assert chosen == [{"field": "by", "why": "eines von 'day', 'week', 'month', 'quarter'"}]
    filtered = asked(live, path, "es", filter="words >=")
    assert filtered["title"] == "Aquí se espera un número."
    with live.client() as noctilum, pytest.raises(ProblemFault, match=r"There is no site 'nowhere\.example'"):
        noctilum.site("nowhere.example")


@pytest.mark.browser
@pytest.mark.parametrize(("language", "locale"), [("de", "de-AT"), ("fr", "fr-FR"), ("es", "es-ES")])
def test_the_console_speaks_as_the_browser_asks_with_nothing_left_in_english(browser, live, language, locale):
    with live.client() as noctilum:
        noctilum.speak("")
    page = console(browser, live, locale)
    page.goto(f"{live.url}{SITE}/overview")
    clicks, leave, *_ = SAID[language]
    expect(page.get_by_role("button", name=leave)).to_be_visible()
    expect(page.get_by_text(clicks, exact=True).first).to_be_visible()
    assert page.locator("html").get_attribute("lang") == language
    words = page.locator(".rail").inner_text() + page.locator(".bar").inner_text()
    assert not re.findall(r"\b(the|of|and|held|days|against|before|Queries|People|desktop)\b", words), words
    page.goto(f"{live.url}/sites/nowhere.example/overview")
    expect(page.get_by_role("heading", level=1)).to_contain_text("nowhere.example")
    page.context.close()


@pytest.mark.browser
def test_a_language_chosen_is_kept_with_the_person_and_follows_to_another_browser(browser, live):
    page = console(browser, live, "en-GB")
    page.goto(live.url)
    page.get_by_label("Language").select_option("de")
    expect(page.get_by_role("button", name="Abmelden")).to_be_visible()
    with live.client() as noctilum:
        assert noctilum.me().language == "de"
    other = console(browser, live, "fr-FR")
    other.goto(live.url)
    expect(other.get_by_role("button", name="Abmelden")).to_be_visible()
    other.get_by_label("Sprache").select_option("en")
    expect(other.get_by_role("button", name="Sign out")).to_be_visible()
    with live.client() as noctilum:
        noctilum.speak("")
        assert noctilum.me().language == ""
    for each in (page, other):
        each.context.close()
