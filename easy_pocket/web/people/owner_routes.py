"""What only the owner of the server does: who may come in."""

from __future__ import annotations

import logging
from typing import Annotated

from fastapi import APIRouter, Form
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.errors import PocketError
from easy_pocket.store.people.accounts import invite
from easy_pocket.store.people.leaving import remove_person
from easy_pocket.store.people.quotas import set_quotas
from easy_pocket.store.people.sign_ins import sign_device_out
from easy_pocket.web.people.view import account_values, invitation_address
from easy_pocket.web.shared.dependencies import RowId, ServerOwner, Store
from easy_pocket.web.shared.render import page

router = APIRouter(dependencies=[ServerOwner])
log = logging.getLogger(__name__)
Text = Annotated[str, Form(max_length=400)]
Count = Annotated[int, Form(ge=0, le=1_000_000)]


def _answer(request: Request, store: Store, status: int = 200, **more: object) -> Response:
    return page(request, "people/account.html", {**account_values(request, store.reader), **more}, status)


@router.post("/people")
def invite_person(request: Request, store: Store, name: Text = "") -> Response:
    """An account, or a new invitation for one that is there; the link is shown this once."""
    try:
        with store.transaction() as session:
            row, invitation = invite(session, name)
            log.info("somebody was invited", extra={"facts": {"person": row.id}})
            told = {"name": row.name, "address": invitation_address(request, invitation)}
    except PocketError as error:
        return _answer(request, store, 422, invite_error=str(error))
    return _answer(request, store, invited=told)


@router.post("/people/{person_id}/out")
def sign_person_out(request: Request, store: Store, person_id: RowId) -> Response:
    with store.transaction() as session:
        sign_device_out(session, person_id, 0)
    return _answer(request, store)


@router.post("/people/{person_id}/quotas")
def quotas(request: Request, store: Store, person_id: RowId, songs: Count, audio_mb: Count, jobs: Count) -> Response:
    with store.transaction() as session:
        set_quotas(session, person_id, songs=songs, audio_mb=audio_mb, jobs=jobs)
    return _answer(request, store)


@router.post("/people/{person_id}/remove")
def remove(request: Request, store: Store, person_id: RowId) -> Response:
    """The account goes; what was theirs goes to the owner of the server, so that nothing is lost."""
    try:
        with store.transaction() as session:
            remove_person(session, person_id)
            log.info("an account was taken away", extra={"facts": {"person": person_id}})
    except PocketError as error:
        return _answer(request, store, 422, invite_error=str(error))
    return _answer(request, store)
