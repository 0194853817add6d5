"""Passkeys: made on the page of one's account, used to sign in."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, Form
from pydantic import Field
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.store.database import Database
from easy_pocket.store.people.passkeys import (
    Site,
    keep_passkey,
    options_to_make,
    options_to_sign_in,
    sign_in_by_passkey,
    take_passkey_away,
)
from easy_pocket.store.people.sign_ins import confirm_password
from easy_pocket.store.songs.edits.fields import Strict
from easy_pocket.web.people.routes import NOT_IT, inside, let_browser_in
from easy_pocket.web.people.view import device_name, passkey_site
from easy_pocket.web.shared.dependencies import RowId, Store, signed_in
from easy_pocket.web.shared.json_response import JsonResponse

router = APIRouter()
MOST_CREDENTIAL_BYTES = 30_000
Word = Annotated[str, Field(max_length=20_000)]


class Credential(Strict):
    """What a browser gave, as it writes it itself (toJSON)."""

    id: Annotated[str, Field(min_length=1, max_length=2000, pattern=r"^[A-Za-z0-9_-]+$")]
    rawId: Annotated[str, Field(min_length=1, max_length=2000, pattern=r"^[A-Za-z0-9_-]+$")]
    type: Annotated[str, Field(max_length=40)]
    response: dict[Annotated[str, Field(max_length=40)], Word | int | list[Word] | None]
    authenticatorAttachment: Annotated[str, Field(max_length=40)] | None = None
    clientExtensionResults: dict[str, Any] = Field(default_factory=dict, max_length=10)


class SignInRequest(Strict):
    credential: Credential
    next: Annotated[str, Field(max_length=400)] = "/"


def _site(request: Request) -> Site:
    found = passkey_site(request)
    if found is None:
        raise BadValueError("Passkeys work where this server has a name and is reached by https.")
    return found


def _everything(request: Request) -> Database:
    """Not narrowed: who signs in is not known yet."""
    found: Database = request.app.state.database
    return found


@router.post("/account/passkeys/begin")
def begin_to_make(request: Request, store: Store, password: Annotated[str, Form(max_length=400)] = "") -> Response:
    """What a browser needs to make one, for who knows the password."""
    viewer, site = signed_in(request), _site(request)
    if not confirm_password(_everything(request), viewer, password):
        raise BadValueError(NOT_IT)
    return JsonResponse(json.loads(options_to_make(store, site, viewer)))


@router.post("/account/passkeys")
def make(request: Request, store: Store, sent: Credential) -> Response:
    keep_passkey(store, _site(request), signed_in(request), _plain(sent), device_name(request))
    return JsonResponse({"made": True})


@router.post("/account/passkeys/{passkey_id}/away")
def away(request: Request, store: Store, passkey_id: RowId) -> Response:
    with store.transaction() as session:
        take_passkey_away(session, signed_in(request).person, passkey_id)
    return RedirectResponse("/account", 303)


@router.post("/sign-in/passkey/begin")
def begin_to_sign_in(request: Request) -> Response:
    return JsonResponse(json.loads(options_to_sign_in(_everything(request), _site(request))))


@router.post("/sign-in/passkey")
def enter(request: Request, sent: SignInRequest) -> Response:
    secret = sign_in_by_passkey(_everything(request), _site(request), _plain(sent.credential), device_name(request))
    answer = JsonResponse({"address": inside(sent.next)})
    let_browser_in(request, secret, answer)
    return answer


def _plain(sent: Credential) -> dict[str, Any]:
    found = sent.model_dump(exclude_none=True)
    if len(json.dumps(found)) > MOST_CREDENTIAL_BYTES:
        raise PocketError("This passkey is larger than any can be: try another device.")
    return found
