"""The datasets, each declared once: what sources count, and how every figure of it adds up.

Law: declarations only, no reckoning; imports nothing at all, so that every room and light door may use it.
"""

from noctilum.datasets.declaring import Datasets
from noctilum.datasets.facts import FACTS
from noctilum.datasets.index import INDEX
from noctilum.datasets.links import LINKS
from noctilum.datasets.lookups import LOOKUPS
from noctilum.datasets.search import SEARCH
from noctilum.datasets.visits import VISITS

DATASETS = Datasets((*SEARCH, *LOOKUPS, *VISITS, *LINKS, *INDEX, *FACTS))

__all__ = ["DATASETS"]
