"""Behind a proxy with TLS: the browser is told to stay with https, and addresses follow the public one."""

import pytest

from noctilum.actions.install import Install, Settings
from noctilum.service.app import create_app

PUBLIC = "https://noctilum.lane.example"


@pytest.fixture
def client(tmp_path):
    install = Install(Settings(tmp_path / "install", public_url=PUBLIC))
    install.prepare()
    yield create_app(install).test_client()
    install.close()


def test_the_browser_is_told_to_stay_with_https(client):
    answer = client.get("/api/v1/health", base_url=PUBLIC)
    assert answer.headers["Strict-Transport-Security"].startswith("max-age=")


def test_no_other_name_is_answered_to(client):
    assert client.get("/api/v1/health", base_url="https://elsewhere.example").json["code"] == "host-unknown"
    assert client.get("/api/v1/health", base_url=PUBLIC).status_code in (200, 503)


def test_a_route_that_declares_no_role_is_refused_to_all(tmp_path):
    from tests.conftest import NOW

    from noctilum.actions import people

    install = Install(Settings(tmp_path / "other"))
    install.prepare()
    user = people.add_user(install, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    token = people.new_token(install, user.id, "x", NOW)
    app = create_app(install)
    app.add_url_rule("/api/v1/forgotten", "forgotten", lambda: "open")
    answer = app.test_client().get("/api/v1/forgotten", headers={"Authorization": f"Bearer {token}"})
    assert (answer.status_code, answer.json["code"]) == (403, "role-refused")
    install.close()
