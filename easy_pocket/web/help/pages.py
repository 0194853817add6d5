"""The how-to pages: the Markdown of docs/ as HTML, in sections that can be searched."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from markdown_it import MarkdownIt
from markdown_it.token import Token

DOCS = Path(__file__).resolve().parents[3] / "docs"
PAGES = (
    "shelf", "bench", "feel", "loops", "grooves", "ideas", "song", "kit", "stage", "takes", "people",
    "glossary", "formats", "command-line", "programs",
)  # fmt: skip
EXCERPT = 110  # characters round the first word that was found
MOST_FOUND = 30


@dataclass(frozen=True)
class HelpSection:
    """A heading with what stands under it. anchor: its id in the page. text: without marks, for the search."""

    title: str
    anchor: str
    text: str


@dataclass(frozen=True)
class HelpPage:
    name: str
    title: str
    html: str
    sections: tuple[HelpSection, ...]


@dataclass(frozen=True)
class Found:
    page: HelpPage
    section: HelpSection
    excerpt: str


def read_pages(folder: Path = DOCS, names: tuple[str, ...] = PAGES) -> dict[str, HelpPage]:
    """The pages that are there, in their order."""
    return {
        name: read_page(name, (folder / f"{name}.md").read_text()) for name in names if (folder / f"{name}.md").exists()
    }


def read_page(name: str, text: str) -> HelpPage:
    """HTML in the text is shown as text; pictures and links to other pages lead to where the application has them."""
    reader = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens = reader.parse(text)
    title, sections = name, []
    words: list[str] = []
    heading, anchor, seen = "", "", set[str]()
    for place, token in enumerate(tokens):
        if token.type == "heading_open":
            if words:
                sections.append(HelpSection(heading, anchor, " ".join(words)))
            heading, words = tokens[place + 1].content, []
            anchor = _anchor(f"{name} {heading}", seen)
            token.attrSet("id", f"help-{anchor}")
            token.attrSet("tabindex", "-1")
            title = heading if token.tag == "h1" else title
            token.tag = tokens[place + 2].tag = f"h{min(int(token.tag[1]) + 1, 6)}"  # the screen has the first
        elif token.type == "table_open":
            token.attrSet("class", "table is-fullwidth")
        elif token.type == "inline":
            words.append(_plain(token))
            _lead(token.children or [])
    sections.append(HelpSection(heading, anchor, " ".join(words)))
    return HelpPage(name, title, str(reader.renderer.render(tokens, reader.options, {})), tuple(sections))


def _anchor(heading: str, seen: set[str]) -> str:
    plain = "-".join(re.findall(r"[a-z0-9]+", heading.lower())) or "part"
    anchor = plain
    while anchor in seen:
        anchor += "-more"
    seen.add(anchor)
    return anchor


def _plain(token: Token) -> str:
    return "".join(child.content if child.type in ("text", "code_inline") else " " for child in token.children or [])


def _lead(children: list[Token]) -> None:
    """Links and pictures, as they are addressed in docs/, to their addresses here."""
    for child in children:
        if child.type == "image":
            name = str(child.attrGet("src") or "").rsplit("/", 1)[-1]
            child.attrSet("src", f"/help/pictures/{name}")
            child.attrSet("loading", "lazy")
        elif child.type == "link_open":
            target = str(child.attrGet("href") or "")
            name = target.partition("#")[0].removesuffix(".md")
            if name in PAGES:
                child.attrSet("href", f"/help/{name}")
                child.attrSet("hx-get", f"/help/{name}")
                child.attrSet("hx-target", "#help-page")
            elif not target.startswith("http"):
                child.attrSet("href", "#help-page")  # a file of the project, nothing to be read here


def search(pages: Mapping[str, HelpPage], words: str, first: str = "") -> list[Found]:
    """The sections that have all the words, those of the page `first` before the others; a word in a heading counts
    most."""
    wanted = [word for word in re.split(r"\s+", words.lower()) if word]
    if not wanted:
        return []
    found: list[tuple[int, int, Found]] = []
    for number, page in enumerate(pages.values()):
        for section in page.sections:
            title, text = f"{page.title} {section.title}".lower(), section.text.lower()
            if all(word in title or word in text for word in wanted):
                rank = -sum(word in title for word in wanted)
                place = -1 if page.name == first else number
                found.append((rank, place, Found(page, section, _excerpt(section.text, wanted))))
    return [one for _, _, one in sorted(found, key=lambda one: one[:2])][:MOST_FOUND]


def _excerpt(text: str, words: list[str]) -> str:
    at = min((place for word in words if (place := text.lower().find(word)) >= 0), default=0)
    start = max(0, at - EXCERPT // 3)
    piece = text[start : start + EXCERPT].strip()
    return f"{'…' if start else ''}{piece}{'…' if start + EXCERPT < len(text) else ''}"
