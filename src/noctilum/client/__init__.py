"""The client library: `from noctilum.client import Noctilum`.

Law: speaks HTTP and wire models; needs httpx and pydantic only.
"""

from noctilum.client.api import Noctilum
from noctilum.client.errors import ConnectionFault, NoctilumFault, ProblemFault
from noctilum.client.tables import to_pandas, to_rows

__all__ = ["ConnectionFault", "Noctilum", "NoctilumFault", "ProblemFault", "to_pandas", "to_rows"]
