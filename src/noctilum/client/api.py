"""Noctilum's API as a Python class."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from datetime import date
from pathlib import Path
from types import TracebackType
from typing import Any, Literal, TypeVar
from urllib.parse import quote

from pydantic import BaseModel

from noctilum.client._readings import Readings
from noctilum.client.asking import Asking, key_of, plain
from noctilum.client.reports import Reports
from noctilum.client.transport import Transport
from noctilum.wire import alert_rules as ar
from noctilum.wire import alerts as al
from noctilum.wire import captures as c
from noctilum.wire import competitors as v
from noctilum.wire import digests as dg
from noctilum.wire import explain as e
from noctilum.wire import grids as g
from noctilum.wire import imports as i
from noctilum.wire import keywords as k
from noctilum.wire import monthly as mo
from noctilum.wire import noted as n
from noctilum.wire import operating as o
from noctilum.wire import people as p
from noctilum.wire import readings as r
from noctilum.wire import setup as s
from noctilum.wire import targets as tg
from noctilum.wire import trials as x
from noctilum.wire import work as w
from noctilum.wire.about import DatasetAbout, ReadingAbout
from noctilum.wire.breaks import Rule
from noctilum.wire.catalogue import READINGS
from noctilum.wire.fleet import Fleet
from noctilum.wire.jobs import RESULTS
from noctilum.wire.places import PlaceOut, Town
from noctilum.wire.portfolio import Portfolio

M = TypeVar("M", bound=BaseModel)
Window = str


class Noctilum(Readings, Reports, Asking):
    """Talk to a Noctilum service.

    url: like http://127.0.0.1:8417. token: made with `noctilum token`. Every method raises
    ConnectionFault when the service cannot be reached and ProblemFault when it says no.

        with Noctilum("http://127.0.0.1:8417", token) as noctilum:
            for row in noctilum.breakdown("skerryferries.example", "query").rows:
                print(row.key, row.now.clicks)
    """

    def __init__(self, url: str, token: str, *, timeout: float = 60.0) -> None:
        self._transport = Transport(url, token, timeout)

    def __enter__(self) -> Noctilum:
        return self

    def __exit__(self, kind: type[BaseException] | None, why: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Let go of connections."""
        self._transport.close()

    # people

    def users(self) -> list[p.UserOut]:
        """List who may sign in."""
        return self._list(p.UserOut, "/users")

    def add_user(self, user: p.NewUser) -> p.UserOut:
        """Add somebody who may sign in."""
        return self._post(p.UserOut, "/users", user)

    def change_user(self, user: int, change: p.UserChange) -> p.UserOut:
        """Change a user's name, role or password."""
        answer = self._transport.send("PATCH", f"/users/{user}", body=plain(change))
        return p.UserOut.model_validate_json(answer.content)

    def drop_user(self, user: int) -> None:
        """Remove a user; their tokens and sign-ins end at once."""
        self._transport.send("DELETE", f"/users/{user}")

    def speak(self, language: str) -> None:
        """Choose the language one reads in: en, de, fr or es; empty: the one the browser asks for."""
        self._transport.send("PATCH", "/me", body={"language": language})

    def change_password(self, change: p.PasswordChange) -> None:
        """Change one's own password; one's sign-ins end."""
        self._transport.send("PUT", "/me/password", body=plain(change))

    def passkeys(self) -> list[p.PasskeyOut]:
        """List one's passkeys; they are made in the console, by a device."""
        return self._list(p.PasskeyOut, "/me/passkeys")

    def drop_passkey(self, passkey: int) -> None:
        """Let a passkey sign in no longer."""
        self._transport.send("DELETE", f"/me/passkeys/{passkey}")

    def tokens(self) -> list[p.TokenOut]:
        """List one's tokens; an owner sees everybody's."""
        return self._list(p.TokenOut, "/tokens")

    def add_token(self, token: p.NewToken) -> p.TokenMade:
        """Make a token; it is shown this once."""
        return self._post(p.TokenMade, "/tokens", token)

    def drop_token(self, token: int) -> None:
        """Revoke a token."""
        self._transport.send("DELETE", f"/tokens/{token}")

    def sign_ins(self) -> list[p.SignInOut]:
        """List where one is signed in to the console; an owner sees everybody."""
        return self._list(p.SignInOut, "/sign-ins")

    def end_sign_in(self, sign_in: int) -> None:
        """End a sign-in."""
        self._transport.send("DELETE", f"/sign-ins/{sign_in}")

    def end_sign_ins(self) -> int:
        """End all of one's own sign-ins; returns how many."""
        return p.Ended.model_validate_json(self._transport.send("DELETE", "/sign-ins").content).ended

    # setting up

    def me(self) -> s.Me:
        """Say whose token this is."""
        return self._get(s.Me, "/me")

    def health(self) -> s.Health:
        """Say whether the service works, also when it does not."""
        return s.Health.model_validate_json(self._transport.send("GET", "/health", also=(503,)).content)

    def clients(self) -> list[s.Client]:
        """List clients."""
        return self._list(s.Client, "/clients")

    def add_client(self, client: s.NewClient) -> s.Client:
        """Add a client."""
        return self._post(s.Client, "/clients", client)

    def sites(self) -> list[s.SiteSummary]:
        """List sites."""
        return self._list(s.SiteSummary, "/sites")

    def site(self, site: str) -> s.Site:
        """Show a site with its sources."""
        return self._get(s.Site, f"/sites/{key_of(site)}")

    def add_site(self, client: str, site: s.NewSite) -> s.Site:
        """Add a site to a client."""
        return self._post(s.Site, f"/clients/{key_of(client)}/sites", site)

    def properties(self, credential: s.Credential) -> list[s.Property]:
        """List what a credential can see at a feed; nothing is kept."""
        return self._list(s.Property, "/properties", credential)

    def try_feed(self, asked: s.AskTry) -> s.Tried:
        """Fetch one day of a feed that is not connected, as it comes and as it would be kept."""
        return self._post(s.Tried, "/tries", asked)

    def begin_grant(self, asked: s.AskGrant) -> s.GrantBegun:
        """Say where to send somebody who is to grant access."""
        return self._post(s.GrantBegun, "/grants", asked)

    def grant(self, name: str) -> s.Grant:
        """Say what a grant was begun for, and whether somebody has agreed."""
        return self._get(s.Grant, f"/grants/{name}")

    def add_source(self, site: str, source: s.NewSource) -> s.Source:
        """Connect a property to a site."""
        return self._post(s.Source, f"/sites/{key_of(site)}/sources", source)

    def sources(self) -> list[s.Source]:
        """List sources with what is held of them."""
        return self._list(s.Source, "/sources")

    def source(self, source: int) -> s.Source:
        """Show a source with what is held of it."""
        return self._get(s.Source, f"/sources/{source}")

    def start_pull(self, source: int) -> s.Job:
        """Queue a pull of every day due, or give the one that is waiting or running."""
        return self._post(s.Job, f"/sources/{source}/pulls")

    def refill(self, source: int, span: s.PullSpan) -> s.Job:
        """Ask a source again for the gaps of a span, or for all of its days."""
        return self._post(s.Job, f"/sources/{source}/refills", span)

    def change_source(self, source: int, change: s.SourceChange) -> s.Source:
        """Change a source's schedule, pause it, enter its secret again, or read it apart."""
        answer = self._transport.send("PATCH", f"/sources/{source}", body=plain(change))
        return s.Source.model_validate_json(answer.content)

    def add_file_source(self, site: str, source: s.NewFileSource) -> s.Source:
        """Give a site a source that only gets files."""
        return self._post(s.Source, f"/sites/{key_of(site)}/file-sources", source)

    def notices(self) -> list[s.Notice]:
        """List the notices nobody has seen yet."""
        return self._list(s.Notice, "/notices")

    def see_notice(self, notice: int) -> None:
        """Mark a notice as seen."""
        self._transport.send("DELETE", f"/notices/{notice}")

    def stop_job(self, job: int) -> s.Job:
        """Cancel a job: at once while it waits, at its next step while it runs."""
        return s.Job.model_validate_json(self._transport.send("DELETE", f"/jobs/{job}").content)

    def result(self, job: s.Job) -> BaseModel:
        """Give what a job came to, as the model of its name; raises LookupError for one that is not done."""
        if job.state != "done" or job.name not in RESULTS:
            raise LookupError(f"job {job.id}, {job.name}, has no result")
        return RESULTS[job.name].model_validate(job.result)

    def jobs(self) -> list[s.Job]:
        """List the newest jobs."""
        return self._list(s.Job, "/jobs")

    def job(self, job: int) -> s.Job:
        """Show a job."""
        return self._get(s.Job, f"/jobs/{job}")

    def follow(self, job: s.Job, *, every: float = 0.5) -> Iterator[s.Job]:
        """Give a job again and again until it has ended; the last one given is done or failed."""
        while True:
            yield job
            if job.state in ("done", "failed", "cancelled"):
                return
            time.sleep(every)
            job = self.job(job.id)

    # files

    def upload(self, path: Path) -> i.Upload:
        """Send a file; it waits to be imported."""
        with path.open("rb") as stream:
            answer = self._transport.send("POST", "/uploads", params={"name": path.name}, content=stream)
        return i.Upload.model_validate_json(answer.content)

    def preview(self, asked: i.AskPreview) -> i.ImportPreview:
        """Look at an uploaded file; nothing is kept."""
        return self._post(i.ImportPreview, "/previews", asked)

    def start_import(self, source: int, asked: i.AskImport) -> s.Job:
        """Queue an import of uploaded files; follow the job, its result is an ImportDone."""
        return self._post(s.Job, f"/sources/{source}/imports", asked)

    def rejects(self, job: int) -> bytes:
        """Get the rejected rows of an import as CSV."""
        return self._transport.send("GET", f"/jobs/{job}/rejects").content

    def mappings(self) -> list[i.NamedMapping]:
        """List the mappings kept under a name."""
        return self._list(i.NamedMapping, "/mappings")

    def keep_mapping(self, name: str, mapping: i.Mapping) -> i.NamedMapping:
        """Keep a mapping under a name."""
        answer = self._transport.send("PUT", f"/mappings/{quote(name, safe='')}", body=plain(mapping))
        return i.NamedMapping.model_validate_json(answer.content)

    def forget_mapping(self, name: str) -> None:
        """Forget a kept mapping."""
        self._transport.send("DELETE", f"/mappings/{quote(name, safe='')}")

    # operating

    def start_export(self, site: str, asked: o.AskExport) -> s.Job:
        """Queue an export; follow the job, then fetch its file."""
        return self._post(s.Job, f"/sites/{key_of(site)}/exports", asked)

    def start_hand_over(self, site: str) -> s.Job:
        """Queue a hand-over; follow the job, then fetch its file."""
        return self._post(s.Job, f"/sites/{key_of(site)}/hand-overs")

    def fetch(self, job: int, to: Path) -> int:
        """Fetch the file a job made; returns its size in bytes."""
        return self._transport.save(f"/jobs/{job}/file", to)

    def bring_in(self, asked: o.AskBringIn) -> o.BroughtIn:
        """Take an uploaded hand-over file in."""
        return self._post(o.BroughtIn, "/hand-overs", asked)

    def start_verify(self, asked: o.AskVerify) -> s.Job:
        """Queue a check of everything held; the job's result is a VerifyDone."""
        return self._post(s.Job, "/verifies", asked)

    def change_site(self, site: str, change: s.SiteChange) -> s.Site:
        """Change the words that name the client in a query."""
        answer = self._transport.send("PATCH", f"/sites/{key_of(site)}", body=plain(change))
        return s.Site.model_validate_json(answer.content)

    def change_client(self, client: str, change: o.ClientChange) -> s.Client:
        """Say how long a client's history is kept."""
        answer = self._transport.send("PATCH", f"/clients/{key_of(client)}", body=plain(change))
        return s.Client.model_validate_json(answer.content)

    def erase(self, kind: Literal["client", "site", "source"], key: str, confirm: str) -> o.Erased:
        """Delete for good; confirm: the key again."""
        answer = self._transport.send("DELETE", f"/{kind}s/{key_of(key)}", params={"confirm": confirm})
        return o.Erased.model_validate_json(answer.content)

    def erasures(self) -> list[o.Erased]:
        """List what was deleted for good."""
        return self._list(o.Erased, "/erasures")

    def metrics(self) -> str:
        """Read metrics in the OpenMetrics format."""
        return self._transport.send("GET", "/metrics").text

    # readings

    def read(self, reading: str, site: str, **asked: Any) -> Any:
        """Ask for a reading by its name, with the parameters of its address; raises ProblemFault as every method.

        Raises LookupError for a reading that this version of the library does not know.
        """
        spec = READINGS[reading]
        fields = spec.question.model_fields
        words = {name: quote(str(asked.pop(name, fields[name].default)), safe="") for name in spec.words}
        params = {n: _joined(v) for n, v in asked.items() if n not in fields or v != fields[n].default}
        return self._get(spec.answer, f"/sites/{key_of(site)}/{spec.address.format(**words)}", **params)

    def readings(self, *, language: str = "en") -> list[ReadingAbout]:
        """List what readings there are, with their parameters and columns."""
        return self._list(ReadingAbout, "/readings", language=language)

    def datasets(self, *, language: str = "en") -> list[DatasetAbout]:
        """List what datasets there are, with what tells their rows apart and how each figure adds up."""
        return self._list(DatasetAbout, "/datasets", language=language)

    def portfolio(self) -> Portfolio:
        """Read all sites at a glance."""
        return self._get(Portfolio, "/portfolio")

    def all_rows(self, site: str, dimension: r.Dimension, *, at_once: int = 500, **asked: object) -> Iterator[r.Row]:
        """Give every row of a breakdown, page by page; asked takes what breakdown takes."""
        path: str | None = f"/sites/{key_of(site)}/breakdown/{dimension}"
        params: dict[str, object] | None = {"limit": at_once, **asked}
        while path:
            answer = self._transport.send("GET", path, params=params)
            yield from r.Breakdown.model_validate_json(answer.content).rows
            path = answer.links.get("next", {}).get("url", "").removeprefix("/api/v1") or None
            params = None

    # sets and notes

    def sets(self, client: str | None = None) -> list[n.SetOut]:
        """List saved sets; with a client, those its sites may name."""
        return self._list(n.SetOut, "/sets", client=client)

    def save_set(self, asked: n.NewSet) -> n.SetOut:
        """Keep a set, in the place of the one with its name; that one as it was seen, so that no change is lost."""
        kept = [each for each in self.sets() if (each.name, each.client) == (asked.name, asked.client)]
        if not kept:
            return self._post(n.SetOut, "/sets", asked)
        told = {"item": asked.item, "rule": asked.rule, "members": list(asked.members)}
        return self.change_set(kept[0].id, seen=kept[0], **told)

    def change_set(self, number: int, *, seen: n.SetOut | None = None, **changes: object) -> n.SetOut:
        """Change a set; what is not named stays. seen: as it was seen, so that nobody else's change is undone."""
        return self._change("sets", n.SetOut, number, seen, changes)

    def drop_set(self, number: int) -> None:
        """Delete a set."""
        self._transport.send("DELETE", f"/sets/{number}")

    def try_filter(self, site: str, filter: str, item: e.Item = "query") -> n.FilterTry:
        """Say what a filter means on a site, with samples."""
        return self._get(n.FilterTry, f"/sites/{key_of(site)}/try-filter", filter=filter, item=item)

    def try_brand(self, site: str, terms: str | None = None, texts: Sequence[str] = ()) -> n.BrandTry:
        """Say what brand terms find on a site, those in use without terms; and which of some texts are brand."""
        return self._get(n.BrandTry, f"/sites/{key_of(site)}/try-brand", terms=terms, text="\n".join(texts))

    def notes(self, site: str | None = None, *, first: date | None = None, last: date | None = None) -> list[n.NoteOut]:
        """List dated notes, newest first; with a site, those that concern it."""
        return self._list(n.NoteOut, "/notes", site=site, first=first, last=last)

    def add_note(self, note: n.NewNote) -> n.NoteOut:
        """Keep a dated note."""
        return self._post(n.NoteOut, "/notes", note)

    def take_notes(self, asked: n.AskNotes) -> n.NotesTaken:
        """Take dated notes from CSV or iCalendar."""
        return self._post(n.NotesTaken, "/notes/import", asked)

    def change_note(self, number: int, *, seen: n.NoteOut | None = None, **changes: object) -> n.NoteOut:
        """Change a dated note; what is not named stays. seen: as for a set."""
        return self._change("notes", n.NoteOut, number, seen, changes)

    def drop_note(self, number: int) -> None:
        """Delete a dated note."""
        self._transport.send("DELETE", f"/notes/{number}")

    # worklist

    def work(
        self,
        site: str | None = None,
        *,
        client: str | None = None,
        owner: str | None = None,
        state: str = "all",
        find: str = "",
    ) -> list[w.WorkOut]:
        """List items of the worklist, open ones first by when they are due. state: open is to do and doing."""
        return self._list(w.WorkOut, "/work", site=site, client=client, owner=owner, state=state, find=find)

    def add_work(self, asked: w.NewWork) -> w.WorkOut:
        """Put something on the worklist."""
        return self._post(w.WorkOut, "/work", asked)

    def take_work(self, asked: w.ManyWork) -> w.WorkTaken:
        """Put the same on the worklist about several pages, queries, keywords or sets."""
        return self._post(w.WorkTaken, "/worklist", asked)

    def change_work(self, number: int, *, seen: w.WorkOut | None = None, **changes: object) -> w.WorkOut:
        """Change an item; what is not named stays. seen: as for a set."""
        return self._change("work", w.WorkOut, number, seen, changes)

    def drop_work(self, number: int) -> None:
        """Delete an item, with the note that it set."""
        self._transport.send("DELETE", f"/work/{number}")

    def work_calendar(self, **asked: str) -> bytes:
        """Write items as to-dos of a calendar (RFC 5545); asked: as for work."""
        return self._transport.send("GET", "/worklist.ics", params=asked).content

    def calendar_address(self) -> str:
        """Make the address at which a calendar reads one's open items; one made before leads nowhere from then on."""
        return self._post(w.CalendarOut, "/me/calendar", None).address

    # the monthly check

    def months(self, month: str | None = None) -> list[mo.MonthlyAtAGlance]:
        """Say of every client how far its month, as 2026-02, was gone through; the last whole one without."""
        return self._list(mo.MonthlyAtAGlance, "/monthly", month=month)

    def month(self, client: str, month: str | None = None) -> mo.Monthly:
        """Give the steps of a client's month, who went through which and when, and its editions."""
        return self._get(mo.Monthly, f"/clients/{key_of(client)}/monthly", month=month)

    def see_to_month(self, client: str, step: str, *, done: bool = True, month: str | None = None) -> mo.Monthly:
        """Note that a step of a client's month was gone through, or not after all."""
        asked = mo.MonthlyChange.model_validate({"step": step, "done": done})
        path = f"/clients/{key_of(client)}/monthly"
        answer = self._transport.send("PATCH", path, body=plain(asked), params={"month": month} if month else None)
        return mo.Monthly.model_validate_json(answer.content)

    # alerts

    def alerts(
        self,
        site: str | None = None,
        *,
        client: str | None = None,
        state: str = "calling",
        language: str = "en",
    ) -> list[al.AlertOut]:
        """List what calls out, the newest first; state: calling, open, acknowledged, snoozed, muted, closed, all."""
        return self._list(al.AlertOut, "/alerts", site=site, client=client, state=state, language=language)

    def see_to_alert(self, number: int, state: str, *, until: date | None = None, reason: str = "") -> al.AlertOut:
        """Acknowledge an alert, snooze it until a day, mute it with a reason, or let it call again (open)."""
        asked = al.AlertChange.model_validate({"state": state, "until": until, "reason": reason})
        answer = self._transport.send("PATCH", f"/alerts/{number}", body=plain(asked))
        return al.AlertOut.model_validate_json(answer.content)

    def alert_rules(self, site: str | None = None) -> list[ar.AlertRuleOut]:
        """List the rules of alerts that somebody keeps, by name: own ones, and changes of those that ship."""
        return self._list(ar.AlertRuleOut, "/alert-rules", site=site)

    def shipped_alert_rules(self) -> list[Rule]:
        """List the rules of alerts that ship, as they are asked where nobody changed them."""
        return self._list(Rule, "/alert-rules/shipped")

    def add_alert_rule(self, asked: ar.NewAlertRule) -> ar.AlertRuleOut:
        """Keep a rule of alerts; under a shipped rule's name it changes that one."""
        return self._post(ar.AlertRuleOut, "/alert-rules", asked)

    def change_alert_rule(self, number: int, *, seen: ar.AlertRuleOut | None = None, **changes: Any) -> ar.AlertRuleOut:
        """Change a rule; what is not named stays. seen: refused when somebody changed it since."""
        return self._change("alert-rules", ar.AlertRuleOut, number, seen, changes)

    def drop_alert_rule(self, number: int) -> None:
        """Delete a rule; of a shipped one this brings it back as it ships."""
        self._transport.send("DELETE", f"/alert-rules/{number}")

    def fleet(self) -> Fleet:
        """Show days on which many sites moved at once: an engine update, probably."""
        return self._get(Fleet, "/fleet")

    def alerts_feed(self) -> str:
        """Give the address at which a program reads one's alerts as an Atom feed (RFC 4287)."""
        return self._post(al.FeedOut, "/me/alerts-feed").address

    def digest(self) -> dg.DigestOut:
        """Say how one is mailed what calls out, and when next."""
        return self._get(dg.DigestOut, "/me/digest")

    def change_digest(self, every: str, **how: Any) -> dg.DigestOut:
        """Be mailed what calls out every day or week, or not at all (off); how: as of DigestChange."""
        asked = dg.DigestChange.model_validate({"every": every, **how})
        answer = self._transport.send("PUT", "/me/digest", body=plain(asked))
        return dg.DigestOut.model_validate_json(answer.content)

    def look_for_alerts(self, site: str) -> s.Job:
        """Start looking what calls out on a site."""
        return self._post(s.Job, f"/sites/{key_of(site)}/alerts")

    # trials

    def trials(self, site: str | None = None) -> list[x.TrialOut]:
        """List trials, the newest first."""
        return self._list(x.TrialOut, "/trials", site=site)

    def add_trial(self, asked: x.NewTrial) -> x.TrialOut:
        """Plan a trial."""
        return self._post(x.TrialOut, "/trials", asked)

    def change_trial(self, number: int, *, seen: x.TrialOut | None = None, **changes: object) -> x.TrialOut:
        """Change a trial; what is not named stays. seen: as for a set."""
        return self._change("trials", x.TrialOut, number, seen, changes)

    def drop_trial(self, number: int) -> None:
        """Delete a trial."""
        self._transport.send("DELETE", f"/trials/{number}")

    # targets

    def targets(self, site: str | None = None) -> list[tg.TargetOut]:
        """List targets, the next to be reached first."""
        return self._list(tg.TargetOut, "/targets", site=site)

    def add_target(self, asked: tg.NewTarget) -> tg.TargetOut:
        """Set a target."""
        return self._post(tg.TargetOut, "/targets", asked)

    def change_target(self, number: int, *, seen: tg.TargetOut | None = None, **changes: object) -> tg.TargetOut:
        """Change a target; what is not named stays. seen: as for a set."""
        return self._change("targets", tg.TargetOut, number, seen, changes)

    def drop_target(self, number: int) -> None:
        """Delete a target."""
        self._transport.send("DELETE", f"/targets/{number}")

    # ranks

    def keywords(
        self, site: str | None = None, *, tag: str | None = None, find: str | None = None
    ) -> list[k.KeywordOut]:
        """List tracked keywords, those followed closely first."""
        return self._list(k.KeywordOut, "/keywords", site=site, tag=tag, find=find)

    def add_keyword(self, asked: k.NewKeyword) -> k.KeywordOut:
        """Track a keyword."""
        return self._post(k.KeywordOut, "/keywords", asked)

    def take_keywords(self, asked: k.AskKeywords) -> k.KeywordsTaken:
        """Track many keywords at once, or with dry_run only say what they would cost."""
        return self._post(k.KeywordsTaken, "/keywords/take", asked)

    def import_keywords(self, asked: k.AskKeywordFile) -> k.KeywordFileTaken:
        """Track the keywords of a CSV file's text."""
        return self._post(k.KeywordFileTaken, "/keywords/import", asked)

    def change_keyword(self, number: int, *, seen: k.KeywordOut | None = None, **changes: object) -> k.KeywordOut:
        """Change a keyword; what is not named stays. seen: as for a set."""
        return self._change("keywords", k.KeywordOut, number, seen, changes)

    def change_keywords(self, asked: k.ChangeKeywords) -> k.KeywordsChanged:
        """Change many keywords alike, or track them no more."""
        return self._post(k.KeywordsChanged, "/keywords/change", asked)

    def drop_keyword(self, number: int) -> None:
        """Track a keyword no more; what was found stays in the history."""
        self._transport.send("DELETE", f"/keywords/{number}")

    def lookup_cost(self, site: str) -> k.Cost:
        """Say what a site's keywords need in lookups."""
        return self._get(k.Cost, f"/sites/{key_of(site)}/lookup-cost")

    def places(self, find: str, *, country: str | None = None, limit: int = 12) -> list[PlaceOut]:
        """Find a place to look up from by its name: countries, regions and towns, the agency's own first."""
        return self._list(PlaceOut, "/places", find=find, country=country, limit=limit)

    def towns(self, names: Sequence[str], *, country: str | None = None) -> list[Town]:
        """Say where towns lie, by their whole names; those that are not known are left out."""
        return self._list(Town, "/places/towns", town=";".join(names), country=country)

    def keyword_suggestions(self, site: str, *, window: Window = "P84D", most: int = 50) -> list[k.Suggestion]:
        """Suggest queries the site is shown for and does not track, the most useful first."""
        return self._list(k.Suggestion, f"/sites/{key_of(site)}/keyword-suggestions", window=window, most=most)

    def start_checks(self, site: str, numbers: Sequence[int] | None = None) -> s.Job:
        """Look up keywords now: those of some numbers, all that are due without."""
        asked = k.AskChecks(numbers=None if numbers is None else list(numbers))
        return self._post(s.Job, f"/sites/{key_of(site)}/checks", asked)

    def captures(self, keyword: int) -> list[c.CaptureLine]:
        """List the kept result pages of a keyword, newest first."""
        return self._list(c.CaptureLine, f"/keywords/{keyword}/captures")

    def capture(self, site: str, number: int) -> c.Capture:
        """Open a kept result page."""
        return self._get(c.Capture, f"/sites/{key_of(site)}/captures/{number}")

    def grids(self, site: str | None = None) -> list[g.GridOut]:
        """List the local grids of sites."""
        return self._list(g.GridOut, "/grids", site=site)

    def add_grid(self, asked: g.NewGrid) -> g.GridOut:
        """Look a term up from points around a place."""
        return self._post(g.GridOut, "/grids", asked)

    def change_grid(self, number: int, *, seen: g.GridOut | None = None, **changes: object) -> g.GridOut:
        """Change a grid; what is not named stays. seen: as for a set."""
        return self._change("grids", g.GridOut, number, seen, changes)

    def drop_grid(self, number: int) -> None:
        """Look a grid up no more; what was found stays in the history."""
        self._transport.send("DELETE", f"/grids/{number}")

    def change_competitor(
        self, number: int, *, seen: v.CompetitorOut | None = None, **changes: object
    ) -> v.CompetitorOut:
        """Change a competitor; what is not named stays. seen: as for a set."""
        return self._change("competitors", v.CompetitorOut, number, seen, changes)

    def competitors(self, site: str | None = None) -> list[v.CompetitorOut]:
        """List the domains that sites are set beside."""
        return self._list(v.CompetitorOut, "/competitors", site=site)

    def add_competitor(self, asked: v.NewCompetitor) -> v.CompetitorOut:
        """Name a competitor of a site."""
        return self._post(v.CompetitorOut, "/competitors", asked)

    def drop_competitor(self, number: int) -> None:
        """Name a competitor no more."""
        self._transport.send("DELETE", f"/competitors/{number}")


def _joined(value: object) -> object:
    """Write several values as one parameter, with commas."""
    return ",".join(map(str, value)) or None if isinstance(value, list | tuple) else value
