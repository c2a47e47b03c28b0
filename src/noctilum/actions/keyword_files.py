"""Keywords from a file's text: which column is what, and which lines can be used."""

from __future__ import annotations

import csv
import io
import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from noctilum.core.errors import Nonsense, worded
from noctilum.wire import keywords as wire

WORDS: Mapping[str, tuple[str, ...]] = {
    "term": ("term", "keyword", "query", "suchbegriff", "suchanfrage", "mot cle", "requete", "palabra clave"),
    "device": ("device", "gerat", "appareil", "dispositivo"),
    "place": ("place", "town", "location", "ort", "stadt", "lieu", "ville", "lugar", "ciudad"),
    "country": ("country", "land", "pays", "pais"),
    "language": ("language", "sprache", "langue", "idioma"),
    "engine": ("engine", "suchmaschine", "moteur", "buscador"),
    "page": ("page", "url", "target", "seite", "ziel", "zielseite", "pagina"),
    "weight": ("weight", "gewicht", "poids", "peso"),
    "tags": ("tags", "tag", "group", "gruppe", "groupe", "grupo", "etiquetas"),
    "pinned": ("pinned", "angeheftet", "epingle", "fijado"),
    "note": ("note", "notiz", "nota"),
    "volume": ("volume", "searches", "search volume", "suchvolumen", "volumen"),
    "cpc": ("cpc", "cost per click", "klickpreis", "cout par clic", "coste por clic"),
    "interval": ("interval", "intervall", "intervalle", "intervalo"),
}
_YES = ("yes", "true", "1", "x", "ja", "oui", "si")


@dataclass(frozen=True)
class Line:
    """One line that can be used, or why not."""

    place: str
    given: Mapping[str, Any] | None
    why: str = ""


def folded(text: str) -> str:
    """Bring the name of a column to a form that can be compared."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return " ".join(plain.replace("_", " ").replace("-", " ").lower().split())


def read(asked: wire.AskKeywordFile) -> tuple[dict[str, str], list[str], list[Line]]:
    """Read a file: what its columns are, which are not read, its lines. Raises Nonsense for one without terms."""
    text = asked.text.removeprefix("\ufeff")
    head = text.partition("\n")[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=max(",;\t", key=head.count))
    names = list(reader.fieldnames or ())
    columns = _columns(names, asked.columns)
    if "term" not in columns.values():
        raise Nonsense(
            "no-term-column",
            worded("No column holds the keywords; there are {names}.", names=", ".join(names)[:200] or "none"),
            where="line 1",
            remedy="call it keyword, or say which it is",
        )
    return columns, [name for name in names if name not in columns], list(_lines(reader, columns, asked))


def _columns(names: list[str], told: Mapping[str, str]) -> dict[str, str]:
    found: dict[str, str] = {}
    for name in names:
        role = told.get(name) or next((role for role, words in WORDS.items() if folded(name) in words), None)
        if role and role != "ignore" and role not in found.values():
            found[name] = role
    return found


def _lines(reader: csv.DictReader[str], columns: Mapping[str, str], asked: wire.AskKeywordFile) -> Iterator[Line]:
    alike = asked.model_dump(exclude={"text", "devices", "columns", "dry_run"})
    for row in reader:
        place = f"line {reader.line_num}"
        try:
            told = {role: value for name, role in columns.items() if (value := (row.get(name) or "").strip())}
            given = alike | _typed(told)
            devices = [given["device"]] if "device" in given else asked.devices
            for device in devices:
                yield Line(place, wire.NewKeyword.model_validate(given | {"device": device}).model_dump())
        except ValidationError as why:
            first = why.errors()[0]
            yield Line(place, None, f"{'.'.join(map(str, first['loc']))}: {first['msg'].removeprefix('Value error, ')}")
        except ValueError as why:
            yield Line(place, None, str(why))


def _typed(told: Mapping[str, str]) -> dict[str, Any]:
    given: dict[str, Any] = dict(told)
    for name in ("weight", "volume"):
        if name in told:
            given[name] = _whole(name, told[name])
    if "cpc" in told:
        given["cpc"] = _price(told["cpc"])
    if "tags" in told:
        given["tags"] = [part.strip() for part in told["tags"].replace(";", ",").split(",") if part.strip()]
    if "pinned" in told:
        given["pinned"] = told["pinned"].lower() in _YES
    for name in ("device", "interval", "language"):
        if name in told:
            given[name] = told[name].lower()
    if "country" in told:
        given["country"] = told["country"].upper()
    return given


def _whole(name: str, text: str) -> int:
    plain = text.replace(" ", "").replace("\u202f", "").replace("\xa0", "")
    for mark in (",", "."):
        head, *groups = plain.split(mark)
        if groups and all(len(group) == 3 for group in groups) and head:
            plain = "".join((head, *groups))
    if not plain.isdecimal():
        raise ValueError(f"{name}: {text[:40]!r} is no whole number")
    return int(plain)


def _price(text: str) -> float:
    plain = text.strip("€£$ \xa0")
    if "," in plain and "." not in plain:
        plain = plain.replace(",", ".")
    try:
        return float(plain)
    except ValueError:
        raise ValueError(f"cpc: {text[:40]!r} is no price") from None
