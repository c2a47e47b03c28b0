"""The portfolio's rows, kept until something changes."""

import pytest
from tests.conftest import NOW, TODAY

from noctilum.actions import erase, portfolio, setup
from noctilum.actions.pull import pull
from noctilum.readings import portfolio as readings
from noctilum.wire import setup as wire


@pytest.fixture
def made(monkeypatch) -> list[str]:
    """Which sites' rows were made anew."""
    found = []
    real = readings.row
    monkeypatch.setattr(readings, "row", lambda site, held: found.append(site.key) or real(site, held))
    return found


def test_a_row_is_made_once_and_again_when_the_site_changes(install, site, pulled, feed, made):
    first = portfolio.portfolio(install, TODAY)
    assert portfolio.portfolio(install, TODAY) == first
    assert made == [site]
    feed.control(revised={"2026-03-10": 1})
    pull(install, pulled, origin="pull 2", clock=lambda: NOW, report=lambda _: True)
    portfolio.keep_glance(install, pulled)
    later = portfolio.portfolio(install, TODAY)
    assert made == [site, site]
    assert later.rows[0].now.clicks != first.rows[0].now.clicks
    setup.change_site(install, site, wire.SiteChange(brand_terms="something else"))
    portfolio.portfolio(install, TODAY)
    assert len(made) == 3


def test_a_damaged_row_is_made_anew_and_an_erased_site_leaves_none(install, site, pulled, made):
    kept = install.glance_path(1)
    first = portfolio.portfolio(install, TODAY)
    kept.write_text(kept.read_text()[:100])
    left = kept.with_name("1.glance.4711")
    left.write_text("half a row")
    assert portfolio.portfolio(install, TODAY) == first
    assert len(made) == 2
    erase.erase_site(install, site, site, "Ines", NOW)
    assert not kept.exists()
    assert not left.exists()
    assert portfolio.portfolio(install, TODAY).rows == []


def test_a_site_that_cannot_be_read_waits_with_its_reason(install, site):
    (row,) = portfolio.portfolio(install, TODAY).rows
    assert (row.attention, row.now) == ("waiting", None)
    assert "no source connected" in row.why
    assert "no-source" in portfolio.stamps(install)
