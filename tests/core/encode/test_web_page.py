"""A document as one web page, read by a parser that is not ours."""

import base64
import io
from datetime import UTC, datetime
from html.parser import HTMLParser
from typing import Any

import pytest
from tests.helpers import page_saying

from papiermappe.core.encode.options import About
from papiermappe.core.encode.web_page import SAFE, WebPage, write_web_page

PICTURES = [b"\xff\xd8 first", b"\xff\xd8 second"]


class Reader(HTMLParser):
    """Notes what is on a page."""

    def __init__(self) -> None:
        super().__init__()
        self.pictures: list[bytes] = []
        self.lines: list[tuple[dict[str, str | None], str]] = []
        self.tags: list[str] = []
        self.attributes: dict[str, dict[str, str | None]] = {}

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Note a tag."""
        found = dict(attrs)
        self.tags.append(tag)
        self.attributes[tag] = found
        if tag == "image":
            self.pictures.append(base64.b64decode((found["href"] or "").removeprefix("data:image/jpeg;base64,")))
        if tag == "text":
            self.lines.append((found, ""))

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Note one that ends at once."""
        self.handle_starttag(tag, attrs)

    def handle_data(self, data: str) -> None:
        """Note what is written."""
        if self.tags and self.tags[-1] == "text" and data.strip():
            self.lines[-1] = (self.lines[-1][0], data)


NOW = datetime(2026, 11, 28, 9, 14, tzinfo=UTC)


def read(title: str, *said: str, **options: Any) -> Reader:
    """Return what a parser finds in a page of two pictures, of which the first says something."""
    out = io.BytesIO()
    pages = [WebPage(PICTURES[0], 210, 297, page_saying(*said)), WebPage(PICTURES[1], 148, 210, None)]
    write_web_page(pages, out, About(title, NOW, **options))
    reader = Reader()
    reader.feed(out.getvalue().decode())
    return reader


def test_pictures_and_words_are_all_there_each_line_at_its_place() -> None:
    reader = read("Lease", "Kiste 17b", "Hollerbeck")
    assert reader.pictures == PICTURES
    assert [text for _, text in reader.lines] == ["Kiste 17b", "Hollerbeck"]
    place = reader.lines[0][0]
    # the line goes from 20 to 100 mm, 6 mm high from 20 mm down: its foot is a fifth of that above its lower edge
    assert (place["x"], place["textlength"], place["y"]) == ("20.00", "80.00", "24.80")


@pytest.mark.parametrize("hostile", ['<script>alert("x")</script>', '"><img src=x onerror=alert(1)>', "]]></style><b>"])
def test_what_a_page_says_is_never_more_than_text(hostile: str) -> None:
    reader = read(hostile, hostile, language=hostile)
    assert [text for _, text in reader.lines] == [" ".join(hostile.split())]
    assert set(reader.tags) == {"html", "head", "meta", "title", "style", "body", "svg", "image", "text"}


def test_it_loads_nothing_from_elsewhere() -> None:
    assert read("Lease", "one").attributes["meta"]["content"] == SAFE
