"""Addresses for signing in, setting up, sources and jobs."""

from __future__ import annotations

from typing import cast
from urllib.parse import quote

from apiflask import APIBlueprint
from flask import Response, g, redirect, request
from markupsafe import escape

from noctilum.actions import grants, health, notices, passkeys, presenters, previews, queue, schedule, setup, signing_in
from noctilum.core.errors import Nonsense, worded
from noctilum.records.models import User
from noctilum.service import clock
from noctilum.service.access import (
    allow,
    asks,
    check_media_type,
    check_origin,
    csrf,
    give_cookie,
    install,
    is_signed_in,
    own_address,
    place,
    sign_in,
    sign_in_number,
    take_cookie,
    whole,
)
from noctilum.service.answers import answer, answer_list, many
from noctilum.service.turns import waits_for_feed
from noctilum.wire import people as wire_people
from noctilum.wire import setup as wire

bp = APIBlueprint("setup", __name__, url_prefix="/api/v1", tag="Setting up")


@bp.post("/session")
@allow(None)
@bp.input(wire.SignIn, arg_name="asked")
@bp.output(wire.Me)
@bp.doc(summary="Sign in to the console", security=[])
def begin_session(asked: wire.SignIn) -> Response:
    """Set a cookie; send the answer's csrf with every change."""
    begun = sign_in(asked.email, asked.password.get_secret_value(), asked.code)
    user = begun.user
    return give_cookie(answer(_me(user, begun.csrf)), begun.cookie)


@bp.post("/session/passkey/asking")
@allow(None)
@bp.output(wire_people.PasskeyAsked)
@bp.doc(summary="Ask for a passkey to sign in with", security=[])
def ask_to_sign_in() -> Response:
    """What the browser asks a device for; whose passkey it is shows in its answer."""
    return answer(passkeys.entering(install(), place()))


@bp.post("/session/passkey")
@allow(None)
@bp.input(wire_people.PasskeySignIn, arg_name="asked")
@bp.output(wire.Me)
@bp.doc(summary="Sign in to the console with a passkey", security=[])
def begin_session_by_passkey(asked: wire_people.PasskeySignIn) -> Response:
    """Set a cookie; the device has checked who unlocked it, so that neither password nor code is asked for."""
    check_media_type()
    check_origin()
    agent = request.headers.get("User-Agent", "")
    begun = passkeys.entered(install(), place(), asked, request.remote_addr or "", agent, clock.now())
    return give_cookie(answer(_me(begun.user, begun.csrf)), begun.cookie)


def _me(user: User, token: str | None) -> wire.Me:
    return wire.Me(
        id=user.id,
        name=user.name,
        email=user.email,
        role=user.role,
        second_factor=user.second_on,
        language=user.language,
        csrf=token,
        today=clock.today(),
    )


@bp.delete("/session")
@allow("reader")
@bp.output({}, status_code=204)
@bp.doc(summary="Sign out")
def end_session() -> Response:
    """End this sign-in, also for whoever has a copy of its cookie."""
    number = sign_in_number()
    if number is not None:
        signing_in.end(install(), g.user, number)
    return take_cookie(Response(status=204))


@bp.get("/me")
@allow("reader")
@bp.output(wire.Me)
@bp.doc(summary="Say who is signed in")
def me() -> Response:
    """Name the user of the cookie or token."""
    return answer(_me(g.user, csrf()))


@bp.get("/health")
@allow(None)
@bp.output(wire.Health)
@bp.doc(summary="Say whether the service works", security=[])
def show_health() -> Response:
    """Try the records, the worker, the disk, the key and the nights; 503 when something is wrong. Who has signed in
    is told what."""
    found = health.look(install(), clock.now())
    told = found if is_signed_in() else health.for_strangers(found)
    return answer(told, 200 if found.status == "ok" else 503)


@bp.get("/clients")
@allow("reader")
@bp.output(many(wire.Client))
@bp.doc(summary="List clients")
def list_clients() -> Response:
    """List all clients by name."""
    return answer_list(presenters.clients(install()))


@bp.post("/clients")
@allow("analyst")
@whole
@bp.input(wire.NewClient, arg_name="asked")
@bp.output(wire.Client, status_code=201)
@bp.doc(summary="Add a client")
def add_client(asked: wire.NewClient) -> Response:
    """Add a client; its key is made of its name."""
    key = setup.add_client(install(), asked, clock.now())
    return answer(presenters.client(install(), key), 201)


