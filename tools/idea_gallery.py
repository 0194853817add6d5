"""Draw docs/ideas-gallery.md: twelve fills and a grown pattern for three beats, as pictures with their words."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
from easy_pocket.core.ideas.change import Change
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.grow import GrowSettings, grow
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.variation_kinds import step_of
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.phrases import starter_phrases
from easy_pocket.demo.load import lamplighter_hits
from easy_pocket.samples import house_kits
from easy_pocket.web.screens.ideas.picture import SIDE, Picture, picture

DOCS = Path("docs")
FOLDER = DOCS / "ideas"
CELL, GAP, LABEL = (300, 190), 16, 74
SEED = 4
COLOURS = {"old": "#8d9bc4", "new": "#a85c0c", "gone": "#9a927f"}
WIDTHS = ((2.4, 4.6), (3.4, 5.6), (4.6, 7.0))


def beats() -> dict[str, IdeaContext]:
    """The demo's beats: Lamplighter, and lines of the shelf that are played at the festival."""
    kit = house_kits()["boathouse"].roles
    lines = starter_phrases()
    quay, pier = lines["break-doubled-kick-ghosts-44"], lines["break-six-kick-before-four-68"]
    return {
        "Lamplighter": IdeaContext(Pattern(7680, lamplighter_hits()), kit, 104.0, 57.0),
        "Quayside, straight": IdeaContext(_twice(quay.hits, quay.length_ticks, quay.metre), kit, 112.0),
        "Three Piers, in six": IdeaContext(_twice(pier.hits, pier.length_ticks, pier.metre), kit, 84.0),
    }


def _twice(hits: object, length: int, metre: object) -> Pattern:
    again = [replace(hit, tick=hit.tick + length) for hit in hits]  # type: ignore[attr-defined]
    return Pattern(2 * length, (*hits, *again), metre)  # type: ignore[misc, arg-type]


def drawn(shown: Picture, x: float, y: float, title: str, words: str) -> str:
    """One picture in a sheet, its names at the left and its words below."""
    width, height = CELL[0] - LABEL, CELL[1] - 58
    rows = len(shown.rows)
    text = "".join(
        f'<text x="{x + LABEL - 6}" y="{y + 22 + (row + 0.9) * height / rows:.1f}" text-anchor="end" font-size="{min(11, height / rows):.1f}" fill="#625c4d">{name}</text>'  # noqa: E501
        for row, name in enumerate(shown.rows)
    )
    scale = f'transform="translate({x + LABEL} {y + 22}) scale({width / SIDE} {height / SIDE})"'
    window_rect = ""
    if shown.window:
        window_rect = f'<rect x="{shown.window[0]}" width="{shown.window[1]}" height="{SIDE}" fill="#f5e3cf"/>'
    line = '<path d="{}" fill="none" stroke="{}" stroke-width="{}" vector-effect="non-scaling-stroke"{}/>'
    strokes = [
        line.format(shown.beats, "#c9bda8", 1, ""),
        line.format(shown.rails, "#c9bda8", 1, ' stroke-dasharray="3 3"'),
    ]
    for weight, stems, heads in shown.old:
        strokes += _hit(line, stems, heads, weight, "old")
    for mark in shown.marks:
        strokes += _hit(line, mark.stem, mark.head, mark.weight, mark.kind)
    below = "".join(
        f'<text x="{x}" y="{y + CELL[1] - 20 + 14 * number}" font-size="12" fill="#22305a">{part}</text>'
        for number, part in enumerate(_lines(words, 50)[:2])
    )
    head = f'<text x="{x}" y="{y + 12}" font-size="13" font-weight="bold" fill="#22305a">{title}</text>'
    return f"{head}{text}<g {scale}>{window_rect}{''.join(strokes)}</g>{below}"


def _hit(line: str, stem: str, head: str, weight: int, kind: str) -> list[str]:
    thick, round_ = WIDTHS[weight] if kind != "gone" else (1.2, 4.0)
    dash = ' stroke-dasharray="2 2"' if kind == "gone" else ""
    return [
        line.format(stem, COLOURS[kind], thick, dash),
        line.format(head, COLOURS[kind], round_, ' stroke-linecap="round"'),
    ]


def _lines(words: str, most: int) -> list[str]:
    found = [""]
    for word in words.replace("&", "&amp;").split():
        if len(found[-1]) + len(word) > most:
            found.append("")
        found[-1] = f"{found[-1]} {word}".strip()
    return found


def sheet(pictures: list[tuple[Picture, str, str]], columns: int) -> str:
    rows = -(-len(pictures) // columns)
    width, height = columns * (CELL[0] + GAP) + GAP, rows * (CELL[1] + GAP) + GAP
    cells = [
        drawn(shown, GAP + number % columns * (CELL[0] + GAP), GAP + number // columns * (CELL[1] + GAP), title, words)
        for number, (shown, title, words) in enumerate(pictures)
    ]
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" '
        f'font-family="sans-serif"><rect width="100%" height="100%" fill="#fbf8f2"/>{"".join(cells)}</svg>\n'
    )


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    page = [
        "# Ideas, drawn",
        "",
        f"Made by `python tools/idea_gallery.py` with seed {SEED}, no setting touched. Orange hits are new, pale "
        "dashed ones go, blue ones stay; the tinted part is the fill's window.",
    ]
    for name, scene in beats().items():
        slug = "".join(c if c.isalnum() else "-" for c in name.lower()).replace("--", "-")
        begin, end = window(scene)
        step, pulse = step_of(scene), scene.metre.pulse_ticks
        first = fills(scene, FillSettings(), SEED, begin, end)
        second = fills(scene, FillSettings(), SEED, begin, end, batch=1, seen={idea.key for idea in first.ideas})
        shown = []
        for number, idea in enumerate((*first.ideas, *second.ideas), 1):
            changes = [_unwrapped(change, scene.pattern.length_ticks) for change in idea.changes]
            view = picture(
                scene.pattern, changes, max(0, begin - 2 * pulse), end + pulse // 2, window=(begin, end), step=step
            )
            shown.append((view, str(number), idea.words))
        (FOLDER / f"{slug}-fills.svg").write_text(sheet(shown, 3))
        done = grow(scene, GrowSettings(8, 2, bigger=True, fill_beats=2 if scene.metre.beats != 6 else 1), SEED)
        bar = scene.metre.bar_ticks
        voices = sorted({hit.voice for hit in done.idea.pattern().hits})
        grown = [
            (
                picture(scene.pattern, done.idea.changes, (p.bar - 1) * bar, p.bar * bar, step=step, voices=voices),
                f"bar {p.bar}",
                p.words,
            )
            for p in done.plan
        ]
        (FOLDER / f"{slug}-grown.svg").write_text(sheet(grown, 3))
        page += ["", f"## {name}", "", f"![Twelve fills for {name}](ideas/{slug}-fills.svg)", "",
                 f"Grown to eight bars ({', '.join(done.idea.tags)}):", "",
                 f"![{name} grown to eight bars](ideas/{slug}-grown.svg)"]  # fmt: skip
    (DOCS / "ideas-gallery.md").write_text("\n".join(page) + "\n")


def _unwrapped(change: Change, length: int) -> Change:
    """A crash on the next one, drawn after the pattern's end."""
    moved = tuple(replace(hit, tick=length) if hit.tick == 0 else hit for hit in change.come)
    return replace(change, come=moved)


if __name__ == "__main__":
    main()
