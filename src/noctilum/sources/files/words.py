"""The words by which columns, devices, countries and months are called, in several languages."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from babel import Locale

from noctilum.sources.files.mapping import Role

LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "nb", "sv", "da", "pt", "pl")

_HEADERS: dict[Role, str] = {
    "day": "day date datum tag jour fecha dia data giorno dag dato dzien month monat mois mes mese maand maned "
    "manad maned miesiac",
    "query": "query queries keyword search term searchterm suchanfrage suchanfragen suchbegriff keywords requete "
    "requetes consulta consultas zoekopdracht zoekterm query di ricerca sokeord sokefrase sokfraga sogeord consulta "
    "termo de pesquisa zapytanie suchwort mot cle palabra clave parola chiave",
    "page": "page pages url landing page landingpage seite seiten zielseite adresse pagina paginas page de destination "
    "side sider sida strona landing address link",
    "country": "country land pays pais paese country code landescode kraj market markt",
    "device": "device devices gerat geraet geratetyp appareil dispositivo apparaat enhet enhed urzadzenie device type",
    "kind": "kind search kind suchart type de recherche tipo de busqueda search type zoektype soketype",
    "look": "look looks appearance aussehen darstellung apparence apariencia aspetto weergave utseende udseende "
    "aparencia wyglad",
    "clicks": "clicks click klicks klick clics clic clique cliques clicchi klikken klikk klik klikniecia kliks",
    "impressions": "impressions impression impressionen einblendungen impresiones impressioni vertoningen visninger "
    "visningar impressoes wyswietlenia impr shown views",
    "ctr": "ctr click through rate clickthrough rate klickrate taux de clics tasa de clics click rate "
    "klikfrequentie klikkfrekvens",
    "position": "position average position avg position pos durchschnittliche position position moyenne "
    "posicion posicion media posizione posizione media gemiddelde positie positie gjennomsnittlig plassering "
    "plassering genomsnittlig position posicao media srednia pozycja pozycja rank place average place mean position",
}
"""Role → words; single words and every run of them that is listed below."""
_PHRASES: dict[Role, tuple[str, ...]] = {
    "query": ("search term", "search query", "query di ricerca", "termo de pesquisa", "mot cle", "palabra clave",
              "parola chiave", "zoek term"),
    "page": ("landing page", "page de destination", "ziel seite", "page url"),
    "country": ("country code",),
    "device": ("device type", "gerate typ"),
    "kind": ("search kind", "search type", "type de recherche", "tipo de busqueda"),
    "ctr": ("click through rate", "clickthrough rate", "taux de clics", "tasa de clics", "click rate"),
    "position": ("average position", "avg position", "durchschnittliche position", "position moyenne", "posicion media",
                 "posizione media", "gemiddelde positie", "gjennomsnittlig plassering", "genomsnittlig position",
                 "posicao media", "srednia pozycja", "average place", "mean position", "average rank"),
}  # fmt: skip
_CONNECTING = {"de", "di", "through", "rate", "search", "type", "term", "taux", "tasa", "average", "avg", "mean",
               "durchschnittliche", "moyenne", "media", "gemiddelde", "gjennomsnittlig", "genomsnittlig", "srednia",
               "mot", "cle", "palabra", "clave", "parola", "chiave", "code", "destination", "landing"}  # fmt: skip
_SPECIAL = str.maketrans({"ø": "o", "Ø": "o", "ł": "l", "Ł": "l", "ß": "s", "æ": "a"})


def plain(text: str) -> str:
    """Bring a word to lower case without accents and punctuation.

    >>> plain(" Durchschn. Position (Ø) ")
    'durchschn position o'
    """
    folded = unicodedata.normalize("NFKD", text.translate(_SPECIAL)).encode("ascii", "ignore").decode().lower()
    return " ".join(re.findall(r"[a-z0-9]+", folded))


@lru_cache(maxsize=1)
def _known_headers() -> dict[str, Role]:
    known: dict[str, Role] = {}
    for role, words in _HEADERS.items():
        for word in words.split():
            if word not in _CONNECTING:
                known.setdefault(word, role)
    for role, phrases in _PHRASES.items():
        known.update(dict.fromkeys(phrases, role))
    return known


def role_of_header(header: str) -> Role | None:
    """Recognise a column by what it is called; None when the word is not known.

    >>> role_of_header("Impressionen"), role_of_header("Avg. position"), role_of_header("Colour")
    ('impressions', 'position', None)
    """
    text = plain(header)
    known = _known_headers()
    if text in known:
        return known[text]
    whole = [role for phrase, role in known.items() if " " in phrase and phrase in text]
    if whole:
        return whole[0]
    single = {known[word] for word in text.split() if word in known}
    return single.pop() if len(single) == 1 else None


DEVICES = {
    "mobile": "mobile", "mobil": "mobile", "movil": "mobile", "mobiel": "mobile", "cellulare": "mobile",
    "smartphone": "mobile", "handy": "mobile", "phone": "mobile", "mobiltelefon": "mobile", "komorka": "mobile",
    "desktop": "desktop", "computer": "desktop", "ordinateur": "desktop", "ordenador": "desktop", "pc": "desktop",
    "tablet": "tablet", "tablette": "tablet", "tableta": "tablet", "nettbrett": "tablet", "surfplatta": "tablet",
}  # fmt: skip


@lru_cache(maxsize=1)
def countries() -> dict[str, str]:
    """Map what countries are called, in several languages and as ISO 3166 codes of two letters, to the code."""
    names: dict[str, str] = {}
    for language in LANGUAGES:
        for code, name in Locale(language).territories.items():
            if len(code) == 2 and code.isalpha():
                names.setdefault(plain(name), code)
                names[code.lower()] = code
    return names


@lru_cache(maxsize=1)
def months() -> dict[str, int]:
    """Map what months are called, long and short, in several languages, to their numbers."""
    names: dict[str, int] = {}
    for language in LANGUAGES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in Locale(language).months[context][width].items():
                    names.setdefault(plain(name), number)
    return names
