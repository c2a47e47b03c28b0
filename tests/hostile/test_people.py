"""Users, roles, sign-ins, tokens and passwords: what may be done by whom, and that it ends when it is ended."""

import json
import re
from datetime import timedelta
from pathlib import Path

import httpx
import pytest
from tests.conftest import NOW
from tests.running import Live

from noctilum.actions import people, signing_in
from noctilum.core.errors import Clash, Nonsense, NotThere, Refused, TooMany
from noctilum.demo.agency import USER
from noctilum.records.models import SignIn
from noctilum.wire.people import UserChange

SPEC = json.loads((Path(__file__).parents[2] / "console/openapi.json").read_text())
EVERY = [(method, path, asked) for path, ways in SPEC["paths"].items() for method, asked in ways.items()]
OWNERS_ONLY = [(method, path) for method, path, asked in EVERY if asked["x-role"] == "owner"]
FIRST = "lanterns over the quay"


def added(install, email="ines@lane.example", role="analyst"):
    return people.add_user(install, "Ines", email, FIRST, NOW, role)


@pytest.mark.parametrize(
    "password",
    ["", " " * 20, "short", "password1234", "qwertyuiop", "123456789012", "aaaaaaaaaaaaaa", "ines@lane.example",
     "Marrable Ines", "1234567890qwerty", "x" * 2000, "a password with \x00"],
)  # fmt: skip
def test_weak_passwords_are_refused_with_the_reason(install, password):
    with pytest.raises(Nonsense) as caught:
        people.add_user(install, "Marrable Ines", "ines@lane.example", password, NOW)
    assert caught.value.code == "password-weak"
    assert not password or password not in str(caught.value)


def test_the_first_user_is_the_owner_and_the_last_owner_stays(install):
    first, second = added(install), added(install, "otto@lane.example")
    assert (first.role, second.role) == ("owner", "analyst")
    with pytest.raises(Clash, match="only owner"):
        people.drop_user(install, first.id)
    with pytest.raises(Clash, match="only owner"):
        people.change_user(install, first.id, UserChange(role="analyst"))
    people.change_user(install, second.id, UserChange(role="owner"))
    people.drop_user(install, first.id)
    assert [user.email for user in people.list_users(install)] == ["otto@lane.example"]


def test_a_removed_user_has_no_token_and_no_sign_in(install):
    added(install)
    gone = added(install, "otto@lane.example")
    token = people.new_token(install, gone.id, "x", NOW)
    begun = signing_in.sign_in(install, "otto@lane.example", FIRST, "10.0.0.1", "", NOW)
    people.drop_user(install, gone.id)
    with pytest.raises(Refused):
        people.user_of_token(install, token, NOW)
    assert signing_in.of_cookie(install, begun.cookie, NOW) is None


def test_a_token_holds_as_long_as_it_was_made_for_and_until_it_is_revoked(install):
    user = added(install)
    short, long = (people.new_token(install, user.id, "x", NOW, days) for days in (1, None))
    assert people.user_of_token(install, short, NOW).id == user.id
    with pytest.raises(Refused):
        people.user_of_token(install, short, NOW + timedelta(days=2))
    number = people.newest_token(install, long).id
    assert people.list_tokens(install, user)[0].used_at is None
    people.user_of_token(install, long, NOW)
    assert people.list_tokens(install, user)[0].used_at == NOW
    people.drop_token(install, user, number)
    with pytest.raises(Refused):
        people.user_of_token(install, long, NOW)


def test_an_analyst_sees_and_ends_only_what_is_their_own(install):
    owner, analyst = added(install), added(install, "otto@lane.example")
    people.new_token(install, owner.id, "theirs", NOW)
    signing_in.sign_in(install, "ines@lane.example", FIRST, "a", "", NOW)
    assert people.list_tokens(install, analyst) == []
    assert signing_in.list_sign_ins(install, analyst, None, NOW) == []
    with pytest.raises(NotThere):
        people.drop_token(install, analyst, 1)
    with pytest.raises(NotThere):
        signing_in.end(install, analyst, 1)
    assert len(signing_in.list_sign_ins(install, owner, None, NOW)) == 1


def test_a_sign_in_lasts_fourteen_days_and_is_renewed_by_use(install):
    added(install)
    begun = signing_in.sign_in(install, "ines@lane.example", FIRST, "a", "", NOW)
    assert signing_in.of_cookie(install, begun.cookie, NOW + timedelta(days=13)) is not None
    assert signing_in.of_cookie(install, begun.cookie, NOW + timedelta(days=26)) is not None
    assert signing_in.of_cookie(install, begun.cookie, NOW + timedelta(days=41)) is None


