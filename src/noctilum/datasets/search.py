"""What a search feed counts, at five grains."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Dimension, Measure

CLICKS = Measure(
    "clicks", "clicks", "How often a result of the site was clicked.", better="higher", most="impressions",
    words=(
        "clicks", "click", "klicks", "klick", "clics", "clic", "clique", "cliques", "clicchi", "klikken", "klikk",
        "klik", "klikniecia", "kliks",
    ),
)  # fmt: skip
IMPRESSIONS = Measure(
    "impressions", "impressions", "How often a result of the site was seen.", better="higher",
    words=(
        "impressions", "impression", "impressionen", "einblendungen", "impresiones", "impressioni", "vertoningen",
        "visninger", "visningar", "impressoes", "wyswietlenia", "impr", "shown", "views",
    ),
)  # fmt: skip
POSITION = Measure(
    "position", "position", "The average place of what was seen.", "weighted", weight="impressions", kind="place",
    better="lower", least=1,
    words=(
        "position", "pos", "posicion", "posizione", "positie", "plassering", "posicao", "pozycja", "rank", "place",
        "average position", "avg position", "durchschnittliche position", "position moyenne", "posicion media",
        "posizione media", "gemiddelde positie", "gjennomsnittlig plassering", "genomsnittlig position",
        "posicao media", "srednia pozycja", "average place", "mean position", "average rank",
    ),
)  # fmt: skip
MEASURES = (CLICKS, IMPRESSIONS, POSITION)

_WORDS: dict[str, tuple[str, ...]] = {
    "query": (
        "query", "queries", "keyword", "searchterm", "suchanfrage", "suchanfragen", "suchbegriff", "keywords",
        "requete", "requetes", "consulta", "consultas", "zoekopdracht", "zoekterm", "ricerca", "sokeord", "sokefrase",
        "sokfraga", "sogeord", "termo", "pesquisa", "zapytanie", "suchwort", "search term", "search query",
        "query di ricerca", "termo de pesquisa", "mot cle", "palabra clave", "parola chiave", "zoek term",
    ),
    "page": (
        "page", "pages", "url", "landingpage", "seite", "seiten", "zielseite", "adresse", "pagina", "paginas", "side",
        "sider", "sida", "strona", "address", "link", "landing page", "page de destination", "ziel seite", "page url",
    ),
    "country": (
        "country", "land", "pays", "pais", "paese", "landescode", "kraj", "market", "markt", "country code",
    ),
    "device": (
        "device", "devices", "gerat", "geraet", "geratetyp", "appareil", "dispositivo", "apparaat", "enhet", "enhed",
        "urzadzenie", "device type", "gerate typ",
    ),
    "kind": (
        "kind", "suchart", "recherche", "tipo", "busqueda", "zoektype", "soketype", "search kind", "search type",
        "type de recherche", "tipo de busqueda",
    ),
    "look": (
        "look", "looks", "appearance", "aussehen", "darstellung", "apparence", "apariencia", "aspetto", "weergave",
        "utseende", "udseende", "aparencia", "wyglad",
    ),
}  # fmt: skip
QUERY = Dimension("query", "query", "What was typed.", words=_WORDS["query"])
PAGE = Dimension("page", "page", "The page as the provider writes it.", words=_WORDS["page"])
COUNTRY = Dimension("country", "country", "ISO 3166 country of the searcher.", "", _WORDS["country"], "country")
DEVICES = ("mobile", "desktop", "tablet")
DEVICE = Dimension("device", "device", "mobile, desktop or tablet.", "", _WORDS["device"], "device", DEVICES)
KINDS = ("web", "image", "video", "news")
KIND = Dimension("kind", "kind", "The kind of search, as web or image.", "web", _WORDS["kind"], "word", KINDS)
LOOK = Dimension(
    "look", "look", "What a result looked like, where it was not like any other.", words=_WORDS["look"], form="word"
)
DIMENSIONS = (QUERY, PAGE, COUNTRY, DEVICE, KIND, LOOK)
_SMALL = ("country", "device", "kind")

SEARCH = (
    Dataset(
        "site",
        _SMALL,
        MEASURES,
        {},
        "The provider's own totals of the site.",
        plural="site",
        title="totals of the site",
        stood_in_by=("page", "query", "pair"),
        dimensions=DIMENSIONS,
    ),
    Dataset(
        "query",
        ("query", *_SMALL),
        MEASURES,
        {"query": ("query",), "query-device": ("query", "device"), "cube": ("day", *_SMALL)},
        "Totals per query; rare queries are withheld by the provider.",
        long_rollups={"query-place": ("query", "country", "device")},
        plural="queries",
        stood_in_by=("pair",),
        part_of="site",
        differs=(
            (
                "site",
                "withheld",
                "Rare queries are withheld by the provider: they are in the site's total and in no query's row.",
            ),
        ),
        dimensions=DIMENSIONS,
    ),
    Dataset(
        "page",
        ("page", *_SMALL),
        MEASURES,
        {"page": ("page",), "page-device": ("page", "device"), "cube": ("day", *_SMALL)},
        "Totals per page; a result page that shows two pages counts for both.",
        plural="pages",
        stood_in_by=("pair",),
        reaches=("site", "impressions"),
        differs=(
            (
                "site",
                "counted-by-page",
                "Counted by page: a result page that shows two pages of the site counts for both.",
            ),
        ),
        dimensions=DIMENSIONS,
    ),
    Dataset(
        "pair",
        ("query", "page", *_SMALL),
        MEASURES,
        {"query": ("query",), "page": ("page",), "cube": ("day", *_SMALL)},
        "Query by page; rare queries are withheld by the provider.",
        long_rollups={"page-query": ("page", "query"), "query-place": ("query", "country", "device")},
        plural="pairs",
        title="queries by page",
        part_of="page",
        differs=(("page", "pairs-withheld", "Rare queries are withheld from query-by-page rows too."),),
        dimensions=DIMENSIONS,
    ),
    Dataset(
        "look",
        ("look", *_SMALL),
        MEASURES,
        {"look": ("look",)},
        "By what a result looked like; what looked like any other has no row.",
        plural="looks",
        differs=(
            ("site", "no-look", "What looked like any other result is in the site's total and in no look's row."),
        ),
        dimensions=DIMENSIONS,
    ),
)
