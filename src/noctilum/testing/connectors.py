"""What every connector must do; inherit and give it a connector."""

from __future__ import annotations

import pytest

from noctilum.core.days import DayState
from noctilum.core.settle import settle
from noctilum.datasets import DATASETS
from noctilum.sources.contract import Connector, OfferedDay


class ConnectorContract:
    """Give a fixture `connector` whose feed has at least one final day."""

    @pytest.fixture
    def final_day(self, connector: Connector) -> OfferedDay:
        return next(o for o in reversed(connector.days(None, None)) if o.state is DayState.FINAL)

    def test_lists_what_the_credential_can_see(self, connector: Connector) -> None:
        found = connector.properties()
        assert found and all(p.id and p.engine and p.first_day <= p.last_day for p in found)

    def test_offers_each_day_once_in_order(self, connector: Connector) -> None:
        days = [o.day for o in connector.days(None, None)]
        assert days == sorted(set(days))

    def test_every_grain_of_a_final_day_parses_and_settles(self, connector: Connector, final_day: OfferedDay) -> None:
        for grain in connector.grains:
            batch = settle(connector.parse(connector.fetch(final_day.day, grain))).batch
            assert batch.dataset == grain and batch.day == final_day.day
            assert tuple(batch.dims) == DATASETS[grain].dims

    def test_a_page_tells_the_revision_it_was_offered_under(self, connector: Connector, final_day: OfferedDay) -> None:
        assert connector.fetch(final_day.day, connector.grains[0]).revision == final_day.revision

    def test_fetching_again_gives_the_same_bytes(self, connector: Connector, final_day: OfferedDay) -> None:
        grain = connector.grains[0]
        assert connector.fetch(final_day.day, grain).body == connector.fetch(final_day.day, grain).body

    def test_grains_fetched_together_say_what_each_says_alone(
        self, connector: Connector, final_day: OfferedDay
    ) -> None:
        grains = [grain for grain in connector.grains if DATASETS[grain].span == "day"][::-1]
        together = list(connector.fetch_several(final_day.day, grains))
        assert together == [connector.fetch(final_day.day, grain) for grain in grains]

    def test_the_secret_has_no_repr(self, connector: Connector) -> None:
        assert connector.settings.client_secret.get_secret_value() not in repr(connector.settings)
