"""Report templates: kept by version, shipped ones to begin with, and in and out as TOML."""

from __future__ import annotations

import difflib
import tomllib
from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from importlib import resources
from typing import Any

import tomli_w
from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Report, Site, Template, TemplateVersion
from noctilum.reports.blocks import wanted
from noctilum.wire import reports as wire
from noctilum.wire.handed import HandedTemplate


@lru_cache(maxsize=1)
def shipped() -> tuple[wire.NewTemplate, ...]:
    """Read the templates that come with the product, by name."""
    folder = resources.files("noctilum.reports") / "shipped"
    texts = [each.read_text("utf-8") for each in folder.iterdir() if each.name.endswith(".toml")]
    return tuple(sorted((from_toml(text) for text in texts), key=lambda each: each.name))


def keep_shipped(install: Install, now: datetime) -> None:
    """Put shipped templates in where there is none of their name; a changed or newer one is a new version."""
    with install.records.begin() as db:
        known = {each.name: each for each in db.scalars(select(Template))}
        for each in shipped():
            found = known.get(each.name)
            if found is None:
                found = Template(name=each.name, about=each.about, version=0, shipped=True, changed_at=now)
                db.add(found)
                db.flush()
                _put(db, found, each.body, now)
            elif found.shipped and _body(db, found) != each.body:
                _put(db, found, each.body, now)


def listed(install: Install, asked: wire.TemplatesQuery) -> list[wire.TemplateOut]:
    """List templates by name."""
    with install.records.read() as db:
        found = db.scalars(select(Template).order_by(Template.name))
        return [_out(db, each) for each in found if asked.find.lower() in each.name.lower()]


def one(install: Install, number: int) -> wire.TemplateOut:
    """Give a template as its newest version is; raises NotThere."""
    with install.records.read() as db:
        return _out(db, _found(db, number))


def named(install: Install, name: str, version: int | None = None) -> tuple[wire.ReportBody, int]:
    """Give a template's body by its name, with its version; raises NotThere."""
    with install.records.read() as db:
        return body_in(db, name, version)


def body_in(db: Session, name: str, version: int | None) -> tuple[wire.ReportBody, int]:
    """Give a template's body inside the caller's transaction, with its version; raises NotThere."""
    found = db.scalar(select(Template).where(Template.name == name))
    if found is None:
        known = ", ".join(db.scalars(select(Template.name).order_by(Template.name)))
        raise NotThere(
            "no-such-template",
            worded("There is no template {name!r}.", name=name),
            remedy=worded("one of {known}", known=known),
        )
    number = found.version if version is None else version
    return _body(db, found, number), number


def added(install: Install, asked: wire.NewTemplate, now: datetime) -> wire.TemplateOut:
    """Keep a template; raises Clash where there is one of its name, Nonsense for a block that cannot be."""
    check(asked.body)
    with install.records.begin() as db:
        if db.scalar(select(Template.id).where(Template.name == asked.name)):
            raise Clash(
                "template-exists", worded("There is a template {name!r}.", name=asked.name), remedy="change that one"
            )
        found = Template(name=asked.name, about=asked.about, version=0, shipped=False, changed_at=now)
        db.add(found)
        db.flush()
        _put(db, found, asked.body, now)
        return _out(db, found)


def changed(install: Install, number: int, asked: wire.NewTemplate, now: datetime) -> wire.TemplateOut:
    """Make a template what is asked: other blocks are a new version, and reports made from older ones stay."""
    check(asked.body)
    with install.records.begin() as db:
        found = _found(db, number)
        other = db.scalar(select(Template.id).where(Template.name == asked.name, Template.id != number))
        if other:
            raise Clash(
                "template-exists", worded("There is a template {name!r}.", name=asked.name), remedy="call it otherwise"
            )
        for report in db.scalars(select(Report).where(Report.template == found.name)):
            report.template = asked.name
        found.name, found.about = asked.name, asked.about
        if _body(db, found) != asked.body:
            found.shipped = False
            _put(db, found, asked.body, now)
        return _out(db, found)


def dropped(install: Install, number: int) -> None:
    """Drop a template; raises Clash while reports are made from it."""
    with install.records.begin() as db:
        found = _found(db, number)
        many = len(list(db.scalars(select(Report.id).where(Report.template == found.name))))
        if many:
            raise Clash(
                "template-used",
                worded("{many} reports are made from {name!r}.", many=many, name=found.name),
                remedy="drop those first",
            )
        db.delete(found)


def versions(install: Install, number: int) -> list[wire.VersionOut]:
    """List a template's versions, newest first."""
    with install.records.read() as db:
        _found(db, number)
        asked = select(TemplateVersion).where(TemplateVersion.template_id == number)
        found = db.scalars(asked.order_by(TemplateVersion.version.desc()))
        return [wire.VersionOut(version=each.version, at=each.at.isoformat(timespec="seconds")) for each in found]


