"""Templates, reports and editions, as methods."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Sequence
from typing import Literal

from noctilum.client.asking import Asking, key_of, plain
from noctilum.wire import looks as k
from noctilum.wire import reports as w
from noctilum.wire import shares as h
from noctilum.wire import webhooks as b
from noctilum.wire.about import BlockAbout
from noctilum.wire.setup import Job


class Reports(Asking):
    """Make reports of sites, look them over, sign them off."""

    def report(
        self,
        site: str,
        *,
        format: Literal["pdf", "html"] = "pdf",
        window: str = "P28D",
        against: str = "before",
        filter: str | None = None,
        also: Sequence[str] = (),
        season: bool = True,
    ) -> bytes:
        """Get the search report as a file's bytes; filter narrows every block, also adds readings as tables.

        season: changes are told net of what the year does, where a year is held; else as counted.
        """
        path = f"/sites/{key_of(site)}/report.{format}"
        params = (
            {"window": window, "against": against}
            | ({"filter": filter} if filter else {})
            | ({"also": ",".join(also)} if also else {})
            | ({} if season else {"season": "false"})
        )
        return self._transport.send("GET", path, params=params).content

    def templates(self, find: str = "") -> list[w.TemplateOut]:
        """List report templates, as their newest versions are."""
        return self._list(w.TemplateOut, "/templates", find=find)

    def add_template(self, template: w.NewTemplate) -> w.TemplateOut:
        """Keep a template."""
        return self._post(w.TemplateOut, "/templates", template)

    def take_template(self, text: str) -> w.TemplateOut:
        """Keep a template from its TOML; one of its name gets a new version."""
        return self._post(w.TemplateOut, "/templates/take", w.TemplateText(text=text))

    def template_text(self, number: int) -> str:
        """Get a template as TOML."""
        return self._transport.send("GET", f"/templates/{number}.toml").text

    def template_versions(self, number: int) -> list[w.VersionOut]:
        """List a template's versions, newest first."""
        return self._list(w.VersionOut, f"/templates/{number}/versions")

    def template_diff(self, number: int, first: int, last: int | None = None) -> w.TemplateDiff:
        """Tell two versions of a template apart, the newest where none is named."""
        return self._get(w.TemplateDiff, f"/templates/{number}/diff", first=first, last=last)

    def drop_template(self, number: int) -> None:
        """Drop a template that no report is made from."""
        self._transport.send("DELETE", f"/templates/{number}")

    def reports(self, site: str | None = None, *, client: str | None = None) -> list[w.ReportOut]:
        """List the reports there are."""
        return self._list(w.ReportOut, "/reports", site=site, client=client)

    def add_report(self, report: w.NewReport) -> w.ReportOut:
        """Make a report of a site from a template."""
        return self._post(w.ReportOut, "/reports", report)

    def change_report(self, number: int, *, seen: w.ReportOut | None = None, **changes: object) -> w.ReportOut:
        """Change a report; what is not named stays. seen: as for a set."""
        return self._change("reports", w.ReportOut, number, seen, changes)

    def drop_report(self, number: int) -> None:
        """Drop a report with its editions."""
        self._transport.send("DELETE", f"/reports/{number}")

    def blocks(self, language: str = "en") -> list[BlockAbout]:
        """List kinds of blocks, with the options and columns of each."""
        return self._list(BlockAbout, "/blocks", language=language)

    def look_over(self, site: str, asked: w.AskLook) -> w.ReportLook:
        """Say which blocks would come in today, which would stay out, and why."""
        return self._post(w.ReportLook, f"/sites/{key_of(site)}/report-look", asked)

    def draw_draft(self, site: str, asked: w.AskDraft) -> w.ReportDraft:
        """Draw a report as it would be today, with the printed page each block begins on where asked."""
        return self._post(w.ReportDraft, f"/sites/{key_of(site)}/report-draft", asked)

    def report_preview(self, site: str, asked: w.AskLook) -> str:
        """See a report as it would be today, as one HTML page."""
        answer = self._transport.send("POST", f"/sites/{key_of(site)}/report-preview.html", body=plain(asked))
        return answer.text

    def editions(
        self,
        site: str | None = None,
        *,
        client: str | None = None,
        state: w.State | None = None,
        find: str = "",
        limit: int = 100,
        offset: int = 0,
    ) -> list[w.EditionOut]:
        """List editions, the newest first."""
        path = "/editions"
        return self._list(
            w.EditionOut, path, site=site, client=client, state=state, find=find, limit=limit, offset=offset
        )

    def draft(self, report: int) -> w.EditionOut:
        """Make a draft of a report from the history as it is now."""
        return self._post(w.EditionOut, f"/reports/{report}/editions")

    def edition(self, number: int) -> w.EditionOut:
        """Show an edition."""
        return self._get(w.EditionOut, f"/editions/{number}")

    def write_summary(self, number: int, summary: Sequence[str]) -> w.EditionOut:
        """Write a draft's summary, a sentence or more a line."""
        answer = self._transport.send("PATCH", f"/editions/{number}", body={"summary": list(summary)})
        return w.EditionOut.model_validate_json(answer.content)

    def approve(self, number: int) -> w.EditionOut:
        """Sign an edition off as it was looked at."""
        return self._post(w.EditionOut, f"/editions/{number}/approval")

    def drop_edition(self, number: int) -> None:
        """Throw a draft away."""
        self._transport.send("DELETE", f"/editions/{number}")

    def edition_file(self, number: int, kind: w.ReportFile = "pdf") -> bytes:
        """Get an edition as a file's bytes: pdf, html, xlsx, or zip with CSV files and a manifest."""
        return self._transport.send("GET", f"/editions/{number}/file.{kind}").content

    def edition_chart(self, number: int, block: int, kind: Literal["svg", "png"] = "svg") -> bytes:
        """Get the chart of a block, counted from 1, as a file's bytes."""
        return self._transport.send("GET", f"/editions/{number}/charts/{block}.{kind}").content

    def compare_editions(self, number: int, to: int) -> w.EditionsCompared:
        """Say how another edition differs from one."""
        return self._get(w.EditionsCompared, f"/editions/{number}/compared", to=to)

    def revised(self, number: int) -> w.EditionRevised:
        """Say which figures of an edition are others today."""
        return self._get(w.EditionRevised, f"/editions/{number}/revised")

    def look_at(self, number: int) -> w.EditionOut:
        """Note that an edition was opened; the first who did stays noted."""
        return self._post(w.EditionOut, f"/editions/{number}/looks")

    def send_edition(self, number: int) -> w.EditionOut:
        """Send a signed edition to its report's recipients, once each."""
        return self._post(w.EditionOut, f"/editions/{number}/sending")

    def deliveries(self, number: int) -> list[w.DeliveryOut]:
        """List whom an edition went to, and what became of each mail."""
        return self._list(w.DeliveryOut, f"/editions/{number}/deliveries")

    def answer_delivery(self, number: int, *, arrived: bool) -> w.DeliveryOut:
        """Say whether a mail in doubt arrived."""
        return self._post(w.DeliveryOut, f"/deliveries/{number}/answer", w.DeliveryAnswer(arrived=arrived))

    def bounce(self, text: str) -> w.Bounced:
        """Note a mail that came back, from the message that says so."""
        return self._post(w.Bounced, "/deliveries/bounces", w.Bounce(text=text))

    def test_mail(self, number: int, to: str) -> w.TestMailSent:
        """Send an edition, also a draft, to one address as a test."""
        return self._post(w.TestMailSent, f"/editions/{number}/test-mail", w.TestMail(to=to))

    def due(self, site: str | None = None, *, client: str | None = None) -> list[w.DueLine]:
        """List every report at the place where it stands, what wants somebody first."""
        return self._list(w.DueLine, "/due", site=site, client=client)

    def run_due(self) -> Job:
        """Make all that is due now; gives the job."""
        return self._post(Job, "/due")

    def make_anyway(self, slot: int) -> None:
        """Make what waits or has failed at once, with the days there are."""
        self._transport.send("POST", f"/due/{slot}/making")

    def skip_due(self, slot: int) -> None:
        """Skip one time a report is due."""
        self._transport.send("DELETE", f"/due/{slot}")

    def shares(self, site: str | None = None, *, client: str | None = None) -> list[h.ShareOut]:
        """List shared pages, the newest first."""
        return self._list(h.ShareOut, "/shares", site=site, client=client)

    def share(self, share: h.NewShare) -> h.ShareOut:
        """Share a signed edition, or a report as it is today, by an address that cannot be guessed."""
        return self._post(h.ShareOut, "/shares", share)

    def revoke_share(self, number: int) -> None:
        """Take a shared page back."""
        self._transport.send("DELETE", f"/shares/{number}")

    def share_views(self, number: int) -> list[h.ShareViewOut]:
        """List looks at a shared page, the newest first."""
        return self._list(h.ShareViewOut, f"/shares/{number}/views")

    def agency(self) -> k.AgencyLookOut:
        """Show how the agency looks for clients without a look of their own."""
        return self._get(k.AgencyLookOut, "/agency")

    def change_agency(self, change: k.AgencyLookChange) -> k.AgencyLookOut:
        """Change how the agency looks; what is left out stays."""
        answer = self._transport.send("PATCH", "/agency", body=plain(change))
        return k.AgencyLookOut.model_validate_json(answer.content)

    def keep_logo(self, image: bytes, client: str | None = None) -> None:
        """Keep a logo, PNG or SVG: a client's, or the agency's without."""
        body = {"image": b64encode(image).decode()}
        self._transport.send("PUT", f"/clients/{key_of(client)}/logo" if client else "/agency/logo", body=body)

    def logo(self, client: str | None = None) -> bytes:
        """Get a logo as it was rebuilt."""
        return self._transport.send("GET", f"/clients/{key_of(client)}/logo" if client else "/agency/logo").content

    def drop_logo(self, client: str | None = None) -> None:
        """Drop a logo."""
        self._transport.send("DELETE", f"/clients/{key_of(client)}/logo" if client else "/agency/logo")

    def webhooks(self) -> list[b.WebhookOut]:
        """List the addresses that are told when something happens."""
        return self._list(b.WebhookOut, "/webhooks")

    def add_webhook(self, webhook: b.NewWebhook) -> b.WebhookMade:
        """Tell an address when something happens; the secret of its signatures is given this once."""
        return self._post(b.WebhookMade, "/webhooks", webhook)

    def try_webhook(self, number: int) -> None:
        """Post something to an address, to see whether it takes it; how it went is in the list a little later."""
        self._transport.send("POST", f"/webhooks/{number}/try")

    def drop_webhook(self, number: int) -> None:
        """Tell an address nothing more."""
        self._transport.send("DELETE", f"/webhooks/{number}")
