"""Addresses for users, sign-ins, tokens and one's own password."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g

from noctilum.actions import audit, people, signing_in
from noctilum.service import clock
from noctilum.service.access import allow, install, sign_in_number
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import people as wire

bp = APIBlueprint("people", __name__, url_prefix="/api/v1", tag="People")


@bp.get("/users")
@allow("owner")
@bp.output(many(wire.UserOut))
@bp.doc(summary="List users")
def list_users() -> Response:
    """Everybody who may sign in, by name."""
    return answer_list(people.list_users(install()))


@bp.post("/users")
@allow("owner")
@bp.input(wire.NewUser, arg_name="asked")
@bp.output(wire.UserOut, status_code=201)
@bp.doc(summary="Add a user")
def add_user(asked: wire.NewUser) -> Response:
    """Add somebody who may sign in."""
    password = asked.password.get_secret_value()
    added = people.add_user(install(), asked.name, asked.email, password, clock.now(), asked.role, asked.clients)
    return answer(people.user_out(install(), added), 201)


@bp.patch("/users/<int:number>")
@allow("owner")
@bp.input(wire.UserChange, arg_name="asked")
@bp.output(wire.UserOut)
@bp.doc(summary="Change a user")
def change_user(number: int, asked: wire.UserChange) -> Response:
    """Change a name, a role or a password; a new password ends what the user is signed in with."""
    return answer(people.change_user(install(), number, asked))


@bp.delete("/users/<int:number>")
@allow("owner")
@bp.output({}, status_code=204)
@bp.doc(summary="Remove a user")
def drop_user(number: int) -> Response:
    """Remove a user, whose tokens and sign-ins end at once; the last owner stays."""
    people.drop_user(install(), number)
    return Response(status=204)


@bp.put("/me/password")
@allow("reader")
@bp.input(wire.PasswordChange, arg_name="asked")
@bp.output({}, status_code=204)
@bp.doc(summary="Change one's own password")
def change_password(asked: wire.PasswordChange) -> Response:
    """The old one is asked for; one's other sign-ins end."""
    old, new = asked.old.get_secret_value(), asked.new.get_secret_value()
    people.change_password(install(), g.user.id, old, new, sign_in_number())
    return Response(status=204)


@bp.get("/sign-ins")
@allow("reader")
@bp.output(many(wire.SignInOut))
@bp.doc(summary="List sign-ins to the console")
def list_sign_ins() -> Response:
    """Where one is signed in, last used first; an owner sees everybody's."""
    return answer_list(signing_in.list_sign_ins(install(), g.user, sign_in_number(), clock.now()))


@bp.delete("/sign-ins/<int:number>")
@allow("reader")
@bp.output({}, status_code=204)
@bp.doc(summary="End a sign-in")
def end_sign_in(number: int) -> Response:
    """One's own, or as an owner anybody's: its cookie is good for nothing from then on."""
    signing_in.end(install(), g.user, number)
    return Response(status=204)


@bp.delete("/sign-ins")
@allow("reader")
@bp.output(wire.Ended)
@bp.doc(summary="End all of one's other sign-ins")
def end_other_sign_ins() -> Response:
    """All of one's own but the one that asks."""
    return answer(wire.Ended(ended=signing_in.end_others(install(), g.user, sign_in_number())))


@bp.get("/tokens")
@allow("reader")
@bp.output(many(wire.TokenOut))
@bp.doc(summary="List tokens")
def list_tokens() -> Response:
    """One's own tokens, newest first; an owner sees everybody's. Never the tokens themselves."""
    return answer_list(people.list_tokens(install(), g.user))


@bp.post("/tokens")
@allow("reader")
@bp.input(wire.NewToken, arg_name="asked")
@bp.output(wire.TokenMade, status_code=201)
@bp.doc(summary="Make a token")
def add_token(asked: wire.NewToken) -> Response:
    """Make a token of one's own; it is shown this once."""
    token = people.new_token(install(), g.user.id, asked.label, clock.now(), asked.days, reads=asked.reads)
    made = people.newest_token(install(), token)
    return answer(wire.TokenMade(**made.model_dump(), token=token), 201)


@bp.delete("/tokens/<int:number>")
@allow("reader")
@bp.output({}, status_code=204)
@bp.doc(summary="Revoke a token")
def drop_token(number: int) -> Response:
    """One's own, or as an owner anybody's: it opens nothing from then on."""
    people.drop_token(install(), g.user, number)
    return Response(status=204)


@bp.get("/audit")
@allow("owner")
@bp.input(wire.AuditQuery, location="query", arg_name="asked")
@bp.output(many(wire.AuditOut))
@bp.doc(summary="List who changed and sent what")
def list_audit(asked: wire.AuditQuery) -> Response:
    """The newest first; never what a change held."""
    return answer_list(audit.listed(install(), asked))
