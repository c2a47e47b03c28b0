"""Settings: what an install is told, by file, environment or command line, all of it checked."""

from __future__ import annotations

import dataclasses
import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from noctilum.core.errors import Nonsense, worded

FILE_NAME = "noctilum.toml"

Count = Annotated[int, Field(ge=1, le=256)]


@dataclass(frozen=True)
class Settings:
    """Hold what an install is told. Each field's description is its documentation."""

    data: Annotated[Path, Field(description="the install's one folder")]
    host: Annotated[str, Field(min_length=1, description="where the service listens")] = "127.0.0.1"
    port: Annotated[int, Field(ge=1, le=65535, description="where the service listens")] = 8417
    web_workers: Annotated[Count, Field(description="processes that answer requests")] = 2
    web_threads: Annotated[Count, Field(description="requests each of them answers at once")] = 6
    jobs_at_once: Annotated[Count, Field(description="pulls, imports and other jobs done at once")] = 2
    pull_concurrency: Annotated[Count, Field(description="days a pull fetches at once")] = 4
    per_provider: Annotated[Count, Field(description="pulls from one provider at once")] = 2
    feed_seconds: Annotated[
        float,
        Field(ge=0.1, le=3600, description="seconds one answer of a feed may take in the background"),
    ] = 60.0
    cache_mb: Annotated[
        int, Field(ge=8, le=65536, description="decoded columns each web process keeps, in megabytes")
    ] = 160
    answers_mb: Annotated[
        int, Field(ge=1, le=65536, description="answers each web process keeps until the next change, in megabytes")
    ] = 48
    most_upload: Annotated[int, Field(ge=1 << 20, description="the largest file that may be sent, in bytes")] = 8 << 30
    https: Annotated[bool, Field(description="the console is reached by https only; its cookie says so")] = False
    public_url: Annotated[
        str,
        Field(
            max_length=300,
            pattern=r"^(https?://[A-Za-z0-9.:\[\]-]+/?)?$",
            description="the address the service is reached at from outside, like https://noctilum.example",
        ),
    ] = ""
    portal_url: Annotated[
        str,
        Field(
            max_length=300,
            pattern=r"^(https?://[A-Za-z0-9.:\[\]-]+/?)?$",
            description="the address that clients reach shared pages and mails' links at; public_url without",
        ),
    ] = ""
    proxy: Annotated[
        str, Field(max_length=60, description="the address of a reverse proxy whose X-Forwarded headers are believed")
    ] = ""
    inside_hosts: Annotated[
        str,
        Field(
            max_length=2000,
            description="hosts, addresses or ranges inside the network that feeds may be at, comma between them",
        ),
    ] = ""
    agency: Annotated[str, Field(max_length=200, description="what reports call the agency")] = "the agency"
    mail_host: Annotated[str, Field(max_length=300, description="the SMTP server that mail is handed to")] = ""
    mail_port: Annotated[int, Field(ge=1, le=65535, description="its port")] = 587
    mail_security: Annotated[
        Literal["none", "starttls", "tls"], Field(description="how the connection to it is kept private")
    ] = "starttls"
    mail_ca: Annotated[
        Path | None, Field(description="a PEM file of whom to trust besides, for a server of one's own")
    ] = None
    mail_user: Annotated[str, Field(max_length=300, description="whom to sign in as; nobody without")] = ""
    mail_password: Annotated[str, Field(max_length=1000, description="with which password")] = ""
    mail_from: Annotated[
        str, Field(max_length=300, pattern=r"^([^\s@<>]+@[^\s@<>]+)?$", description="the address that mail comes from")
    ] = ""
    mail_in_doubt: Annotated[
        Literal["again", "hold"],
        Field(description="what becomes of a mail of which a crash left unknown whether it arrived"),
    ] = "again"
    log_level: Annotated[
        Literal["debug", "info", "warning", "error"], Field(description="how much is written to the log")
    ] = "info"
    backup_to: Annotated[Path | None, Field(description="where a backup is made every night; none without")] = None
    backup_at: Annotated[str, Field(pattern=r"^([01]?\d|2[0-3]):[0-5]\d$", description="when, in UTC, as 03:00")] = (
        "03:00"
    )
    backup_keep: Annotated[int, Field(ge=1, le=1000, description="how many nightly backups are kept")] = 14

    @property
    def is_https(self) -> bool:
        """Whether browsers reach the service by https."""
        return self.https or self.public_url.startswith("https://")

    @property
    def portal(self) -> str:
        """The address that links for clients begin with, without a slash at its end."""
        return (self.portal_url or self.public_url).rstrip("/")

    @property
    def inside(self) -> tuple[str, ...]:
        """What feeds may be at inside the network, one by one."""
        return tuple(part.strip().lower() for part in self.inside_hosts.split(",") if part.strip())