def test_cookies_and_tokens_are_not_kept_as_they_are(install):
    user = added(install)
    token = people.new_token(install, user.id, "x", NOW)
    begun = signing_in.sign_in(install, "ines@lane.example", FIRST, "a", "", NOW)
    with install.records.read() as db:
        assert db.query(SignIn).one().digest != begun.cookie
    kept = b"".join(path.read_bytes() for path in install.settings.data.glob("records.db*"))
    assert token.encode() not in kept
    assert begun.cookie.encode() not in kept


def test_a_new_password_ends_other_sign_ins(install):
    user = added(install)
    mine, other = (signing_in.sign_in(install, user.email, FIRST, a, "", NOW) for a in ("a", "b"))
    people.change_password(install, user.id, FIRST, "oars and ropes and tar", mine.number)
    assert signing_in.of_cookie(install, mine.cookie, NOW) is not None
    assert signing_in.of_cookie(install, other.cookie, NOW) is None
    with pytest.raises(Refused):
        people.change_password(install, user.id, FIRST, "yet another long one", mine.number)


def tried(install, email, address, password="wrong", now=NOW):
    try:
        return signing_in.sign_in(install, email, password, address, "", now)
    except TooMany as why:
        return why
    except Refused:
        return None


def test_guessing_waits_longer_and_longer_before_anything_is_hashed(install, monkeypatch):
    added(install)
    found = [tried(install, "ines@lane.example", "9.9.9.9") for _ in range(6)]
    assert [isinstance(each, TooMany) for each in found] == [False] * 5 + [True]
    monkeypatch.setattr(people, "check_password", lambda *_: pytest.fail("it was hashed"))
    waits = []
    now = NOW
    for _ in range(3):
        monkeypatch.undo()
        now += timedelta(seconds=waits[-1] if waits else 2)
        tried(install, "ines@lane.example", "9.9.9.9", now=now)
        monkeypatch.setattr(people, "check_password", lambda *_: pytest.fail("it was hashed"))
        waits.append(tried(install, "ines@lane.example", "9.9.9.9", now=now).retry_after)
    assert waits == sorted(waits)
    assert waits[-1] > waits[0]


def test_who_guesses_elsewhere_costs_the_rightful_user_nothing(install):
    added(install)
    assert tried(install, "ines@lane.example", "10.0.0.1", FIRST)
    for n in range(60):
        tried(install, "ines@lane.example", f"9.9.{n}.9")
    assert isinstance(tried(install, "ines@lane.example", "8.8.8.8", FIRST), TooMany)
    assert isinstance(tried(install, "ines@lane.example", "10.0.0.1", FIRST), signing_in.Begun)


def test_one_address_that_tries_many_accounts_waits(install):
    added(install)
    found = [tried(install, f"user{n}@lane.example", "9.9.9.9") for n in range(30)]
    assert isinstance(found[-1], TooMany)
    assert not isinstance(tried(install, "ines@lane.example", "10.0.0.1", FIRST), TooMany)


def test_failures_are_forgotten_after_a_day_and_a_clock_set_back_locks_nobody_out(install):
    added(install)
    for _ in range(8):
        tried(install, "ines@lane.example", "9.9.9.9")
    assert isinstance(tried(install, "ines@lane.example", "9.9.9.9", FIRST, NOW + timedelta(days=1)), signing_in.Begun)
    for _ in range(8):
        tried(install, "ines@lane.example", "7.7.7.7", now=NOW + timedelta(days=400))
    assert isinstance(tried(install, "ines@lane.example", "7.7.7.7", FIRST, NOW), signing_in.Begun)


# over HTTP


def signed_in(live: Live, email=USER[1], password=USER[2]) -> tuple[httpx.Client, dict]:
    browser = httpx.Client(base_url=f"{live.url}/api/v1")
    me = browser.post("/session", json={"email": email, "password": password}).json()
    return browser, {"X-CSRF-Token": me["csrf"]}


@pytest.fixture
def analyst(live: Live):
    with live.client() as noctilum:
        from noctilum.wire.people import NewUser

        email = "analyst@tallowlane.example"
        if email not in {user.email for user in noctilum.users()}:
            given = {"name": "Otto Quill", "email": email, "password": FIRST, "role": "analyst"}
            noctilum.add_user(NewUser.model_validate(given))
    browser, csrf = signed_in(live, email, FIRST)
    made = browser.post("/tokens", json={"label": "analyst"}, headers=csrf).json()
    yield made["token"]
    browser.delete(f"/tokens/{made['id']}", headers=csrf)
    browser.close()


