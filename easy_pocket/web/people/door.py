"""The door: before anything else of a request is done, who asks is known, and whether they may.

Without accounts everybody on this machine who may come in sees everything. With accounts each sees what is theirs:
what is read and written further in is narrowed by the viewer that is set here (store/scope.py), and a song is
there only for those it was opened to."""

from __future__ import annotations

import hmac
import re
import time
from http.cookies import CookieError, SimpleCookie
from urllib.parse import quote, urlencode

from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders, QueryParams
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from easy_pocket.store.database import Database
from easy_pocket.store.people.accounts import are_there_accounts, viewer_from
from easy_pocket.store.people.entry import entered
from easy_pocket.store.people.links import songs_written_in
from easy_pocket.store.people.sign_ins import who
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.tokens import known_token
from easy_pocket.store.viewer import LISTENER, VIEWER_NOW, Viewer
from easy_pocket.web.local_user import is_same_user
from easy_pocket.web.serving import Serving
from easy_pocket.web.unforeseen import wants_page

COOKIE, LOCAL_COOKIE = "pocket", "pocket_here"
OPEN_TO_ALL = ("/static/", "/health", "/sign-in", "/invitation/", "/link/", "/listen/", "/help")
OF_GUESTS = ("/audio/", "/hands/", "/jobs/", "/stage/", "/takes/", "/sign-out", "/library/")
API = "/api/v1"
OF_A_SONG = re.compile(r"^(?:/api/v1|/bin)?/songs/(\d{1,10})(?:/|$)")
LOOK_AGAIN_S = 1.0
NO_SONG = "There is no such song on the shelf: it may have been deleted in another tab."
SIGN_IN = "Sign in first: this Easy Pocket has accounts."
KEY_NEEDED = (
    "This Easy Pocket belongs to another user of this machine. Open the address with the key that ./pocket start "
    "printed for others, or start your own."
)


