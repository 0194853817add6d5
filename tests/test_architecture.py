"""The layout keeps its arrows, ships what it needs, and says nothing it must not."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent
WEB = ROOT / "easy_pocket/web"
STATIC = WEB / "static"


def test_imports_point_one_way():
    linter = Path(sys.executable).with_name("lint-imports")
    done = subprocess.run([linter], cwd=ROOT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout


def test_pages_ask_no_other_host_and_hold_no_inline_code():
    ours = [path for folder in ("shared", "screens") for path in (WEB / folder).rglob("*.*")]
    pages = [path for path in ours if path.suffix in (".js", ".css", ".html")]
    assert len(pages) > 80
    for path in pages:
        text = path.read_text()
        hosts = set(re.findall(r"https?://[^\"'\s)]+", text)) - {"http://www.w3.org/2000/svg"}
        assert not hosts, path
        assert not re.search(r"\son[a-z]+=\"", text), path
        assert not re.search(r"\sstyle=\"", text), path
        assert not re.search(r"\beval\(|new Function\(", text), path


@pytest.mark.parametrize("folder", sorted(path for path in (STATIC / "vendor").iterdir()), ids=lambda path: path.name)
def test_every_vendored_package_has_its_licence_and_version(folder):
    assert len((folder / "LICENSE").read_text()) > 200
    assert re.search(r"@\d+\.\d+\.\d+$", (folder / "VERSION").read_text().strip())


@pytest.mark.parametrize("lock", ["app", "dev", "bench", "fit"])
def test_locks_pin_and_hash_everything(lock):
    text = (ROOT / f"requirements/{lock}.txt").read_text()
    packages = re.findall(r"^([a-z0-9._-]+)(==)?", text, re.M)
    assert len(packages) > 20
    assert all(pinned for _, pinned in packages)
    assert text.count("--hash=sha256:") >= len(packages)


def test_small_files():
    long = [path for path in (ROOT / "easy_pocket").rglob("*.py") if len(path.read_text().splitlines()) > 400]
    assert long == []


def test_the_architecture_names_the_rooms_that_are_there():
    told = set(re.findall(r"^\| `([a-z/]+)` \|", (ROOT / "docs/architecture.md").read_text(), re.M))
    package = ROOT / "easy_pocket"
    there = {
        path.relative_to(package).as_posix()
        for room in ("core", "store", "web")
        for path in (package / room).iterdir()
        if path.is_dir() and (path / "__init__.py").exists()
    }
    assert told == there


def test_every_screen_has_its_files_in_its_folder():
    for folder in (WEB / "screens").iterdir():
        if not folder.is_dir() or folder.name.startswith("__"):
            continue
        names = {path.name for path in folder.iterdir()}
        assert {"screen.py", f"{folder.name}.html"} <= names, folder
        assert f"{folder.name}.js" in names, folder


def test_no_view_reaches_into_the_rows_of_a_song():
    found = [path for path in WEB.rglob("*.*") if path.suffix in (".py", ".html") and "song.row" in path.read_text()]
    assert found == []


def test_no_import_circles_among_scripts():
    imports = {}
    for path in [*(WEB / "shared").glob("*.js"), *(WEB / "screens").rglob("*.js")]:
        named = re.findall(r'^import .* from "(\.[^"]+)";', path.read_text(), re.M)
        imports[path] = {(path.parent / name).resolve() for name in named}
    assert sum(map(len, imports.values())) > 100
    left = dict(imports)
    while leaves := [path for path, named in left.items() if not named & left.keys()]:
        for path in leaves:
            del left[path]
    assert not left, f"these import each other: {sorted(path.name for path in left)}"
