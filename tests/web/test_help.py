"""The how-to pages: Markdown as it is shown, searched, with pictures; nothing of the project is read by a name."""

import re

import pytest

from easy_pocket.web.help.pages import DOCS, PAGES, read_page, read_pages, search

TEXT = """# The Bench

Write **hits** with <b>Enter</b>. See [Kit](kit.md) and [the code](../tools/x.py).

![Rails](screenshots/bench.png)

## Swing

| to | do |
|---|---|
| swing | pull the slider |

## Swing
Once more: late off-beats.
"""


def test_a_page_is_made_of_markdown_and_leads_where_the_application_has_it():
    page = read_page("bench", TEXT)
    assert page.title == "The Bench"
    assert "<strong>hits</strong>" in page.html
    assert "&lt;b&gt;Enter" in page.html  # HTML in a text is text
    assert 'hx-get="/help/kit"' in page.html
    assert "tools/x.py" not in page.html
    assert 'src="/help/pictures/bench.png"' in page.html
    assert "<td>pull the slider</td>" in page.html
    assert "<h1" not in page.html
    assert len({section.anchor for section in page.sections}) == len(page.sections) == 3


def test_a_search_finds_sections_with_all_words_those_of_the_screen_first():
    pages = {name: read_page(name, text) for name, text in (("kit", "# Kit\n\nswing of a kit"), ("bench", TEXT))}
    found = search(pages, "SWING", first="bench")
    assert [(one.page.name, one.section.title) for one in found][:2] == [("bench", "Swing"), ("bench", "Swing")]
    assert [one.page.name for one in search(pages, "late swing")] == ["bench"]
    assert search(pages, "swing zeppelin") == search(pages, "  ") == []


def test_every_page_of_the_docs_is_read_and_its_pictures_are_there(client):
    pages = read_pages()
    assert tuple(pages) == PAGES
    for page in pages.values():
        assert client.get(f"/help/{page.name}").status_code == 200
        for name in re.findall(r'src="/help/pictures/([^"]+)"', page.html):
            answer = client.get(f"/help/pictures/{name}")
            assert answer.content == (DOCS / "screenshots" / name).read_bytes()


@pytest.mark.parametrize("name", ["../README.md", "..%2f..%2fREADME", "nothing.png"])
def test_names_lead_nowhere_else(client, name):
    answer = client.get(f"/help/pictures/{name}")
    assert answer.status_code in (404, 422)
    assert b"Easy Pocket is" not in answer.content


def test_what_is_searched_is_shown_as_text(client):
    assert "<script>" not in client.get("/help/search", params={"words": "<script>"}).text
    assert "data-help-at" in client.get("/help/search", params={"words": "swing"}).text
