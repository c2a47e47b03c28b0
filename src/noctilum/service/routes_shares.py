"""Addresses of shared pages, and of how the agency and its clients look."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g

from noctilum.actions import looks, presenters, shares, webhooks
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.service.report_files import send_picture
from noctilum.wire import looks as looks_wire
from noctilum.wire import setup as setup_wire
from noctilum.wire import shares as wire
from noctilum.wire import webhooks as webhook_wire

bp = APIBlueprint("shares", __name__, url_prefix="/api/v1", tag="Reports")


@bp.get("/shares")
@allow("analyst")
@bp.input(wire.SharesQuery, location="query", arg_name="asked")
@bp.output(many(wire.ShareOut))
@bp.doc(summary="List shared pages")
def list_shares(asked: wire.SharesQuery) -> Response:
    """The newest first, with how often each was looked at."""
    return answer_list(shares.listed(install(), asked, clock.now()))


@bp.post("/shares")
@allow("analyst")
@bp.input(wire.NewShare, arg_name="asked")
@bp.output(wire.ShareOut, status_code=201)
@bp.doc(summary="Share an edition or a live page")
def share(asked: wire.NewShare) -> Response:
    """By an address that cannot be guessed; an edition has to be signed off."""
    return answer(shares.added(install(), asked, clock.now(), g.user.name), 201)


@bp.delete("/shares/<int:number>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Take a shared page back")
def revoke(number: int) -> Response:
    """Its address leads to nothing from then on."""
    shares.revoked(install(), number, clock.now())
    return Response(status=204)


@bp.get("/shares/<int:number>/views")
@allow("analyst")
@bp.output(many(wire.ShareViewOut))
@bp.doc(summary="List looks at a shared page")
def list_views(number: int) -> Response:
    """The newest first, by the network they came from."""
    return answer_list(shares.views(install(), number))


@bp.get("/clients/<client>/logo")
@allow("reader")
@bp.output({}, content_type="image/png")
@bp.doc(summary="Get a client's logo")
def show_logo(client: str) -> Response:
    """PNG or SVG, as it was rebuilt."""
    return send_picture(looks.logo_of(install(), client))


@bp.put("/clients/<client>/logo")
@allow("analyst")
@bp.input(looks_wire.Logo, arg_name="asked")
@bp.output(setup_wire.Client)
@bp.doc(summary="Keep a client's logo")
def keep_logo(client: str, asked: looks_wire.Logo) -> Response:
    """A PNG is rebuilt from its pixels, an SVG from what draws in it; nothing else of the file is kept."""
    looks.set_logo(install(), client, asked.image)
    return answer(presenters.client(install(), client))


@bp.delete("/clients/<client>/logo")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Drop a client's logo")
def drop_logo(client: str) -> Response:
    """The agency's stands in its place, if it has one."""
    looks.set_logo(install(), client, None)
    return Response(status=204)


@bp.get("/agency")
@allow("reader")
@bp.output(looks_wire.AgencyLookOut)
@bp.doc(summary="Show how the agency looks")
def show_agency() -> Response:
    """For clients that have no look of their own."""
    return answer(looks.agency(install()))


@bp.patch("/agency")
@allow("owner")
@bp.input(looks_wire.AgencyLookChange, arg_name="asked")
@bp.output(looks_wire.AgencyLookOut)
@bp.doc(summary="Change how the agency looks")
def change_agency(asked: looks_wire.AgencyLookChange) -> Response:
    """What is left out stays."""
    return answer(looks.change_agency(install(), asked))


@bp.get("/agency/logo")
@allow("analyst")
@bp.output({}, content_type="image/png")
@bp.doc(summary="Get the agency's logo")
def show_agency_logo() -> Response:
    """PNG or SVG, as it was rebuilt."""
    return send_picture(looks.logo_of(install(), None))


@bp.put("/agency/logo")
@allow("owner")
@bp.input(looks_wire.Logo, arg_name="asked")
@bp.output(looks_wire.AgencyLookOut)
@bp.doc(summary="Keep the agency's logo")
def keep_agency_logo(asked: looks_wire.Logo) -> Response:
    """For clients without one of their own."""
    looks.set_logo(install(), None, asked.image)
    return answer(looks.agency(install()))


@bp.delete("/agency/logo")
@allow("owner")
@bp.output({}, status_code=204)
@bp.doc(summary="Drop the agency's logo")
def drop_agency_logo() -> Response:
    """Clients without one of their own have none then."""
    looks.set_logo(install(), None, None)
    return Response(status=204)


@bp.get("/webhooks")
@allow("owner")
@bp.output(many(webhook_wire.WebhookOut))
@bp.doc(summary="List webhooks")
def list_webhooks() -> Response:
    """With what waits for each and what was wrong the last time."""
    return answer_list(webhooks.listed(install()))


@bp.post("/webhooks")
@allow("owner")
@bp.input(webhook_wire.NewWebhook, arg_name="asked")
@bp.output(webhook_wire.WebhookMade, status_code=201)
@bp.doc(summary="Tell an address when something happens")
def add_webhook(asked: webhook_wire.NewWebhook) -> Response:
    """Posts are signed (RFC 9421, HMAC-SHA256) with a secret that is shown this once."""
    return answer(webhooks.added(install(), asked, clock.now()), 201)


@bp.post("/webhooks/<int:number>/try")
@allow("owner")
@bp.output({}, status_code=204)
@bp.doc(summary="Post something to an address, to see whether it takes it")
def try_webhook(number: int) -> Response:
    """The event is `webhook.tried`; how it went is in the list a little later."""
    webhooks.tried(install(), number, clock.now())
    return Response(status=204)


@bp.delete("/webhooks/<int:number>")
@allow("owner")
@bp.output({}, status_code=204)
@bp.doc(summary="Tell an address nothing more")
def drop_webhook(number: int) -> Response:
    """What waits for it goes with it."""
    webhooks.dropped(install(), number)
    return Response(status=204)
