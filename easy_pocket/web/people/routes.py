"""Signing in and out, invitations, one's own account."""

from __future__ import annotations

import logging
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import APIRouter, Form, Path, Query
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.store.database import Database
from easy_pocket.store.people.accounts import invited, set_password, take_up
from easy_pocket.store.people.sign_ins import (
    IDLE,
    TooManyTriesError,
    begin,
    confirm_password,
    sign_device_out,
    sign_in,
    sign_out,
)
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.web.people.door import cookie_name, cookie_of
from easy_pocket.web.people.view import account_values, device_name, passkey_site
from easy_pocket.web.serving import Serving
from easy_pocket.web.shared.dependencies import RowId, Store, signed_in
from easy_pocket.web.shared.render import page

router = APIRouter()
log = logging.getLogger(__name__)
Text = Annotated[str, Form(max_length=400)]
Secret = Annotated[str, Path(max_length=120)]
Next = Annotated[str, Query(max_length=400)]
NOT_IT = "This is not your password as it is now."


def _everything(request: Request) -> Database:
    """Not narrowed: who comes in here is not known yet."""
    found: Database = request.app.state.database
    return found


def inside(address: str) -> str:
    """An address of our own pages; the Shelf for any other."""
    split = urlsplit(address)
    ours = address.startswith("/") and not address.startswith(("//", "/\\")) and not split.netloc and not split.scheme
    return address if ours else "/"


@router.get("/sign-in")
def sign_in_page(request: Request, next: Next = "/") -> Response:
    return _sign_in_page(request, next)


def _sign_in_page(request: Request, next: str, error: str = "", name: str = "", status: int = 200) -> Response:
    values = {
        "next": inside(next),
        "error": error,
        "name": name[:60],
        "passkeys_work": passkey_site(request) is not None,
    }
    return page(request, "people/sign_in.html", values, status)


@router.post("/sign-in")
def enter(request: Request, name: Text = "", password: Text = "", next: Text = "/") -> Response:
    address = request.client.host if request.client else ""
    try:
        secret = sign_in(_everything(request), name, password, address, device_name(request))
    except PocketError as error:
        answer = _sign_in_page(request, next, str(error), name, 422)
        if isinstance(error, TooManyTriesError):
            answer.status_code = 429
            answer.headers["Retry-After"] = str(error.seconds)
        return answer
    return let_browser_in(request, secret, RedirectResponse(inside(next), 303))


def let_browser_in(request: Request, secret: str, answer: Response) -> Response:
    serving: Serving = request.app.state.serving
    answer.set_cookie(
        cookie_name(serving), secret, httponly=True, samesite="lax", secure=serving.secure, path="/",
        max_age=int(IDLE.total_seconds()),
    )  # fmt: skip
    return answer


@router.post("/sign-out")
def leave(request: Request) -> Response:
    name = cookie_name(request.app.state.serving)
    secret = cookie_of(request.headers, name)
    if secret:
        with _everything(request).transaction() as session:
            sign_out(session, secret)
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(name, path="/", secure=request.app.state.serving.secure, httponly=True, samesite="lax")
    answer.headers["Clear-Site-Data"] = '"cache", "storage"'
    return answer


@router.get("/invitation/{secret}")
def invitation(request: Request, secret: Secret) -> Response:
    row = invited(_everything(request).reader, secret)
    values = {"name": row.name if row else None, "secret": secret, "error": ""}
    return page(request, "people/invitation.html", values, 200 if row else 404)


@router.post("/invitation/{secret}")
def accept(request: Request, secret: Secret, password: Text = "", again: Text = "") -> Response:
    database = _everything(request)
    try:
        if password != again:
            raise BadValueError("The two passwords are not the same: type it again.")
        with database.transaction() as session:
            person = take_up(session, secret, password)
            log.info("an invitation was taken up", extra={"facts": {"person": person.id}})
            known = begin(session, person.id, device_name(request))
    except BadValueError as error:
        row = invited(database.reader, secret)
        values = {"name": row.name if row else None, "secret": secret, "error": str(error)}
        return page(request, "people/invitation.html", values, 422)
    return let_browser_in(request, known, RedirectResponse("/", 303))


@router.get("/account")
def account(request: Request, store: Store) -> Response:
    return page(request, "people/account.html", account_values(request, store.reader))


@router.post("/account/password")
def new_password(request: Request, store: Store, old: Text = "", password: Text = "", again: Text = "") -> Response:
    """Every other browser is signed out."""
    viewer = signed_in(request)
    try:
        if password != again:
            raise BadValueError("The two new passwords are not the same: type it again.")
        if not confirm_password(_everything(request), viewer, old):
            raise BadValueError(NOT_IT)
        with store.transaction() as session:
            row = session.get(PersonRow, viewer.person)
            assert row is not None
            set_password(session, row, password)
            log.info("a password was changed", extra={"facts": {"person": row.id}})
            secret = begin(session, row.id, device_name(request))
    except (BadValueError, TooManyTriesError) as error:
        values = {**account_values(request, store.reader), "error": str(error)}
        return page(request, "people/account.html", values, 422)
    return let_browser_in(request, secret, RedirectResponse("/account", 303))


@router.post("/account/devices/{device_id}/out")
def device_out(request: Request, store: Store, device_id: RowId) -> Response:
    with store.transaction() as session:
        sign_device_out(session, signed_in(request).person, device_id)
    return RedirectResponse("/account", 303)
