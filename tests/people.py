"""People for tests: accounts, and pages they are signed in with."""

from __future__ import annotations

from easy_pocket.jobs.workers import Workers
from easy_pocket.store.database import Database
from easy_pocket.store.people.accounts import invite, take_up
from easy_pocket.web.app import make_app
from tests.conftest import Client

PASSWORD = "four plain wooden words"


def make_people(database: Database, *names: str) -> list[int]:
    """The first one owns the server."""
    numbers = []
    for name in names:
        with database.transaction() as session:
            row, invitation = invite(session, name)
            take_up(session, invitation, PASSWORD)
            numbers.append(row.id)
    return numbers


def signed_in(database: Database, workers: Workers, *names: str, app: object = None) -> list[Client]:
    """A page of each, all of one server."""
    app = app or make_app(database, workers=workers)
    clients = []
    for name in names:
        client = Client(app)
        answer = client.post("/sign-in", data={"name": name, "password": PASSWORD}, follow_redirects=False)
        assert answer.status_code == 303, answer.text
        clients.append(client)
    return clients
