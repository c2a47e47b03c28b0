"""What a visits feed counts: sessions and what came of them, who came, and each goal by itself."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Derived, Dimension, Measure
from noctilum.datasets.search import DEVICES

KIND = "visits"
ORGANIC = "organic"
CHANNELS = (ORGANIC, "direct", "referral", "mail")
"""The channel of who came from a search engine's plain results."""

SESSIONS = Measure(
    "sessions", "sessions", "Visits to the site, as the feed counts them.", better="higher",
    words=("sessions", "session", "visits", "sitzungen", "besuche", "visites", "sesiones", "visitas"),
)  # fmt: skip
ENGAGED = Measure(
    "engaged", "engaged", "Sessions in which somebody stayed, read on or did something.", better="higher",
    most="sessions", words=("engaged sessions", "engagierte sitzungen"),
)  # fmt: skip
NEW_USERS = Measure(
    "new_users", "new users", "Who had not been here before, as far as the feed knows.", better="higher",
    most="sessions", words=("new users", "neue nutzer", "nouveaux utilisateurs", "usuarios nuevos", "new visitors"),
)  # fmt: skip
CONVERSIONS = Measure(
    "conversions", "conversions", "Goals that were reached, as the feed counts them.", better="higher", set_up=True,
    words=("conversions", "conversion", "goals", "konversionen", "abschlusse", "conversiones", "conversioni"),
)  # fmt: skip
REVENUE = Measure(
    "revenue", "revenue", "What was earned, less what was paid back, in the site's currency.", scale=100, kind="money",
    better="higher", signed=True, set_up=True,
    words=("revenue", "income", "umsatz", "erlos", "revenu", "ingresos", "ricavi"),
)  # fmt: skip
USERS = Measure(
    "users", "users", "Who came, told apart by the feed; the same may come again, so that days never add up.", "none",
    better="higher", words=("users", "visitors", "nutzer", "besucher", "utilisateurs", "usuarios", "utenti"),
)  # fmt: skip

RETURNING = Derived(
    "returning", "returning", "Sessions of those who had been here before: sessions less new users.",
    "sessions", less="new_users", better="higher",
)  # fmt: skip
RATE = Derived(
    "rate", "conversion rate", "Conversions over sessions.", "conversions", over="sessions", better="higher",
)  # fmt: skip

_DIMENSIONS = (
    Dimension("page", "landing page", "The first page of a visit.", "", ("landing page", "zielseite", "page")),
    Dimension("title", "page title", "The title of the landing page.", "", ("page title", "title", "seitentitel")),
    Dimension(
        "channel", "channel", "How they came: organic, direct, referral, mail.", ORGANIC, form="word", values=CHANNELS
    ),
    Dimension("device", "device", "desktop, mobile or tablet.", "desktop", ("device", "gerat"), "device", DEVICES),
    Dimension("country", "country", "ISO 3166 code.", "", ("country", "land", "pays", "pais"), form="country"),
    Dimension("region", "region", "Of the country, as the feed names it.", "", ("region", "bundesland")),
    Dimension("city", "city", "As the feed names it.", "", ("city", "stadt", "ville", "ciudad", "citta")),
    Dimension("goal", "goal", "What was to be reached, as it is called there.", "", ("goal", "goal name", "ziel")),
)  # fmt: skip

VISITS = (
    Dataset(
        "visits",
        ("page", "title", "channel", "device", "country", "region", "city"),
        (SESSIONS, ENGAGED, NEW_USERS, CONVERSIONS, REVENUE),
        {"page": ("page", "channel"), "cube": ("day", "channel", "device", "country")},
        "Visits by landing page, channel, device and place.",
        kind=KIND,
        plural="visits",
        spans=(),
        dimensions=_DIMENSIONS,
        judged="sessions",
        derived=(RETURNING, RATE),
    ),
    Dataset(
        "visitors",
        ("channel",),
        (SESSIONS, USERS),
        {"cube": ("day", "channel")},
        "Who came, as the feed counts them: users of one day, never added up over days.",
        kind=KIND,
        plural="visitors",
        spans=("week", "month"),
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "goals",
        ("goal", "page", "channel"),
        (CONVERSIONS, REVENUE),
        {"goal": ("goal", "channel"), "cube": ("day", "goal")},
        "Each goal that was reached, by landing page and channel.",
        kind=KIND,
        plural="goals",
        spans=(),
        dimensions=_DIMENSIONS,
    ),
)
