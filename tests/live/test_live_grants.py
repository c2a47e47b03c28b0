"""Being granted access by a person: from the command line, and through the console's pages."""

import os
import re
import subprocess
import sys
from pathlib import Path

import httpx
import pytest
from tests.conftest import agreed, served_desk
from tests.running import Live

from noctilum.client import ProblemFault
from noctilum.wire.setup import AskGrant, NewClient, NewSite

ROOT = Path(__file__).parents[2]
MAPPING = ROOT / "examples/report-desk.toml"
APP = "tallow-lane-app"


@pytest.fixture(scope="module")
def desk():
    with served_desk() as found:
        yield found[0]


@pytest.fixture
def site(live: Live):
    with live.client() as noctilum:
        client = noctilum.add_client(NewClient(name="Granted"))
        yield noctilum.add_site(client.key, NewSite(host="granted.example")).key
        noctilum.erase("client", client.key, client.key)


def connecting(live: Live, desk: str, *words: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "noctilum.cli.main", "connect", *words, "--feed", desk, "--account", APP]
    command += ["--mapping", str(MAPPING)]
    given = os.environ | {"NOCTILUM_URL": live.url, "NOCTILUM_TOKEN": live.token, "NOCTILUM_FEED_SECRET": "brass-key"}
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=given)


def test_the_command_line_waits_until_somebody_has_agreed(live, desk, site):
    with connecting(live, desk) as process:
        told = [process.stderr.readline() for _ in range(3)]
        grant = re.search(r"--grant=(\S+)\)", told[2])[1]
        assert process.poll() is None
        page = httpx.get(agreed(told[1].strip()))
        assert page.text.endswith("<p>Access is granted. Go back to the terminal.</p>")
        out, _ = process.communicate(timeout=60)
    assert process.returncode == 0
    assert "desk-0417" in out
    assert f"--grant={grant}" in out
    with connecting(live, desk, site, "--property", "desk-0417", f"--grant={grant}") as process:
        out, error = process.communicate(timeout=60)
    assert (process.returncode, error) == (0, "")
    assert re.match(r"connected .* to granted.example as source \d+; now run: noctilum pull \d+", out)


def test_what_a_grant_comes_back_with_must_be_its_own(live, desk):
    asked = AskGrant(url=desk, account=APP, mapping=MAPPING.read_text(), back="")
    with live.client() as noctilum:
        begun = noctilum.begin_grant(asked)
        callback = f"{live.url}/api/v1/grants/callback"
        assert httpx.get(callback, params={"state": "made-up", "code": "x"}).json()["code"] == "no-such-grant"
        assert not noctilum.grant(begun.grant).granted
        refused = httpx.get(callback, params={"state": begun.grant, "error": "<b>no</b>"})
        assert "Access was not granted: &lt;b&gt;no" in refused.text
        for back in ("//elsewhere.example", "/\\elsewhere.example", "https://elsewhere.example"):
            with pytest.raises(ProblemFault) as caught:
                noctilum._post(type(begun), "/grants", asked.model_copy(update={"back": back}))
            assert caught.value.status == 400


@pytest.mark.browser
def test_access_is_granted_and_a_property_connected_in_the_console(page, live, desk, site):
    page.goto(f"{live.url}/sources")
    page.get_by_role("button", name="Connect a property").click()
    page.get_by_label("Feed address").fill(desk)
    page.get_by_label("Client id").fill(APP)
    page.get_by_label("Another interface").check()
    page.get_by_label("Client secret or token").fill("brass-key")
    page.get_by_label("Mapping (TOML)").fill(MAPPING.read_text())
    page.get_by_role("button", name="Grant access at the provider").click()
    page.get_by_role("button", name="Agree").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_text("Access was granted by you at the provider.").wait_for()
    dialog.get_by_label("Site").click()
    page.get_by_role("option", name=re.compile("granted.example")).click()
    dialog.get_by_role("button", name="See its properties").click()
    dialog.get_by_role("button", name=re.compile("^Connect Skerry")).click()
    page.get_by_role("cell", name=re.compile("mapped-feed")).first.wait_for()
    with live.client() as noctilum:
        assert [source.connector for source in noctilum.site(site).sources] == ["mapped-feed"]
