"""Passkeys (WebAuthn): signing in by what one's device holds, unlocked by its owner; no password and no code.

A challenge is signed by this install, holds for some minutes, and is taken once. The device checks who unlocks it
(user verification is required), so a passkey stands for both factors.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime, timedelta
from hashlib import sha256
from typing import Any

from itsdangerous import BadSignature
from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError
from webauthn import (
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import base64url_to_bytes, bytes_to_base64url
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from noctilum.actions import signing_in
from noctilum.actions.install import Install
from noctilum.actions.signed_links import timed_signer
from noctilum.core.errors import Clash, NotThere, Refused, worded
from noctilum.records.models import LARGEST_NUMBER, Passkey, SpentChallenge, User
from noctilum.wire import people as wire

HOLDS = 300
"""Seconds that a challenge may be answered in."""
MOST = 20
"""Passkeys of one person."""
ENTERING, ADDING = "passkey sign-in", "passkey added"
NEEDED = UserVerificationRequirement.REQUIRED


@dataclass(frozen=True)
class Place:
    """Where passkeys are of: the host name, and the origin that pages of it have."""

    name: str
    origin: str


def adding(install: Install, user: User, place: Place) -> wire.PasskeyAsked:
    """Ask a device for a new passkey of somebody; those they have are not made twice. Raises Clash for too many."""
    with install.records.read() as db:
        held = list(db.scalars(select(Passkey).where(Passkey.user_id == user.id)))
    if len(held) >= MOST:
        raise Clash("passkeys-many", worded("{most} passkeys are enough.", most=MOST), remedy="drop one first")
    options = generate_registration_options(
        rp_id=place.name,
        rp_name=install.settings.agency,
        user_id=sha256(f"{user.id} {install.settings.agency}".encode()).digest(),
        user_name=user.email,
        user_display_name=user.name,
        exclude_credentials=[PublicKeyCredentialDescriptor(id=each.credential) for each in held],
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED, user_verification=NEEDED
        ),
    )
    return _asked(install, f"{ADDING} {user.id}", options.challenge, options_to_json(options))


def added(install: Install, user: User, place: Place, made: wire.NewPasskey, now: datetime) -> wire.PasskeyOut:
    """Keep the passkey a device made; raises Refused for one that does not answer what was asked."""
    challenge = _challenge(install, f"{ADDING} {user.id}", made.ticket, now)
    try:
        found = verify_registration_response(
            credential=made.credential,
            expected_challenge=challenge,
            expected_rp_id=place.name,
            expected_origin=place.origin,
            require_user_verification=True,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as why:
        raise _refused() from why
    kept = Passkey(
        user_id=user.id,
        credential=found.credential_id,
        public_key=found.credential_public_key,
        uses=found.sign_count,
        label=made.label,
        created_at=now,
    )
    try:
        with install.records.begin() as db:
            db.add(kept)
    except IntegrityError as why:
        raise Clash("passkey-known", "This passkey is kept already.", remedy="use another device") from why
    return _out(kept)


def entering(install: Install, place: Place) -> wire.PasskeyAsked:
    """Ask a device for any passkey it holds for this place; whose it is shows in the answer."""
    options = generate_authentication_options(rp_id=place.name, user_verification=NEEDED)
    return _asked(install, ENTERING, options.challenge, options_to_json(options))


def entered(
    install: Install, place: Place, told: wire.PasskeySignIn, address: str, agent: str, now: datetime
) -> signing_in.Begun:
    """Begin a sign-in by a passkey. Raises Refused for one that is not known or does not answer, TooMany in a wait."""
    keys = {f"passkey {address}": signing_in.PAIR, f"from {address}": signing_in.ADDRESS}
    signing_in.refuse_early(install, keys, now)
    try:
        user = _answered(install, place, told, now)
    except Refused:
        signing_in.note_failure(install, keys, now)
        raise
    return signing_in.begun(install, user, keys, address, agent, now)


def _answered(install: Install, place: Place, told: wire.PasskeySignIn, now: datetime) -> User:
    challenge = _challenge(install, ENTERING, told.ticket, now)
    try:
        credential = base64url_to_bytes(str(told.credential.get("rawId", "")))
        with install.records.read() as db:
            known = db.scalar(select(Passkey).where(Passkey.credential == credential))
        if known is None:
            raise _refused()
        found = verify_authentication_response(
            credential=told.credential,
            expected_challenge=challenge,
            expected_rp_id=place.name,
            expected_origin=place.origin,
            credential_public_key=known.public_key,
            credential_current_sign_count=known.uses,
            require_user_verification=True,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as why:
        raise _refused() from why
    with install.records.begin() as db:
        kept = db.get_one(Passkey, known.id)
        kept.uses, kept.used_at = found.new_sign_count, now
        return db.get_one(User, kept.user_id)


def listed(install: Install, user: User) -> list[wire.PasskeyOut]:
    """List somebody's passkeys, the oldest first."""
    with install.records.read() as db:
        return [
            _out(each) for each in db.scalars(select(Passkey).where(Passkey.user_id == user.id).order_by(Passkey.id))
        ]


def dropped(install: Install, user: User, number: int) -> None:
    """Let a passkey of one's own count no longer; raises NotThere."""
    with install.records.begin() as db:
        found = db.get(Passkey, number) if number <= LARGEST_NUMBER else None
        if found is None or found.user_id != user.id:
            raise NotThere(
                "no-such-passkey",
                worded("There is no passkey {number}.", number=number),
                remedy="list them with `noctilum users --passkeys`",
            )
        db.delete(found)


def _asked(install: Install, purpose: str, challenge: bytes, options: str) -> wire.PasskeyAsked:
    ticket = timed_signer(install, purpose).dumps(bytes_to_base64url(challenge))
    told: dict[str, Any] = json.loads(options)
    return wire.PasskeyAsked(options=told, ticket=str(ticket))


def _challenge(install: Install, purpose: str, ticket: str, now: datetime) -> bytes:
    """Read the challenge a ticket stands for, once; raises Refused for one that is over, spent, or not of here."""
    try:
        challenge = base64url_to_bytes(timed_signer(install, purpose).loads(ticket, max_age=HOLDS))
    except (BadSignature, ValueError, TypeError) as why:
        raise _refused() from why
    try:
        with install.records.begin() as db:
            db.execute(delete(SpentChallenge).where(SpentChallenge.spent_at < now - timedelta(seconds=4 * HOLDS)))
            db.add(SpentChallenge(digest=sha256(challenge).hexdigest(), spent_at=now))
    except IntegrityError as why:
        raise _refused() from why
    return challenge


def _out(found: Passkey) -> wire.PasskeyOut:
    return wire.PasskeyOut(id=found.id, label=found.label, created_at=found.created_at, used_at=found.used_at)


def _refused() -> Refused:
    return Refused("passkey-refused", "The passkey does not answer what was asked.", remedy="try again")