class Accounts:
    """Whether there are any; looked up again from time to time while there are none."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._on, self._known, self._looked_at = False, False, -LOOK_AGAIN_S

    def are_on(self) -> bool:
        if not self._on and time.monotonic() - self._looked_at >= LOOK_AGAIN_S:
            try:
                self.look()
            except SQLAlchemyError:
                if not self._known:
                    raise
        return self._on

    def look(self) -> None:
        self._looked_at = time.monotonic()
        self._on, self._known = are_there_accounts(self._database.reader), True


def cookie_name(serving: Serving) -> str:
    return f"__Host-{COOKIE}" if serving.secure else COOKIE


class Door:
    """Middleware."""

    def __init__(self, app: ASGIApp, database: Database, accounts: Accounts, serving: Serving) -> None:
        self.app, self.database, self.accounts, self.serving = app, database, accounts, serving

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"] == "/health":
            await self.app(scope, receive, send)
            return
        try:
            answer, viewer = await run_in_threadpool(self._who, scope)
        except SQLAlchemyError as error:
            answer, viewer = _database_away(scope, error), None
        scope.setdefault("state", {})["viewer"] = viewer
        if answer is not None:
            await answer(scope, receive, send)
            return
        token = VIEWER_NOW.set(viewer)
        try:
            await self.app(scope, receive, self._keeping_key(scope, send))
        finally:
            VIEWER_NOW.reset(token)

    def _who(self, scope: Scope) -> tuple[Response | None, Viewer | None]:
        """An answer that ends it here, if any, and who asks."""
        headers, path = Headers(scope=scope), scope["path"]
        if not self.accounts.are_on():
            return self._of_this_machine(scope, headers), None
        song = OF_A_SONG.match(path)
        with self.database.reader.together() as session:  # one connection for all that is asked here
            viewer = self._known(session, scope, headers)
            inside = entered(session, viewer, int(song[1])) if viewer is not None and song is not None else None
        if viewer is None:
            if path.startswith(OPEN_TO_ALL):
                return None, Viewer(0, role="guest")
            if path.startswith(API):  # answered there, as programs expect it
                return None, Viewer(0, role="guest")
            return _sign_in_first(scope, headers), None
        if song is None:
            return (self._of_guest(viewer, path, headers) if viewer.role == "guest" else None), viewer
        if inside is None:
            return _not_there(headers), viewer
        return None, inside

    def _of_guest(self, viewer: Viewer, path: str, headers: Headers) -> Response | None:
        """Who has no account writes in the song they were let in to, and sees nothing else."""
        if path == "/":
            song = next(iter(songs_written_in(self.database.reader, viewer.person)), None)
            return RedirectResponse(f"/songs/{song}/bench", 303) if song else _not_there(headers)
        return None if path.startswith((*OPEN_TO_ALL, *OF_GUESTS)) else _not_there(headers)

    def _known(self, session: Session, scope: Scope, headers: Headers) -> Viewer | None:
        kind, _, token = headers.get("authorization", "").partition(" ")
        if scope["path"].startswith(API) and kind.lower() == "bearer":
            known = known_token(self.database, token)
            row = known and session.get(PersonRow, known.person_id)
            return viewer_from(row) if row else None
        if scope["path"].startswith(API):
            return None  # a program shows its token, whoever is signed in
        secret = cookie_of(headers, cookie_name(self.serving))
        return who(self.database, session, secret) if secret else None

    def _of_this_machine(self, scope: Scope, headers: Headers) -> Response | None:
        """Nobody but the user who started it, and who knows the key."""
        key = self.serving.local_key
        if not key or scope["path"].startswith("/static/"):
            return None
        known = cookie_of(headers, LOCAL_COOKIE) or ""
        if hmac.compare_digest(known.encode(), key.encode()):
            return None
        asked = QueryParams(scope["query_string"])
        if scope["method"] == "GET" and hmac.compare_digest(asked.get("key", "").encode(), key.encode()):
            rest = urlencode([(name, value) for name, value in asked.multi_items() if name != "key"])
            answer = RedirectResponse(scope["path"] + (f"?{rest}" if rest else ""), 303)
            answer.set_cookie(LOCAL_COOKIE, key, httponly=True, samesite="strict", max_age=400 * 86_400)
            return answer
        if scope["path"].startswith(API) or is_same_user(scope.get("client"), scope.get("server")):
            return None  # a program shows its token
        return _refused(headers, 403, "Not yours", KEY_NEEDED)

    def _keeping_key(self, scope: Scope, send: Send) -> Send:
        """Answers of pages to those who are known by a cookie are not kept by anybody between."""

        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start" and scope["state"].get("viewer") is not None:
                MutableHeaders(scope=message).add_vary_header("Cookie")
            await send(message)

        return sending


def cookie_of(headers: Headers, name: str) -> str | None:
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(name)
    except CookieError:
        return None
    return found.value if found else None


def _refused(headers: Headers, status: int, title: str, words: str) -> Response:
    if not wants_page(headers):
        return JSONResponse({"error": words}, status)
    from easy_pocket.web.shared.render import render  # here, for it needs all screens

    shown = render("people/refused.html", title=title, words=words, screen="error", viewer=None)
    return HTMLResponse(shown, status)


def _database_away(scope: Scope, error: SQLAlchemyError) -> Response:
    """In the words of every other answer: pages keep what they have and send it again."""
    from easy_pocket.web.errors import not_kept  # here, for it needs all screens

    return not_kept(Request(scope), error)


def _not_there(headers: Headers) -> Response:
    return _refused(headers, 404, "Not on the shelf", NO_SONG)


def _sign_in_first(scope: Scope, headers: Headers) -> Response:
    if scope["method"] == "GET" and wants_page(headers) and not headers.get("hx-request"):
        asked = scope["path"] + (f"?{scope['query_string'].decode('latin-1')}" if scope["query_string"] else "")
        return RedirectResponse(f"/sign-in?next={quote(asked, safe='/')}", 303)
    return JSONResponse({"error": SIGN_IN, "sign_in": "/sign-in"}, 401)


def as_listener(link_id: int, song_id: int, owner: int) -> Viewer:
    """Who came by a link to listen: the song is there for them, and nothing else."""
    return Viewer(0, f"{LISTENER}{link_id}", "guest", song=song_id, song_owner=owner)
