"""Only where it is asked for: `./pocket test --many`, or --deep."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.many.servers import Servers, missing_programs, running_servers


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("--many") or config.getoption("--deep"):
        return
    skipped = pytest.mark.skip(reason="asked for by --many or --deep")
    for item in items:
        if Path(__file__).parent in Path(item.fspath).parents:
            item.add_marker(skipped)


@pytest.fixture(scope="session")
def servers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Servers]:
    missing = missing_programs()
    assert not missing, f"apt-get install {' '.join(missing)}"
    with running_servers(tmp_path_factory.mktemp("many")) as found:
        yield found
