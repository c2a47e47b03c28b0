"""The example keeps the contract every connector keeps: inherit it, and give it a connector."""

import pytest
from pydantic import SecretStr

from noctilum.core.errors import FeedFault
from noctilum.sources.contract import FeedSettings, Page
from noctilum.testing.connectors import ConnectorContract
from tide_log_connector import TideLog


@pytest.fixture
def connector(tmp_path):
    folder = tmp_path / "harbour.example"
    folder.mkdir()
    for day in range(1, 10):
        lines = [f"mobile|NO|{day}|{day * 10}|{day * 35}", f"desktop|SE|0|{day}|{day * 90}"]
        (folder / f"2026-03-{day:02}.log").write_text("\n".join(lines))
    given = {"url": f"file://{tmp_path}", "client_id": "", "client_secret": SecretStr("none-needed")}
    return TideLog(FeedSettings.model_validate(given | {"property": "harbour.example"}))


class TestContract(ConnectorContract):
    pass


def test_a_line_that_is_not_of_the_form_is_named(connector):
    with pytest.raises(FeedFault, match="not of the log's form") as caught:
        connector.parse(Page(connector.days(None, None)[0].day, "site", b"mobile|NO|1\n", None))
    assert caught.value.where == "2026-03-01.log line 1"