@bp.get("/clients/<client>")
@allow("reader")
@bp.output(wire.Client)
@bp.doc(summary="Show a client")
def show_client(client: str) -> Response:
    """Show one client with its sites."""
    return answer(presenters.client(install(), client))


@bp.post("/clients/<client>/sites")
@allow("analyst")
@whole
@bp.input(wire.NewSite, arg_name="asked")
@bp.output(wire.Site, status_code=201)
@bp.doc(summary="Add a site to a client")
def add_site(client: str, asked: wire.NewSite) -> Response:
    """Add a site; its key is made of its host."""
    key = setup.add_site(install(), client, asked, clock.now())
    return answer(presenters.site(install(), key), 201)


@bp.patch("/sites/<site>")
@allow("analyst")
@bp.input(wire.SiteChange, arg_name="asked")
@bp.output(wire.Site)
@bp.doc(summary="Change a site")
def change_site(site: str, asked: wire.SiteChange) -> Response:
    """Change the words that name the client in a query."""
    setup.change_site(install(), site, asked)
    return answer(presenters.site(install(), site))


@bp.get("/sites")
@allow("reader")
@bp.output(many(wire.SiteSummary))
@bp.doc(summary="List sites")
def list_sites() -> Response:
    """List all sites by host."""
    return answer_list(presenters.sites(install()))


@bp.get("/sites/<site>")
@allow("analyst")
@bp.output(wire.Site)
@bp.doc(summary="Show a site")
def show_site(site: str) -> Response:
    """Show one site with its sources."""
    return answer(presenters.site(install(), site))


@bp.post("/properties")
@allow("analyst")
@asks
@bp.input(wire.Credential, arg_name="asked")
@bp.output(many(wire.Property))
@bp.doc(summary="List what a credential can see at a feed")
@waits_for_feed
def list_properties(asked: wire.Credential) -> Response:
    """Ask the feed; nothing is kept."""
    return answer_list(setup.list_properties(install(), asked))


@bp.post("/tries")
@allow("analyst")
@asks
@bp.input(wire.AskTry, arg_name="asked")
@bp.output(wire.Tried)
@bp.doc(summary="Try a feed before it is connected")
@waits_for_feed
def try_feed(asked: wire.AskTry) -> Response:
    """Fetch one day at one grain, as it comes and as it would be kept; nothing is kept."""
    return answer(previews.try_feed(install(), asked))


@bp.post("/grants")
@allow("analyst")
@bp.input(wire.AskGrant, arg_name="asked")
@bp.output(wire.GrantBegun, status_code=201)
@bp.doc(summary="Begin to be granted access by a person")
def begin_grant(asked: wire.AskGrant) -> Response:
    """Say where to send somebody; they come back to the console when they have agreed."""
    callback = f"{own_address()}/api/v1/grants/callback"
    found = grants.begin(install(), asked, callback, clock.now())
    return answer(wire.GrantBegun(go=found.go, grant=found.grant), 201)


@bp.get("/grants/callback")
@allow(None)
@bp.doc(hide=True)
@waits_for_feed
def finish_grant() -> Response:
    """Where the provider sends somebody back to; open, as the state is known only to who began the grant."""
    state = request.args.get("state", "")
    if "error" in request.args:
        why = request.args.get("error_description") or request.args["error"]
        back = grants.back_of(install(), state)
        said = f"Access was not granted: {why}"
        return cast(Response, redirect(f"{back}?refused={quote(why)}")) if back else _plain(said)
    where = grants.finish(install(), state, request.args.get("code", ""), clock.now())
    return cast(Response, redirect(where)) if where else _plain("Access is granted. Go back to the terminal.")


def _plain(said: str) -> Response:
    """Tell somebody who came from a command line how it went."""
    return Response(f"<!doctype html><title>Noctilum</title><p>{escape(said)}</p>", content_type="text/html")


@bp.get("/grants/<grant>")
@allow("analyst")
@bp.output(wire.Grant)
@bp.doc(summary="Show what a grant was begun for")
def show_grant(grant: str) -> Response:
    """What to go on with, and whether somebody has agreed; it holds no secret."""
    return answer(grants.asked_of(install(), grant))


