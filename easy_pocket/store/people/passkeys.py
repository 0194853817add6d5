"""Passkeys: a device signs what it is asked to with a key it keeps, after its owner unlocked it (WebAuthn, W3C).

What is to be signed holds a seal of the server and a time: nothing is kept until it is signed, and each is taken once.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import logging
import secrets
import time
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from webauthn import (
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import base64url_to_bytes
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from easy_pocket.core.errors import PocketError
from easy_pocket.core.text import one_line
from easy_pocket.store.agreed import done_now, server_secret
from easy_pocket.store.database import Database, Reads
from easy_pocket.store.people.accounts import now
from easy_pocket.store.people.sign_ins import begin
from easy_pocket.store.schema.people_tables import PasskeyRow
from easy_pocket.store.viewer import Viewer

log = logging.getLogger(__name__)
MOST = 20  # of one person
HOLDS_S = 300
NOT_THIS = "This passkey does not belong to an account here: sign in with name and password."
TOO_LATE = "This took too long, or was sent twice: try again."


@dataclass(frozen=True)
class Site:
    """What a passkey is bound to: the name of this server, and the address its pages come from."""

    name: str
    origin: str


def _challenge(database: Database, person: int) -> bytes:
    """person: whose new key it is; 0 for signing in."""
    said = int(time.time() + HOLDS_S).to_bytes(8, "big") + person.to_bytes(8, "big") + secrets.token_bytes(16)
    return said + _seal(database, said)


def _seal(database: Database, said: bytes) -> bytes:
    return hmac.new(server_secret(database), b"passkey" + said, hashlib.sha256).digest()


def _checked_challenge(database: Database, credential: dict[str, Any], person: int) -> bytes:
    """What was signed, if we asked for it. Raises PocketError."""
    try:
        told = json.loads(base64url_to_bytes(credential["response"]["clientDataJSON"]))
        challenge = base64url_to_bytes(told["challenge"])
    except (LookupError, TypeError, ValueError) as error:
        raise PocketError(NOT_THIS) from error
    said, seal = challenge[:32], challenge[32:]
    if not hmac.compare_digest(seal, _seal(database, said)) or int.from_bytes(said[8:16], "big") != person:
        raise PocketError(TOO_LATE)
    if int.from_bytes(said[:8], "big") < time.time():
        raise PocketError(TOO_LATE)
    return challenge


def _taken(session: Session, challenge: bytes) -> None:
    """Raises IntegrityError when it was before."""
    done_now(session, f"passkey {hashlib.sha256(challenge).hexdigest()}", "taken", timedelta(seconds=HOLDS_S))


def options_to_make(database: Database, site: Site, viewer: Viewer) -> str:
    """What a browser needs to make one, as JSON."""
    handle = hmac.new(server_secret(database), b"person %d" % viewer.person, hashlib.sha256).digest()
    made = generate_registration_options(
        rp_id=site.name,
        rp_name="Easy Pocket",
        user_name=viewer.name,
        user_id=handle,
        challenge=_challenge(database, viewer.person),
        timeout=HOLDS_S * 1000,
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED, user_verification=UserVerificationRequirement.REQUIRED
        ),
    )
    return options_to_json(made)


def options_to_sign_in(database: Database, site: Site) -> str:
    """What a browser needs to ask its user for one of this site."""
    made = generate_authentication_options(
        rp_id=site.name,
        challenge=_challenge(database, 0),
        timeout=HOLDS_S * 1000,
        user_verification=UserVerificationRequirement.REQUIRED,
    )
    return options_to_json(made)


def keep_passkey(database: Database, site: Site, viewer: Viewer, credential: dict[str, Any], device: str) -> None:
    """Raises PocketError for what was not made here, or is not whole."""
    challenge = _checked_challenge(database, credential, viewer.person)
    try:
        made = verify_registration_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=site.name,
            expected_origin=site.origin,
            require_user_verification=True,
        )
    except (WebAuthnException, LookupError, TypeError, ValueError) as error:
        raise PocketError("This passkey could not be made: try again, or another device.") from error
    try:
        with database.transaction() as session:
            _taken(session, challenge)
            if (session.scalar(select(func.count(PasskeyRow.id)).where(_of(viewer.person))) or 0) >= MOST:
                raise PocketError(f"You have {MOST} passkeys, the most there can be: take one away first.")
            named = one_line(device, 120) or "a device"
            session.add(
                PasskeyRow(
                    person_id=viewer.person, digest=_digest(made.credential_id), device=named, made_at=now(),
                    public_key=made.credential_public_key, sign_count=made.sign_count,
                )
            )  # fmt: skip
    except IntegrityError as error:
        raise PocketError(TOO_LATE) from error
    log.info("a passkey was made", extra={"facts": {"person": viewer.person}})


def sign_in_by_passkey(database: Database, site: Site, credential: dict[str, Any], device: str) -> str:
    """What the cookie is to hold. Raises PocketError when it is not right."""
    challenge = _checked_challenge(database, credential, 0)
    try:
        with database.transaction() as session:
            _taken(session, challenge)
            asked = select(PasskeyRow).where(PasskeyRow.digest == _digest(base64url_to_bytes(credential["id"])))
            row: PasskeyRow | None = session.scalar(asked.with_for_update())
            if row is None:
                raise PocketError(NOT_THIS)
            found = verify_authentication_response(
                credential=credential,
                expected_challenge=challenge,
                expected_rp_id=site.name,
                expected_origin=site.origin,
                credential_public_key=row.public_key,
                credential_current_sign_count=row.sign_count,
                require_user_verification=True,
            )
            row.sign_count, row.used_at = found.new_sign_count, now()
            log.info("signed in by a passkey", extra={"facts": {"person": row.person_id}})
            return begin(session, row.person_id, device)
    except IntegrityError as error:
        raise PocketError(TOO_LATE) from error
    except (WebAuthnException, LookupError, TypeError, ValueError) as error:
        log.warning("a passkey was refused", extra={"told": True, "facts": {"why": type(error).__name__}})
        raise PocketError(NOT_THIS) from error


def _digest(credential_id: bytes) -> str:
    return hashlib.sha256(credential_id).hexdigest()


def _of(person_id: int) -> Any:
    return PasskeyRow.person_id == person_id


@dataclass(frozen=True)
class Passkey:
    id: int
    device: str
    made_at: datetime
    used_at: datetime | None


def passkeys(reads: Reads, person_id: int) -> list[Passkey]:
    rows = reads.scalars(select(PasskeyRow).where(_of(person_id)).order_by(PasskeyRow.id))
    return [Passkey(row.id, row.device, row.made_at, row.used_at) for row in rows]


def take_passkey_away(session: Session, person_id: int, passkey_id: int) -> None:
    session.execute(delete(PasskeyRow).where(_of(person_id), PasskeyRow.id == passkey_id))
