"""Who may come in: invitations, passwords, sign-ins that end, quotas, proxies, other users of the machine."""

import base64
import json
import re
import time

import pytest
from sqlalchemy import select, text

from easy_pocket.core.errors import BadValueError
from easy_pocket.store.people import sign_ins
from easy_pocket.store.people.accounts import invite
from easy_pocket.store.people.passkeys import passkeys
from easy_pocket.store.schema.people_tables import PasskeyRow, PersonRow, SignInRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.shelf import shelf
from easy_pocket.store.viewer import Viewer
from easy_pocket.web import local_user
from easy_pocket.web.app import make_app
from easy_pocket.web.serving import Serving, ServingError, serving
from tests.conftest import Client
from tests.people import PASSWORD, make_people, signed_in

PAGE = {"Accept": "text/html"}


@pytest.fixture
def app(store, workers):
    return make_app(store, workers=workers)


def test_without_accounts_nothing_is_asked(client):
    assert client.get("/").status_code == 200
    assert client.get("/account", headers=PAGE).status_code == 404


def test_the_first_one_invited_owns_the_server_and_has_what_was_there(store, app):
    with store.transaction() as session:
        create_song(session, "Lamplighter", tempo_bpm=104)
        row, invitation = invite(session, "Ada")
        assert (row.id, row.role) == (1, "owner")
    client = Client(app)
    assert client.get("/", headers=PAGE, follow_redirects=False).headers["location"] == "/sign-in?next=/"
    page = client.get(f"/invitation/{invitation}").text
    assert "Welcome, Ada" in page
    twice = {"password": PASSWORD, "again": PASSWORD + "x"}
    assert "not the same" in client.post(f"/invitation/{invitation}", data=twice).text
    twice["again"] = PASSWORD
    answer = client.post(f"/invitation/{invitation}", data=twice, follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (303, "/")
    assert "Lamplighter" in client.get("/").text
    assert ">AD<" in client.get("/").text
    assert client.get(f"/invitation/{invitation}").status_code == 404
    again = client.post(f"/invitation/{invitation}", data=twice)
    assert "was used" in again.text


@pytest.mark.parametrize(
    ("password", "words"),
    [("short", "5 characters; 12 are needed"), ("aaaaaaaaaaaaaa", "first that are tried"), ("x" * 200, "at most 128"),
     ("password1234", "first that are tried"), ("Adalbertine99", "first that are tried")],
)  # fmt: skip
def test_a_password_that_is_easily_guessed_is_not_taken(store, app, password, words):
    with store.transaction() as session:
        _, invitation = invite(session, "Adalbertine")
    answer = Client(app).post(f"/invitation/{invitation}", data={"password": password, "again": password})
    assert answer.status_code == 422
    assert words in answer.text


def test_what_the_cookie_is_and_that_it_ends_with_signing_out(store, workers):
    make_people(store, "Ada")
    public = Serving(hosts=frozenset({"testserver", "drums.example.org"}), public_url="https://drums.example.org")
    client = Client(make_app(store, workers=workers, serving=public))
    client.base_url = "https://drums.example.org"
    client.headers["origin"] = "https://drums.example.org"
    answer = client.post("/sign-in", data={"name": "Ada", "password": PASSWORD}, follow_redirects=False)
    cookie = answer.headers["set-cookie"]
    for piece in ("__Host-pocket=", "HttpOnly", "Secure", "SameSite=lax", "Path=/"):
        assert piece in cookie
    assert "Domain" not in cookie
    kept = dict(client.cookies)
    assert client.get("/account").status_code == 200
    left = client.post("/sign-out", follow_redirects=False)
    assert "storage" in left.headers["clear-site-data"]
    client.cookies.update(kept)  # somebody copied it
    assert client.get("/account", headers={"Accept": "application/json"}).status_code == 401
    with store.transaction() as session:
        assert session.scalars(select(SignInRow)).all() == []


def test_where_one_is_led_after_signing_in_is_a_page_of_ours(store, app):
    make_people(store, "Ada")
    client = Client(app)
    for asked, led in (("/songs/3/bench?at=1", "/songs/3/bench?at=1"), ("//evil.example", "/"),
                       ("https://evil.example/", "/"), ("/\\evil.example", "/")):  # fmt: skip
        data = {"name": "Ada", "password": PASSWORD, "next": asked}
        assert client.post("/sign-in", data=data, follow_redirects=False).headers["location"] == led


def test_who_guesses_waits_longer_and_longer(store, app, monkeypatch):
    make_people(store, "Ada", "Ben")
    client = Client(app)

    def guess(name="Ada", password="wrong"):
        return client.post("/sign-in", data={"name": name, "password": password}, follow_redirects=False)

    for _ in range(5):
        assert guess().status_code == 422
    waiting = guess(password=PASSWORD)
    assert waiting.status_code == 429
    assert "wait" in waiting.text
    assert int(waiting.headers["retry-after"]) <= 2
    assert guess("Ben", PASSWORD).status_code == 303  # another is not kept out by that
    with store.transaction() as session:
        session.execute(text("UPDATE failed_sign_in SET again_at = again_at - INTERVAL 10 SECOND"))
    assert guess().status_code == 422
    assert 2 <= int(guess().headers["retry-after"]) <= 4
    with store.transaction() as session:
        session.execute(text("UPDATE failed_sign_in SET again_at = again_at - INTERVAL 10 SECOND"))
    assert guess(password=PASSWORD).status_code == 303
    # A name nobody has is answered in the same words.
    assert "do not belong together" in guess("Nobody").text


def test_a_sign_in_ends_when_it_was_not_used_for_long(store, workers, app):
    make_people(store, "Ada")
    (client,) = signed_in(store, workers, "Ada", app=app)
    with store.transaction() as session:
        session.execute(text("UPDATE sign_in SET used_at = used_at - INTERVAL 13 DAY"))
    assert client.get("/account").status_code == 200
    with store.transaction() as session:
        assert (sign_ins.now() - session.scalar(select(SignInRow.used_at))).total_seconds() < 60
        session.execute(text("UPDATE sign_in SET used_at = used_at - INTERVAL 15 DAY"))
    assert client.get("/account", headers={"Accept": "application/json"}).status_code == 401


def test_another_browser_is_signed_out_and_a_new_password_ends_all_others(store, workers, app):
    make_people(store, "Ada")
    here, there = signed_in(store, workers, "Ada", "Ada", app=app)
    page = here.get("/account").text
    assert page.count("this browser") == 1
    (other,) = re.findall(r"/account/devices/(\d+)/out", page)
    here.post(f"/account/devices/{other}/out")
    assert there.get("/account", headers={"Accept": "application/json"}).status_code == 401
    (there,) = signed_in(store, workers, "Ada", app=app)
    new = "six other wooden words"
    wrong = here.post("/account/password", data={"old": "x", "password": new, "again": new})
    assert "not your password" in wrong.text
    assert here.post("/account/password", data={"old": PASSWORD, "password": new, "again": new}).status_code == 200
    assert there.get("/account", headers={"Accept": "application/json"}).status_code == 401
    assert here.get("/account").status_code == 200


def test_the_owner_invites_and_takes_away_and_nothing_is_lost(store, workers, app):
    make_people(store, "Ada", "Ben")
    ada, ben = signed_in(store, workers, "Ada", "Ben", app=app)
    invited = ada.post("/people", data={"name": "Cleo"}).text
    link = re.search(r"/invitation/[\w-]+", invited).group()
    assert "Welcome, Cleo" in Client(app).get(link).text
    assert ben.post("/people", data={"name": "Dora"}).status_code == 404
    assert "data-invitation" not in ben.get("/account").text
    ben.post("/songs", data={"name": "His"})
    with store.transaction() as session:
        number = session.scalar(select(PersonRow.id).where(PersonRow.name == "Ben"))
    assert "stays" in ada.post("/people/1/remove").text
    ada.post(f"/people/{number}/remove")
    assert ben.get("/", headers={"Accept": "application/json"}).status_code == 401
    assert "His" in ada.get("/").text


def test_a_quota_is_said_before_more_is_kept(store, workers, app, monkeypatch):
    ada_id, ben = make_people(store, "Ada", "Ben")
    ada, his = signed_in(store, workers, "Ada", "Ben", app=app)
    ada.post(f"/people/{ben}/quotas", data={"songs": 2, "audio_mb": 0, "jobs": 1})
    for name in ("One", "Two"):
        assert his.post("/songs", data={"name": name}).status_code == 200
    third = his.post("/songs", data={"name": "Three"}, headers={"Accept": "application/json"})
    assert third.status_code == 422
    assert "You have 2 songs, and may have 2" in third.json()["error"]
    seen = store.seen_by(Viewer(ben, "Ben"))
    assert {one.name for one in shelf(seen.reader)} == {"One", "Two"}
    assert ada.post("/songs", data={"name": "Hers"}).status_code == 200
    from tests.drums import ROCK, beat, rendered, wav_bytes

    loop, _ = rendered(beat(ROCK), 112.0)
    song = shelf(seen.reader)[0].id
    hers = next(one.id for one in shelf(store.seen_by(Viewer(ada_id, "Ada")).reader) if one.name == "Hers")
    # The second time the audio lies in the database already: it is hers.
    for _ in range(2):
        refused = his.post(f"/songs/{song}/loops/upload?name=loop.wav", content=wav_bytes(loop.samples))
        assert refused.status_code == 422
        assert "more than your 0 MB" in refused.json()["error"]
        taken = ada.post(f"/songs/{hers}/loops/upload?name=loop.wav", content=wav_bytes(loop.samples))
        assert taken.status_code == 200


def test_what_a_program_sees_is_what_the_person_of_its_token_sees(store, workers, app):
    make_people(store, "Ada", "Ben")
    ada, ben = signed_in(store, workers, "Ada", "Ben", app=app)
    ada.post("/songs", data={"name": "Hers"})
    made = ben.post("/programs", data={"name": "his counting script", "scope": "read"}).text
    token = re.search(r'value="(pocket-[^"]+)"', made).group(1)
    program = Client(app)
    program.headers["authorization"] = f"Bearer {token}"
    assert program.get("/api/v1/songs").json()["items"] == []
    ben.post("/songs", data={"name": "His"})
    assert [one["name"] for one in program.get("/api/v1/songs").json()["items"]] == ["His"]
    assert "his counting script" not in ada.get("/").text
    # A cookie is none for a program, so that no page of others can send it.
    assert ben.get("/api/v1/songs").status_code == 401


def test_an_edit_cannot_reach_for_what_is_somebody_elses(store, workers, app):
    from easy_pocket.samples import house_kits
    from easy_pocket.store.kits.kits import add_kit

    make_people(store, "Ada", "Ben")
    _, ben = signed_in(store, workers, "Ada", "Ben", app=app)
    with store.transaction() as session:
        kit = add_kit(session, house_kits()["boathouse"]).key  # Ada's
    ben.post("/songs", data={"name": "His"})
    song = re.search(r'data-song="(\d+)"', ben.get("/").text).group(1)
    state = ben.get(f"/songs/{song}/state", params={"screen": "bench"}).json()["song"]
    edit = {"kind": "kit", "kit_key": kit}
    answer = ben.post(f"/songs/{song}/edits", json={"revision": state["revision"], "edit": edit})
    assert answer.status_code == 422, answer.text
    assert "no kit" in answer.json()["error"]


def test_a_proxy_is_believed_only_where_it_is_trusted(store, workers, monkeypatch):
    make_people(store, "Ada")
    monkeypatch.setenv("EASY_POCKET_PUBLIC_URL", "https://drums.example.org")
    headers = {"host": "inside:8000", "x-forwarded-host": "drums.example.org", "x-forwarded-proto": "https",
               "x-forwarded-for": "6.6.6.6, 203.0.113.9", "origin": "https://drums.example.org"}  # fmt: skip
    data = {"name": "Ada", "password": PASSWORD}
    for trusted, status in (("", 421), ("10.0.0.0/8", 421), ("127.0.0.1,10.0.0.0/8", 303)):
        monkeypatch.setenv("EASY_POCKET_TRUSTED_PROXIES", trusted)
        app = make_app(store, workers=workers, serving=serving("127.0.0.1", 8000))
        client = Client(app)
        client._transport.client = ("127.0.0.1", 50_000)
        answer = client.post("/sign-in", data=data, headers=headers, follow_redirects=False)
        assert answer.status_code == status, trusted
    wrong = client.post("/sign-in", data={"name": "Ada", "password": "x"}, headers=headers)
    assert wrong.status_code == 422
    from easy_pocket.store.people.secrets import digest

    with store.engine.connect() as connection:
        kept = set(connection.execute(text("SELECT digest FROM failed_sign_in")).scalars())
    assert kept == {digest("name ada"), digest("address 203.0.113.9")}  # the nearest one no proxy of ours has


def test_settings_that_cannot_be_served_are_refused_in_words(monkeypatch):
    with pytest.raises(ServingError, match="set EASY_POCKET_PUBLIC_URL to the one people type"):
        serving("0.0.0.0", 8000)
    assert serving("192.0.2.7", 8000).hosts >= {"192.0.2.7"}
    assert not serving("127.0.0.1", 8000).elsewhere
    monkeypatch.setenv("EASY_POCKET_PUBLIC_URL", "drums.example.org")
    with pytest.raises(ServingError, match="must be an address like"):
        serving("0.0.0.0", 8000)
    monkeypatch.setenv("EASY_POCKET_PUBLIC_URL", "https://drums.example.org/")
    monkeypatch.setenv("EASY_POCKET_TRUSTED_PROXIES", "my proxy")
    with pytest.raises(ServingError, match="holds 'my proxy'"):
        serving("0.0.0.0", 8000)


def test_another_user_of_the_machine_needs_the_key(store, workers, monkeypatch):
    app = make_app(store, workers=workers, serving=Serving(local_key="k" * 32))
    stranger = Client(app)
    refused = stranger.get("/", headers=PAGE)
    assert refused.status_code == 403
    assert "belongs to another user of this machine" in refused.text
    assert stranger.post("/songs", data={"name": "x"}).status_code == 403
    assert stranger.get(f"/?key={'x' * 32}").status_code == 403
    let_in = stranger.get(f"/?key={'k' * 32}&order=name", follow_redirects=False)
    assert let_in.headers["location"] == "/?order=name"
    assert "HttpOnly" in let_in.headers["set-cookie"]
    assert stranger.get("/").status_code == 200
    monkeypatch.setattr(local_user, "_owner", lambda client, server: local_user.os.getuid())
    assert Client(app).get("/").status_code == 200


def test_whose_connection_it_is_the_kernel_tells():
    import os
    import socket

    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        listener.listen()
        with socket.create_connection(listener.getsockname()) as mine:
            assert local_user._owner(mine.getsockname(), listener.getsockname()) == os.getuid()
            assert local_user.is_same_user(mine.getsockname(), listener.getsockname())
    assert not local_user.is_same_user(("127.0.0.1", 1), ("127.0.0.1", 2))
    assert not local_user.is_same_user(("nonsense", 1), ("127.0.0.1", 2))


def test_a_name_is_checked(store):
    with store.transaction() as session, pytest.raises(BadValueError, match="1 to 60 characters"):
        invite(session, "  ")


def test_a_database_that_is_away_is_said_so_at_the_door_too(store, workers):
    """With accounts and without: pages keep what they have, and send it again."""
    from easy_pocket.store.database import Database

    away = Database("mysql+pymysql://pocket:x@127.0.0.1:1/pocket")
    never_seen = Client(make_app(away, workers=workers))
    make_people(store, "Ada")
    app = make_app(store, workers=workers)
    (ada,) = signed_in(store, workers, "Ada", app=app)
    for middleware in _doors(app):
        middleware.database = away
    for client in (never_seen, ada):
        answer = client.get("/songs/1/state", params={"screen": "bench"}, headers={"Accept": "application/json"})
        assert answer.status_code == 503
        assert "sent again by themselves" in answer.json()["error"]
        assert client.get("/health").status_code == 200


def _doors(app):
    layer = app.middleware_stack
    while layer is not None:
        if type(layer).__name__ == "Door":
            yield layer
        layer = getattr(layer, "app", None)


def credential(challenge):
    """As a browser sends it, signed by nobody."""
    told = {"type": "webauthn.get", "challenge": challenge, "origin": "http://localhost:8000"}
    response = {"clientDataJSON": plain64(json.dumps(told).encode()), "authenticatorData": "AA", "signature": "AA"}
    return {"credential": {"id": "AA", "rawId": "AA", "type": "public-key", "response": response}, "next": "/"}


def plain64(data):
    return base64.urlsafe_b64encode(data).rstrip(b"=").decode()


def test_what_was_not_asked_for_here_is_no_passkey(store, workers, monkeypatch):
    make_people(store, "Ada")
    served = Serving(public_url="http://localhost:8000")
    app = make_app(store, workers=workers, serving=served)
    client = Client(app)

    def refused(challenge):
        answer = client.post("/sign-in/passkey", json=credential(challenge))
        assert answer.status_code == 422
        return answer.json()["error"]

    asked = client.post("/sign-in/passkey/begin").json()
    assert (asked["rpId"], asked["userVerification"]) == ("localhost", "required")
    assert "does not belong" in refused(asked["challenge"])  # no such key
    assert "took too long" in refused("!")
    made_up = bytearray(base64.urlsafe_b64decode(asked["challenge"] + "=="))
    made_up[20] ^= 1
    assert "took too long" in refused(plain64(bytes(made_up)))
    later = time.time() + 301
    fresh = client.post("/sign-in/passkey/begin").json()["challenge"]
    monkeypatch.setattr("easy_pocket.store.people.passkeys.time.time", lambda: later)
    assert "took too long" in refused(fresh)
    monkeypatch.undo()
    # One that was made to keep a new key does not sign in.
    (ada,) = signed_in(store, workers, "Ada", app=app)
    to_make = ada.post("/account/passkeys/begin", data={"password": PASSWORD}).json()
    assert (to_make["rp"]["id"], to_make["user"]["name"]) == ("localhost", "Ada")
    assert "took too long" in refused(to_make["challenge"])
    assert "could not be made" in ada.post(
        "/account/passkeys", json=credential(to_make["challenge"])["credential"]
    ).json()["error"]  # fmt: skip
    huge = credential(fresh)
    huge["credential"]["response"]["more"] = ["x" * 20_000] * 3
    assert client.post("/sign-in/passkey", json=huge).status_code == 422


def test_a_new_invitation_ends_the_passkeys_of_before(store):
    (ada,) = make_people(store, "Ada")
    with store.transaction() as session:
        session.add(PasskeyRow(person_id=ada, digest="d", public_key=b"k", sign_count=0, device="a phone"))
    make_people(store, "Ada")
    assert passkeys(store.reader, ada) == []


def test_guessing_ones_own_password_to_make_a_passkey_waits_too(store, workers):
    make_people(store, "Ada")
    served = Serving(public_url="http://localhost:8000")
    (ada,) = signed_in(store, workers, "Ada", app=make_app(store, workers=workers, serving=served))
    said = [ada.post("/account/passkeys/begin", data={"password": "wrong"}).json()["error"] for _ in range(7)]
    assert "not your password" in said[0]
    assert "wait" in said[-1]