def test_every_route_declares_a_role(live: Live):
    assert {asked["x-role"] for _, _, asked in EVERY} == {"everybody", "reader", "analyst", "owner"}
    served = httpx.get(f"{live.url}/api/v1/openapi.json").json()
    assert {path: set(ways) for path, ways in served["paths"].items()} == {
        path: set(ways) for path, ways in SPEC["paths"].items()
    }


@pytest.mark.parametrize(("method", "path"), OWNERS_ONLY)
def test_what_is_an_owners_is_refused_to_an_analyst_at_every_route(live: Live, analyst, method, path):
    address = live.url + re.sub(r"\{\w+\}", "1", path)
    answer = httpx.request(method.upper(), address, headers={"Authorization": f"Bearer {analyst}"}, json={})
    assert (answer.status_code, answer.json()["code"]) == (403, "role-refused"), answer.text


def test_an_analyst_does_the_daily_work(live: Live, analyst):
    headers = {"Authorization": f"Bearer {analyst}"}
    for path in ("/portfolio", "/sources", "/jobs", "/sites/skerryferries.example/timeline", "/me", "/tokens"):
        assert httpx.get(f"{live.url}/api/v1{path}", headers=headers).status_code == 200


def test_a_cookie_is_good_for_nothing_after_signing_out(live: Live):
    browser, csrf = signed_in(live)
    stolen = browser.cookies["noctilum"]
    assert browser.get("/me").status_code == 200
    assert browser.delete("/session", headers=csrf).status_code == 204
    assert httpx.get(f"{live.url}/api/v1/me", cookies={"noctilum": stolen}).status_code == 401
    browser.close()


def test_a_sign_in_is_listed_and_ended_from_elsewhere(live: Live):
    browser, csrf = signed_in(live)
    other, _ = signed_in(live)
    found = other.get("/sign-ins").json()
    mine = next(each for each in browser.get("/sign-ins").json() if each["this"])
    assert mine["id"] in {each["id"] for each in found}
    assert browser.delete("/sign-ins", headers=csrf).status_code == 200
    assert other.get("/me").status_code == 401
    assert browser.get("/me").status_code == 200
    browser.delete("/session", headers=csrf)
    browser.close()
    other.close()


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"Content-Type": "text/plain"}, 400),
        ({"Content-Type": "application/x-www-form-urlencoded"}, 400),
        ({"Content-Type": "application/json", "Origin": "https://elsewhere.example"}, 403),
        ({"Content-Type": "application/json", "Origin": "null"}, 403),
    ],
)
def test_signing_in_from_a_page_elsewhere_is_refused(live: Live, headers, status):
    body = json.dumps({"email": USER[1], "password": USER[2]})
    answer = httpx.post(f"{live.url}/api/v1/session", content=body, headers=headers)
    assert answer.status_code in (status, 415)
    assert "set-cookie" not in answer.headers


def test_changes_with_a_cookie_from_another_origin_are_refused_even_with_the_token(live: Live):
    browser, csrf = signed_in(live)
    answer = browser.post("/clients", json={"name": "X"}, headers=csrf | {"Origin": "https://elsewhere.example"})
    assert (answer.status_code, answer.json()["code"]) == (403, "origin-refused")
    browser.delete("/session", headers=csrf)
    browser.close()


def test_the_cookie_is_unseen_by_scripts_and_of_this_origin(live: Live):
    answer = httpx.post(f"{live.url}/api/v1/session", json={"email": USER[1], "password": USER[2]})
    told = answer.headers["set-cookie"]
    assert "HttpOnly" in told
    assert "SameSite=Lax" in told
    assert "Max-Age=1209600" in told


def test_people_from_the_command_line(live: Live):
    added_ = live.cli("users", "--add", "cli@tallowlane.example", "--name", "Cli", NOCTILUM_PASSWORD=FIRST)
    assert added_.returncode == 0, added_.stderr
    assert "cli@tallowlane.example" in added_.stdout
    number = next(u["id"] for u in json.loads(live.cli("users", "--output", "json").stdout) if u["name"] == "Cli")
    assert live.cli("users", "--change", str(number), "--role", "owner").returncode == 0
    assert live.cli("users", "--remove", str(number)).returncode == 0
    assert live.cli("users", "--remove", str(number)).returncode == 4
    token = live.cli("tokens", "--add", "a program", "--days", "3").stdout.strip()
    assert live.cli("portfolio", NOCTILUM_TOKEN=token).returncode == 0
    found = next(
        t["id"] for t in json.loads(live.cli("tokens", "--output", "json").stdout) if t["label"] == "a program"
    )
    assert live.cli("tokens", "--revoke", str(found)).returncode == 0
    assert live.cli("portfolio", NOCTILUM_TOKEN=token).returncode == 6
    assert live.cli("sign-ins").returncode == 0
    assert live.cli("jobs").returncode == 0
