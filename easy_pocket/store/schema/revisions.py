"""The version of a database: the one it has, the one this program wants, and whether the program knows it at all."""

from __future__ import annotations

from functools import lru_cache

from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine

from easy_pocket.store.schema import MIGRATIONS


@lru_cache(maxsize=1)
def _scripts() -> ScriptDirectory:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return ScriptDirectory.from_config(config)


def head_revision() -> str:
    head = _scripts().get_current_head()
    assert head is not None
    return head


def known_revisions() -> set[str]:
    return {script.revision for script in _scripts().walk_revisions()}


def present_revision(engine: Engine) -> str | None:
    """None for a database in which nothing was made yet."""
    with engine.connect() as connection:
        return MigrationContext.configure(connection).get_current_revision()
