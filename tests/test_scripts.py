"""The scripts of the pages: types (tsc, strict) and ESLint. Both come from npm, locked, for development only."""

import json
import subprocess

import pytest

from tests.npm import PATIENCE_S, ROOT, npm_installed


@pytest.fixture(scope="module")
def npm() -> str:
    return npm_installed()


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
