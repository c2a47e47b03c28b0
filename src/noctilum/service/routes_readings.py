"""Addresses of the portfolio, of reports, and of what readings there are."""

from __future__ import annotations

from typing import Annotated

from apiflask import APIBlueprint
from flask import Response
from pydantic import BeforeValidator, Field

from noctilum.actions import portfolio as portfolios
from noctilum.actions import report
from noctilum.datasets import DATASETS
from noctilum.readings.frame import Asked
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer_list, answer_tagged, many
from noctilum.service.asking import ASKED
from noctilum.service.report_files import send_report
from noctilum.service.turns import one_report_at_a_time
from noctilum.wire import about
from noctilum.wire import portfolio as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.questions import Language, Question, parted
from noctilum.words.describe import counted, described

bp = APIBlueprint("overviews", __name__, url_prefix="/api/v1", tag="Readings")


class ReportQuery(Question):
    """A report's parameters."""

    window: str = Field(default="P28D", max_length=40)
    against: str = Field(default="before", max_length=40)
    filter: str = Field(default="", max_length=4000, description="Only what passes, in every block; also a set")
    also: Annotated[list[str], BeforeValidator(parted)] = Field(
        default=[], max_length=20, description="Further readings by name, each as a table at the end"
    )
    season: bool = Field(default=True, description="Net of what the year does, where a year is held; else as counted")

    def asked(self, site: str) -> Asked:
        """Give the question that every block asks."""
        return Asked(site, self.window, self.against, filter=self.filter)


class AboutQuery(Question):
    """In which language."""

    language: Language = Field(default="en", description="Of titles and explanations")


@bp.get("/readings")
@allow("reader")
@bp.input(AboutQuery, location="query", arg_name="asked")
@bp.output(many(about.ReadingAbout))
@bp.doc(summary="List what readings there are")
def list_readings(asked: AboutQuery) -> Response:
    """Every reading with its parameters and its columns: what each is, how it is computed, which way is better."""
    return answer_list([described(spec, asked.language) for spec in READINGS])


@bp.get("/datasets")
@allow("reader")
@bp.input(AboutQuery, location="query", arg_name="asked")
@bp.output(many(about.DatasetAbout))
@bp.doc(summary="List what datasets there are")
def list_datasets(asked: AboutQuery) -> Response:
    """Every dataset of days: what a kind of source counts, by what rows are told apart, and how each figure adds up."""
    return answer_list([counted(DATASETS[name], asked.language) for name in DATASETS.daily])


@bp.get("/portfolio")
@allow("analyst")
@bp.output(wire.Portfolio)
@bp.doc(summary="Read all sites at a glance")
def portfolio() -> Response:
    """Last 28 complete days of every site against the 28 before, those that need a look first."""
    today = clock.today()
    stamps = portfolios.stamps(install())
    return answer_tagged(f"{stamps} {today}", lambda: portfolios.portfolio(install(), today))


@bp.route("/sites/<site>/report.pdf", methods=ASKED)
@allow("reader")
@bp.input(ReportQuery, location="query", arg_name="asked")
@bp.output({}, content_type="application/pdf")
@bp.doc(summary="Get the search report as PDF")
@one_report_at_a_time
def report_pdf(site: str, asked: ReportQuery) -> Response:
    """In the client's colours and without our name."""
    return send_report(report.make(install(), asked.asked(site), "pdf", clock.now(), asked.also, season=asked.season))


@bp.route("/sites/<site>/report.html", methods=ASKED)
@allow("reader")
@bp.input(ReportQuery, location="query", arg_name="asked")
@bp.output({}, content_type="text/html")
@bp.doc(summary="Get the search report as one HTML file")
@one_report_at_a_time
def report_html(site: str, asked: ReportQuery) -> Response:
    """One self-contained file, in the client's colours and without our name."""
    return send_report(report.make(install(), asked.asked(site), "html", clock.now(), asked.also, season=asked.season))