def difference(install: Install, number: int, first: int, last: int | None) -> wire.TemplateDiff:
    """Tell two versions of a template apart, line for line; the newest where none is named."""
    with install.records.read() as db:
        found = _found(db, number)
        newest = found.version if last is None else last
        texts = [
            to_toml(wire.NewTemplate(name=found.name, about=found.about, body=_body(db, found, version)))
            for version in (first, newest)
        ]
    old, new = (text.splitlines() for text in texts)
    lines = list(difflib.unified_diff(old, new, lineterm="", n=2))[2:]
    return wire.TemplateDiff(name=found.name, first=first, last=newest, lines=lines)


def check(body: wire.ReportBody) -> None:
    """Raise Nonsense for a block, an option or a column that there is not."""
    for spec in body.blocks:
        wanted(spec)


def to_toml(template: wire.NewTemplate | wire.TemplateOut) -> str:
    """Write a template as TOML, what is as usual left out."""
    body = template.body
    told: dict[str, Any] = {"name": template.name, "about": template.about}
    told |= body.model_dump(mode="json", exclude={"blocks"}, exclude_defaults=True)
    told["window"], told["against"] = body.window, body.against
    head = tomli_w.dumps({name: value for name, value in told.items() if value != ""})
    return "\n".join([head, *(_block_text(each) for each in body.blocks)])


def _block_text(spec: wire.BlockSpec) -> str:
    """Write one block as a table of its own, so that versions are told apart block for block."""
    told = spec.model_dump(mode="json", exclude_defaults=True)
    options = told.pop("options", {})
    text = f"[[blocks]]\n{tomli_w.dumps(told, multiline_strings=True)}"
    return f"{text}\n[blocks.options]\n{tomli_w.dumps(options)}" if options else text


def from_toml(text: str) -> wire.NewTemplate:
    """Read a template from TOML; raises Nonsense for what is none, a field that there is not named."""
    try:
        told = tomllib.loads(text)
    except tomllib.TOMLDecodeError as why:
        raise Nonsense(
            "template-unreadable", worded("The template is no TOML: {why}.", why=why), where="template"
        ) from why
    head = {name: told.pop(name) for name in ("name", "about") if name in told}
    try:
        found = wire.NewTemplate.model_validate(head | {"body": told})
    except ValidationError as why:
        first = why.errors(include_url=False)[0]
        path = ".".join(str(step) for step in first["loc"] if step != "body")
        said = str(first["msg"]).removeprefix("Value error, ")
        raise Nonsense(
            "template-unusable",
            worded("The template cannot be used: {path}: {said}.", path=path, said=said),
            where=path,
        ) from why
    check(found.body)
    return found


def take(install: Install, text: str, now: datetime) -> wire.TemplateOut:
    """Keep a template from its TOML text; one of its name gets a new version."""
    asked = from_toml(text)
    with install.records.read() as db:
        number = db.scalar(select(Template.id).where(Template.name == asked.name))
    return added(install, asked, now) if number is None else changed(install, number, asked, now)


def _put(db: Session, found: Template, body: wire.ReportBody, now: datetime) -> None:
    found.version, found.changed_at = found.version + 1, now
    kept = body.model_dump(mode="json")
    db.add(TemplateVersion(template_id=found.id, version=found.version, body=kept, at=now))
    db.flush()


def _body(db: Session, found: Template, version: int | None = None) -> wire.ReportBody:
    number = found.version if version is None else version
    asked = select(TemplateVersion.body)
    kept = db.scalar(asked.where(TemplateVersion.template_id == found.id, TemplateVersion.version == number))
    if kept is None:
        raise NotThere(
            "no-such-version",
            worded("{name!r} has no version {number}.", name=found.name, number=number),
            remedy=worded("it has 1 to {version}", version=found.version),
        )
    return wire.ReportBody.model_validate(kept)


def _found(db: Session, number: int) -> Template:
    found = db.get(Template, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-template",
            worded("There is no template {number}.", number=number),
            remedy="list them with `noctilum templates`",
        )
    return found


def _out(db: Session, found: Template) -> wire.TemplateOut:
    return wire.TemplateOut(
        id=found.id,
        name=found.name,
        about=found.about,
        version=found.version,
        changed_at=found.changed_at.isoformat(timespec="seconds"),
        shipped=found.shipped,
        body=_body(db, found),
    )


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the templates that the site's reports are made from, as their newest versions are."""
    used = select(Report.template).where(Report.site_id == site.id)
    found = db.scalars(select(Template).where(Template.name.in_(used)).order_by(Template.name))
    return [{"name": each.name, "about": each.about, "body": _body(db, each).model_dump(mode="json")} for each in found]


def bring(db: Session, _site: Site, told: Sequence[HandedTemplate], now: datetime) -> None:
    """Keep the templates that came with a hand-over; where one of its name is there, that one stays."""
    names = set(db.scalars(select(Template.name)))
    for asked in told:
        if asked.name not in names:
            names.add(asked.name)
            check(asked.body)
            found = Template(name=asked.name, about=asked.about, version=0, shipped=False, changed_at=now)
            db.add(found)
            db.flush()
            _put(db, found, asked.body, now)
