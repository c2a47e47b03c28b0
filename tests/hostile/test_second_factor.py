"""Invitations, new passwords and second factors: addresses that work once, codes that are taken once."""

from datetime import timedelta

import pyotp
import pytest
from itsdangerous import BadSignature
from tests.conftest import NOW
from tests.mailboxes import sinking
from tests.reports.test_sending import with_mail

from noctilum.actions import invitations, people, second_factor, setup, signing_in
from noctilum.core.errors import Clash, Nonsense, NotThere, Refused
from noctilum.records.models import User
from noctilum.service.app import create_app
from noctilum.wire.people import Invitation, UserChange
from noctilum.wire.setup import NewClient

PASSWORD = "lanterns over the quay"


@pytest.fixture
def ines(install) -> User:
    return people.add_user(install, "Ines", "ines@lane.example", PASSWORD, NOW)


def enter(install, code="", at=NOW, password=PASSWORD):
    return signing_in.sign_in(install, "ines@lane.example", password, "192.0.2.1", "tests", at, code)


def test_a_code_is_asked_for_once_it_was_given_and_none_is_taken_twice(install, ines):
    told = second_factor.begun(install, ines.id)
    authenticator = pyotp.TOTP(told.secret)
    assert told.secret in told.address and told.picture.startswith("<svg")
    assert enter(install).user.id == ines.id, "it does not count before a code of it was given"
    with pytest.raises(Refused, match="wrong"):
        second_factor.turned_on(install, ines.id, "000000", NOW)
    second_factor.turned_on(install, ines.id, authenticator.at(NOW), NOW)
    with pytest.raises(Clash):
        second_factor.begun(install, ines.id)
    with pytest.raises(Refused) as needed:
        enter(install)
    assert needed.value.code == "second-factor-needed"
    later = NOW + timedelta(minutes=5)
    code = authenticator.at(later)
    assert enter(install, code, later).user.id == ines.id
    for again, at in ((code, later), (code, later + timedelta(seconds=20)), (authenticator.at(NOW), later)):
        with pytest.raises(Refused, match="wrong, or was used"):
            enter(install, again, at)
    with pytest.raises(Refused, match="do not belong together"):
        enter(install, authenticator.at(later + timedelta(hours=1)), later + timedelta(hours=1), "another password")


def test_an_owner_lets_in_who_lost_their_authenticator(install, ines):
    told = second_factor.begun(install, ines.id)
    second_factor.turned_on(install, ines.id, pyotp.TOTP(told.secret).at(NOW), NOW)
    assert people.list_users(install)[0].second_factor
    people.change_user(install, ines.id, UserChange(second_factor=False))
    assert enter(install).user.id == ines.id and not people.list_users(install)[0].second_factor


def test_who_is_invited_chooses_a_password_by_an_address_that_works_once(install, ines, tmp_path):
    setup.add_client(install, NewClient(name="Hivewright"), NOW)
    asked = Invitation(name="Mara", email="mara@hivewright.example", clients=["hivewright"], language="de")
    with pytest.raises(Nonsense, match="No mail server"):
        invitations.invited(install, asked, NOW)
    with sinking(tmp_path / "mail") as boxes:
        with_mail(install, boxes.port)
        made = invitations.invited(install, asked, NOW)
        (mail,) = boxes.mails("mara@hivewright.example")
    assert (made.role, made.clients) == ("reader", ["hivewright"])
    assert "lädt Sie ein" in mail["Subject"] and "sieben Tage" in mail.get_content()
    path = mail.get_content().split("http://127.0.0.1:1")[1].split()[0]
    client = create_app(install).test_client()
    assert "mara@hivewright.example" in client.get(path).text
    assert client.post(path, data={"password": "short"}).status_code == 400
    assert client.post(path, data={"password": "seven quiet lanterns"}).status_code == 303
    assert people.check_password(install, "mara@hivewright.example", "seven quiet lanterns").name == "Mara"
    for gone in (path, path.replace("invitation", "reset"), path[:-3], "/welcome/other/x"):
        assert client.get(gone).status_code == client.post(gone, data={"password": PASSWORD}).status_code == 404


def test_a_reset_tells_nobody_who_is_known_and_ends(install, ines, tmp_path, monkeypatch):
    client = create_app(install).test_client()
    with sinking(tmp_path / "mail") as boxes:
        with_mail(install, boxes.port)
        answers = [
            client.post("/api/v1/password-resets", json={"email": email})
            for email in ("ines@lane.example", "nobody.here@lane.example")
        ]
        assert [each.status_code for each in answers] == [202, 202] and answers[0].data == answers[1].data
        assert [str(each["To"]) for each in boxes.mails()] == ["Ines <ines@lane.example>"]
        token = boxes.mails()[0].get_content().split("/welcome/reset/")[1].split()[0]
        tries = [client.post("/api/v1/password-resets", json={"email": "ines@lane.example"}) for _ in range(8)]
        assert tries[-1].status_code == 429
    assert invitations.whose(install, "reset", token).id == ines.id
    with pytest.raises(NotThere):
        invitations.whose(install, "invitation", token)
    monkeypatch.setattr(invitations, "RESET_FOR", -1)
    with pytest.raises((NotThere, BadSignature)):
        invitations.whose(install, "reset", token)
