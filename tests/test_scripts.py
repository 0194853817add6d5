"""The scripts of the pages: types (tsc, strict) and ESLint. Both come from npm, locked, for development only."""

import json
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent
INSTALLED = ROOT / "node_modules/.package-lock.json"
PATIENCE_S = 240


@pytest.fixture(scope="module")
def npm() -> str:
    """npm, with what is locked installed. Where it cannot be had the scripts are not checked."""
    found = shutil.which("npm")
    if found is None:
        pytest.skip("the scripts are not checked: there is no npm on this machine (apt install npm)")
    if not INSTALLED.exists() or INSTALLED.stat().st_mtime < (ROOT / "package-lock.json").stat().st_mtime:
        install = [found, "ci", "--no-audit", "--no-fund", "--silent"]
        done = subprocess.run(install, cwd=ROOT, capture_output=True, text=True, timeout=PATIENCE_S)
        if done.returncode:
            pytest.skip(f"the scripts are not checked: npm ci did not work here ({done.stderr.strip()[-200:]})")
        INSTALLED.touch()
    return found


@pytest.mark.parametrize("check", ["types", "lint"])
def test_the_scripts_are_clean(npm, check):
    run = [npm, "run", "--silent", check]
    done = subprocess.run(run, cwd=ROOT, capture_output=True, text=True, timeout=PATIENCE_S)
    assert done.returncode == 0, done.stdout[-6000:] + done.stderr[-2000:]


def test_a_wrong_type_is_found(npm, tmp_path):
    """The check can fail: an edit that the server does not know, and a field of an answer that is not there."""
    (tmp_path / "wrong.js").write_text(
        f"/** @param {{import('{ROOT}/easy_pocket/web/shared/page.js').Page}} page */\n"
        "export function wrong(page) {\n"
        "  page.edits.push({ kind: 'no_such_edit' });\n"
        "  return page.playing.no_such_field;\n"
        "}\n"
    )
    ours = [f"{ROOT}/easy_pocket/web/shared/globals.d.ts", "wrong.js"]
    (tmp_path / "tsconfig.json").write_text(json.dumps({"extends": f"{ROOT}/tsconfig.json", "include": ours}))
    run = [npm, "exec", "--", "tsc", "-p", str(tmp_path)]
    done = subprocess.run(run, cwd=ROOT, capture_output=True, text=True, timeout=PATIENCE_S)
    assert "no_such_edit" in done.stdout
    assert "no_such_field" in done.stdout