FIELDS = {field.name: field for field in dataclasses.fields(Settings)}


def variable(name: str) -> str:
    """Name the environment variable of a setting.

    >>> variable("web_threads")
    'NOCTILUM_WEB_THREADS'
    """
    return f"NOCTILUM_{name.upper()}"


@dataclasses.dataclass(frozen=True)
class Setting:
    """One setting as it stands: its value, where that comes from, and what it means."""

    name: str
    value: Any
    comes_from: str
    meaning: str


def settings_from(environment: Mapping[str, str], **given: object) -> Settings:
    """Read settings: given values win over the environment, that over the file, that over what is usual.

    The file is noctilum.toml in the data folder, or the one NOCTILUM_CONFIG names. Raises Nonsense
    naming the variable, or the file's line, at fault.
    """
    return _settled(environment, given)[0]


def _settled(environment: Mapping[str, str], given: Mapping[str, object]) -> tuple[Settings, dict[str, str]]:
    told = {name: value for name, value in given.items() if value is not None}
    from_environment = {name: environment[variable(name)] for name in FIELDS if variable(name) in environment}
    data = Path(str(told.get("data") or from_environment.get("data") or "noctilum-data"))
    path = Path(environment["NOCTILUM_CONFIG"]) if "NOCTILUM_CONFIG" in environment else data / FILE_NAME
    in_file = _read(path, wanted="NOCTILUM_CONFIG" in environment)
    places = {name: f"{path} line {_line_of(path, name)}" for name in in_file}
    places |= {name: variable(name) for name in from_environment} | dict.fromkeys(told, "the command line")
    values: dict[str, Any] = {"data": data} | in_file | from_environment | told
    try:
        return TypeAdapter(Settings).validate_python(values), places
    except ValidationError as why:
        raise _unusable(why, values, places) from why


def _unusable(why: ValidationError, values: Mapping[str, Any], places: Mapping[str, str]) -> Nonsense:
    first = why.errors(include_url=False)[0]
    name = str(first["loc"][0])
    return Nonsense(
        "setting-unusable",
        worded(
            "{name} is {name2!r}, which cannot be used: {first}.",
            name=name,
            name2=_shown(name, values.get(name)),
            first=first["msg"].lower(),
        ),
        where=places.get(name, name),
        remedy=worded("{name}; see `noctilum settings`", name=_meaning(name)),
    )


def _read(path: Path, *, wanted: bool) -> dict[str, Any]:
    if not path.exists():
        if wanted:
            raise Nonsense(
                "no-such-file", worded("There is no settings file {path}.", path=path), where="NOCTILUM_CONFIG"
            )
        return {}
    try:
        found = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as why:
        raise Nonsense(
            "settings-unreadable", worded("The settings file cannot be read: {why}.", why=why), where=str(path)
        ) from why
    for name in found:
        if name not in FIELDS:
            known = ", ".join(sorted(FIELDS))
            where = f"{path} line {_line_of(path, name)}"
            raise Nonsense(
                "no-such-setting",
                worded("There is no setting {name!r}.", name=name),
                where=where,
                remedy=worded("one of {known}", known=known),
            )
    if "data" in found:
        where = f"{path} line {_line_of(path, 'data')}"
        raise Nonsense("setting-misplaced", "The data folder cannot be set in a file inside it.", where=where)
    return found


def _line_of(path: Path, name: str) -> int:
    """Find the line of a file that sets a name; 1 when it cannot be told."""
    for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), start=1):
        if re.match(rf"\s*[\"']?{re.escape(name)}[\"']?\s*[=.\]]|\s*\[+\s*{re.escape(name)}", line):
            return number
    return 1


def listed(environment: Mapping[str, str], **given: object) -> list[Setting]:
    """List every setting with its value, where that comes from and what it means."""
    found, places = _settled(environment, given)
    return [
        Setting(name, _shown(name, getattr(found, name)), places.get(name, "usual"), _meaning(name)) for name in FIELDS
    ]


def _shown(name: str, value: Any) -> Any:
    """Show a setting's value, never a secret."""
    return "(set)" if name.endswith("password") and value else value


def _meaning(name: str) -> str:
    schema = TypeAdapter(Settings).json_schema()["properties"].get(name, {})
    return str(schema.get("description", name))


def environment_of(settings: Settings) -> dict[str, str]:
    """Write settings as environment variables, for child processes."""
    values = {name: getattr(settings, name) for name in FIELDS}
    found = {variable(name): str(value) for name, value in values.items() if value is not None}
    return found | {"NOCTILUM_DATA": str(settings.data.absolute())}
