"""Columns that several readings have, each said once."""

from __future__ import annotations

from noctilum.wire.columns import column, group

CLICKS = column("count", "clicks", "Clicks as the provider counted them, summed over held days.", better="higher")
IMPRESSIONS = column(
    "count",
    "impressions",
    "How often a result of the site was shown, as the provider counted it, summed over held days.",
    better="higher",
)
CTR = column(
    "rate",
    "click-through",
    "Clicks over impressions of the whole window, never an average of daily rates; none without impressions.",
    better="higher",
)
POSITION = column(
    "place",
    "position",
    "The sum of places over impressions: each impression counts once. 1 is the top; none without impressions.",
    better="lower",
)
STATE = column("verdict", "state", "Whether its days are held, final or provisional.")
BEFORE = group("before", "Over the window compared with: as many held days, paired day with day.")
KEY = column("text", "what", titled_by="dimension", named_by="dimension")
BAND = column("text", "band", "Where the average place of the whole window lies: 1, 2–3, 4–10, 11–20, 21–50, 51–100.")
MATCHING = column("count", "rows found", "How many rows were found, on all pages of the list.")
DEMAND = column(
    "count",
    "demand",
    "What clicks would have changed by had only the impressions of queries seen in both windows changed.",
    signed=True,
)
RANK = column(
    "count",
    "rank",
    "What clicks would have changed by had only the places changed, by the site’s own curve for each device.",
    signed=True,
)
APPEAL = column(
    "count",
    "appeal",
    "What clicks would have changed by had only the click-through beyond the curve’s changed.",
    signed=True,
)
ENTERED = column("count", "entered", "Clicks of queries shown now and not before.", signed=True)
LEFT = column("count", "left", "Clicks of queries shown before and not now.", signed=True)
UNLISTED = column(
    "count",
    "unlisted",
    "The provider’s total less the listed rows: queries withheld because few people asked them.",
    signed=True,
)
DAYS_SEEN = column("count", "days seen", "Days with at least one impression.")
REVISION = column("text", "revision", "The provider’s own mark of the version that is held.")
ORIGIN = column("text", "made from", "The pull or the file that it came from.")
CLICKS_HELD = column("count", "clicks", "Clicks as the provider counted them, summed over held days.")
IMPRESSIONS_HELD = column(
    "count",
    "impressions",
    "How often a result of the site was shown, as the provider counted it, summed over held days.",
)
POSITION_SUM = column("number", "sum of places", "Places times impressions, added up.")
GRAIN = column("text", "grain", "The level at which the provider counted.")
VERDICT = column(
    "verdict",
    "verdict",
    "The change against the scatter of the row’s own 26 weeks before; at most 8% of the falls listed are chance.",
)
GAIN = column(
    "count",
    "gain",
    "Impressions × click-through at the target place × the row’s own appeal, less its clicks; the appeal is drawn "
    "to 1 where little is known.",
    better="higher",
    signed=True,
)
GAIN_LOW = column("count", "gain, at least", "The gain one place lower than the target.", signed=True)
GAIN_HIGH = column("count", "gain, at most", "The gain one place higher than the target.", signed=True)
VOLUME_HOW = "Searches of the term in the newest month known, as its source estimates them."
CPC_HOW = "What an advertiser pays for a click on the term; over countries weighted by volume."
TERM_VOLUME = column("count", "volume", VOLUME_HOW, default=None)
TERM_CPC = column("money", "CPC", CPC_HOW, default=None)
