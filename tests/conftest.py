"""A MariaDB of the tests' own, and a shelf emptied before every test that asks for one."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import settings
from sqlalchemy import text

from easy_pocket.caches import give_core_its_caches
from easy_pocket.demo.load import load_demo
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.jobs.workers import Workers
from easy_pocket.samples import house_kits
from easy_pocket.store.database import Database
from easy_pocket.store.kits.kits import save_house_kits
from easy_pocket.store.schema import people_tables
from easy_pocket.store.schema.tables import Base, KitRow, PartRow
from easy_pocket.web.app import make_app
from tests.cli_desk import cli_desk

__all__ = ["cli_desk"]  # a fixture

settings.register_profile("steady", deadline=None, derandomize=True)
settings.register_profile("deep", deadline=None, print_blob=True)  # new examples every time
give_core_its_caches()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--many", action="store_true", help="tests of several processes and machines")
    parser.addoption("--deep", action="store_true", help="the long tests too, and new examples drawn")


def pytest_configure(config: pytest.Config) -> None:
    settings.load_profile("deep" if config.getoption("--deep") else "steady")


@pytest.fixture(scope="session")
def deep(request: pytest.FixtureRequest) -> bool:
    """Whether a test may take long: it then does the same more often."""
    return bool(request.config.getoption("--deep"))


@pytest.fixture(scope="session")
def home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of these tests' own database server; each of several workers has one."""
    folder = Path(os.environ.get("EASY_POCKET_HOME") or tmp_path_factory.mktemp("home")).resolve()
    return folder / os.environ.get("PYTEST_XDIST_WORKER", "")


@pytest.fixture(scope="session")
def database_url(home: Path) -> Iterator[str]:
    server = MariaDb(home / "store")
    yield server.start()
    server.stop()


def empty_schema(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for (table,) in connection.execute(text("SHOW TABLES")).all():
            connection.execute(text(f"DROP TABLE `{table}`"))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


@pytest.fixture(scope="session")
def migrated(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    empty_schema(database)
    database.migrate()
    load_demo(database, songs=False)
    yield database
    database.close()


assert people_tables.PersonRow.__tablename__ in Base.metadata.tables
KEPT = ("kit", "sound", "audio", "person")  # slow to make; kits that a test has changed are mended before the next


@pytest.fixture
def store(migrated: Database) -> Database:
    with migrated.engine.begin() as connection:
        for table in reversed(Base.metadata.sorted_tables):
            if table.name not in KEPT:
                connection.execute(table.delete())
        connection.execute(text("DELETE FROM person WHERE id > 1"))
        connection.execute(text("UPDATE person SET name = 'me', role = 'owner', password = NULL, invitation = NULL"))
    with migrated.transaction() as session:
        kits = [(key, edited) for key, edited in session.query(KitRow.key, KitRow.edited)]
    if {key for key, _ in kits} != set(house_kits()) or any(edited for _, edited in kits):
        fresh_kits(migrated)  # whatever test was before, in whichever order
    return migrated


def fresh_kits(database: Database) -> None:
    """The house kits as the program has them, whatever was edited, and no others."""
    with database.transaction() as session:
        session.query(PartRow).update({PartRow.kit_key: "boathouse"})
        session.query(KitRow).filter(KitRow.key.not_in(house_kits())).delete()
        for row in session.query(KitRow):
            row.edited, row.key_note, row.voices = False, None, []
        session.flush()
        save_house_kits(session)


class Client(TestClient):
    """Requests as our own pages send them."""

    def __init__(self, app: object) -> None:
        super().__init__(app, raise_server_exceptions=True)  # type: ignore[arg-type]
        self.headers["origin"] = "http://testserver"


@pytest.fixture(scope="session")
def workers(migrated: Database) -> Iterator[Workers]:
    """Shared by all apps: a process takes a moment to begin."""
    shared = Workers(migrated.url)
    yield shared
    shared.close()


@pytest.fixture
def client(store: Database, workers: Workers, caplog: pytest.LogCaptureFixture) -> Iterator[Client]:
    """A page. A request that fails in a way nobody foresaw fails the test, though it was answered in our words."""
    yield Client(make_app(store, workers=workers))
    failed = [record for record in caplog.records if record.name == "easy_pocket.requests" and record.exc_info]
    assert [record.exc_text or str(record.exc_info) for record in failed] == []