@bp.post("/sites/<site>/sources")
@allow("analyst")
@bp.input(wire.NewSource, arg_name="asked")
@bp.output(wire.Source, status_code=201)
@bp.doc(summary="Connect a property to a site")
@waits_for_feed
def add_source(site: str, asked: wire.NewSource) -> Response:
    """Try the credential, keep it encrypted, and connect the property."""
    number = setup.add_source(install(), site, asked, clock.now())
    return answer(presenters.source(install(), number), 201)


@bp.get("/sources")
@allow("analyst")
@bp.output(many(wire.Source))
@bp.doc(summary="List sources")
def list_sources() -> Response:
    """List all sources with what is held of them."""
    return answer_list(presenters.sources(install()))


@bp.get("/sources/<int:source>")
@allow("analyst")
@bp.output(wire.Source)
@bp.doc(summary="Show a source")
def show_source(source: int) -> Response:
    """Show one source with what is held of it."""
    return answer(presenters.source(install(), source))


@bp.patch("/sources/<int:source>")
@allow("analyst")
@bp.input(wire.SourceChange, arg_name="asked")
@bp.output(wire.Source)
@bp.doc(summary="Change a source")
@waits_for_feed
def change_source(source: int, asked: wire.SourceChange) -> Response:
    """Change its schedule, pause it, enter its secret again, or read it apart; what is left out stays."""
    setup.change_source(install(), source, asked, clock.now())
    return answer(presenters.source(install(), source))


@bp.post("/sites/<site>/file-sources")
@allow("analyst")
@bp.input(wire.NewFileSource, arg_name="asked")
@bp.output(wire.Source, status_code=201)
@bp.doc(summary="Add a source that only gets files")
def add_file_source(site: str, asked: wire.NewFileSource) -> Response:
    """For figures that come as files and from no feed."""
    number = setup.add_file_source(install(), site, asked, clock.now())
    return answer(presenters.source(install(), number), 201)


@bp.post("/sources/<int:source>/pulls")
@allow("analyst")
@bp.output(wire.Job, status_code=202)
@bp.doc(summary="Start a pull")
def start_pull(source: int) -> Response:
    """Queue a pull of every day due; the one already waiting or running is given instead of a second."""
    presenters.source(install(), source)
    number = schedule.queue_pull(install(), source, clock.now())
    return answer(presenters.job(install(), number), 202)


@bp.post("/sources/<int:source>/refills")
@allow("analyst")
@bp.input(wire.PullSpan, arg_name="asked")
@bp.output(wire.Job, status_code=202)
@bp.doc(summary="Ask a source again for gaps or a run of days")
def start_refill(source: int, asked: wire.PullSpan) -> Response:
    """Queue a pull of the days of a span that are not held, or of all of them again."""
    if asked.first and asked.last and asked.last < asked.first:
        raise Nonsense(
            "window-backwards",
            worded("A refill cannot end on {last} before {first}.", last=asked.last, first=asked.first),
            where="last",
        )
    presenters.source(install(), source)
    first, last = (day.isoformat() if day else None for day in (asked.first, asked.last))
    number = schedule.queue_pull(install(), source, clock.now(), first=first, last=last, again=asked.again or None)
    return answer(presenters.job(install(), number), 202)


@bp.get("/notices")
@allow("analyst")
@bp.output(many(wire.Notice))
@bp.doc(summary="List notices nobody has seen yet")
def list_notices() -> Response:
    """List what somebody should know of, newest first."""
    return answer_list(presenters.notices(install()))


@bp.delete("/notices/<int:notice>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Mark a notice as seen")
def see_notice(notice: int) -> Response:
    """Mark one notice as seen; one already seen stays so."""
    notices.mark_seen(install(), notice, clock.now())
    return Response(status=204)


@bp.get("/jobs")
@allow("analyst")
@bp.output(many(wire.Job))
@bp.doc(summary="List the newest jobs")
def list_jobs() -> Response:
    """List the newest fifty jobs."""
    return answer_list(presenters.jobs(install()))


@bp.delete("/jobs/<int:job>")
@allow("analyst")
@bp.output(wire.Job)
@bp.doc(summary="Cancel a job")
def stop_job(job: int) -> Response:
    """At once while it waits, at its next step while it runs; what it has done by then stays."""
    queue.stop(install(), job, clock.now())
    return answer(presenters.job(install(), job))


@bp.get("/jobs/<int:job>")
@allow("analyst")
@bp.output(wire.Job)
@bp.doc(summary="Show a job")
def show_job(job: int) -> Response:
    """Show one job with its progress."""
    return answer(presenters.job(install(), job))
