"""The commands of readings: name, group, summary.

Made by tools/readings.py from the specifications in wire/catalogue.py; `make readings` renews it.
"""

READINGS: tuple[tuple[str, str, str], ...] = (
    ("timeline", "Read", "Show figures by day, week, month or quarter"),
    ("breakdown", "Read", "Show figures by query, page, country, device, kind or look"),
    ("cross", "Read", "Show figures by two dimensions at once"),
    ("bands", "Read", "Count queries or pages by band, month for month"),
    ("weekdays", "Read", "Show the profile of a week"),
    ("life", "Read", "Show one query's or page's whole life"),
    ("drivers", "Explain", "Show what drove the change in clicks"),
    ("fading", "Explain", "Show pages or queries that fade, and why"),
    ("within-reach", "Explain", "Show what could be won just below a better band"),
    ("overlap", "Explain", "Show queries that pages of a site share"),
    ("clusters", "Explain", "Join queries that say nearly the same"),
    ("unclicked", "Explain", "Show unclicked queries"),
    ("device-gap", "Explain", "Set mobile against desktop, query by query"),
    ("odd-days", "Explain", "Show days far from what was to be expected"),
    ("note-effect", "Explain", "Show what was before and after a dated note"),
    ("rank-summary", "Ranks", "Sum up how tracked keywords stand and moved"),
    ("ladder", "Ranks", "Lay tracked keywords out by weeks"),
    ("keyword", "Ranks", "Show one keyword's whole history"),
    ("share-of-voice", "Ranks", "Show whose share of voice is how large"),
    ("domain", "Ranks", "Open a domain that was seen beside the site"),
    ("local-grid", "Ranks", "Show a term's ranks at points around a place"),
    ("device-ranks", "Ranks", "Set ranks on each device side by side"),
    ("result-features", "Ranks", "Show what result pages show besides results"),
    ("cross-check", "Ranks", "Set tracked ranks beside the provider's averages"),
    ("feature-effect", "Ranks", "Tell what a feature does to click-through"),
    ("ledger", "Collect", "Show which days are held"),
    ("day", "Collect", "Show what a day was made from"),
    ("changes", "Collect", "List final days that came out differently later"),
    ("reconcile", "Collect", "Say why two numbers for the same thing differ"),
    ("ranks", "Read", "Show ranks"),
    ("listings", "Read", "Show listings"),
    ("features", "Read", "Show features"),
)
