"""Addresses for users, sign-ins, tokens and one's own password."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g, request

from noctilum.actions import audit, invitations, passkeys, people, second_factor, signing_in
from noctilum.actions.signing_in import PAIR, note_failure, refuse_early
from noctilum.service import clock
from noctilum.service.access import allow, asks, check_media_type, check_origin, install, place, sign_in_number
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


@bp.patch("/me")
@allow("reader")
@bp.input(wire.MyChange, arg_name="asked")
@bp.output({}, status_code=204)
@bp.doc(summary="Choose one's own language")
def change_me(asked: wire.MyChange) -> Response:
    """Mails to oneself are written in it too."""
    people.speak(install(), g.user.id, asked.language)
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


@bp.post("/users/invitations")
@allow("owner")
@bp.input(wire.Invitation, arg_name="asked")
@bp.output(wire.UserOut, status_code=201)
@bp.doc(summary="Invite somebody by mail")
def invite(asked: wire.Invitation) -> Response:
    """They choose a password by an address that works once, for seven days."""
    return answer(invitations.invited(install(), asked, clock.now()), 201)


@bp.post("/password-resets")
@allow(None)
@bp.input(wire.PasswordReset, arg_name="asked")
@bp.output({}, status_code=202)
@bp.doc(summary="Ask for a new password by mail", security=[])
def ask_reset(asked: wire.PasswordReset) -> Response:
    """An address by mail that works once, for two hours; the answer is the same for who is not known here."""
    check_media_type()
    check_origin()
    keys = {f"reset {request.remote_addr}": PAIR, f"reset to {asked.email.strip().lower()}": PAIR}
    refuse_early(install(), keys, clock.now())
    note_failure(install(), keys, clock.now())
    invitations.reset_asked(install(), asked.email, clock.now())
    return Response(status=202)


@bp.post("/me/second-factor")
@allow("reader")
@bp.output(wire.SecondFactorBegun, status_code=201)
@bp.doc(summary="Begin a second factor")
def begin_second_factor() -> Response:
    """A secret for an authenticator; it is asked for at signing in once a code of it was given."""
    return answer(second_factor.begun(install(), g.user.id), 201)


@bp.put("/me/second-factor")
@allow("reader")
@bp.input(wire.SecondFactorCode, arg_name="asked")
@bp.output({}, status_code=204)
@bp.doc(summary="Turn the second factor on")
def turn_on_second_factor(asked: wire.SecondFactorCode) -> Response:
    """With a code of the authenticator that was told the secret."""
    second_factor.turned_on(install(), g.user.id, asked.code, clock.now())
    return Response(status=204)


@bp.post("/me/second-factor/end")
@allow("reader")
@bp.input(wire.SecondFactorCode, arg_name="asked")
@bp.output({}, status_code=204)
@bp.doc(summary="Turn the second factor off")
def turn_off_second_factor(asked: wire.SecondFactorCode) -> Response:
    """With a code of it."""
    second_factor.turned_off(install(), g.user.id, asked.code, clock.now())
    return Response(status=204)


@bp.get("/me/passkeys")
@allow("reader")
@bp.output(many(wire.PasskeyOut))
@bp.doc(summary="List one's passkeys")
def list_passkeys() -> Response:
    """The oldest first."""
    return answer_list(passkeys.listed(install(), g.user))


@bp.post("/me/passkeys/asking")
@allow("reader")
@asks
@bp.output(wire.PasskeyAsked)
@bp.doc(summary="Ask for a new passkey")
def ask_for_passkey() -> Response:
    """What the browser asks a device for; a passkey is of the name that this service is opened under."""
    return answer(passkeys.adding(install(), g.user, place()))


@bp.post("/me/passkeys")
@allow("reader")
@bp.input(wire.NewPasskey, arg_name="asked")
@bp.output(wire.PasskeyOut, status_code=201)
@bp.doc(summary="Keep a passkey")
def add_passkey(asked: wire.NewPasskey) -> Response:
    """One that a device has made; it signs in without password and code from then on."""
    return answer(passkeys.added(install(), g.user, place(), asked, clock.now()), 201)


@bp.delete("/me/passkeys/<int:number>")
@allow("reader")
@bp.output({}, status_code=204)
@bp.doc(summary="Drop a passkey")
def drop_passkey(number: int) -> Response:
    """It signs in no longer."""
    passkeys.dropped(install(), g.user, number)
    return Response(status=204)
