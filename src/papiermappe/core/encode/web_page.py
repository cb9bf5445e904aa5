"""One web page of a whole document: pictures, and over them what is written, to be selected and searched."""

from base64 import b64encode
from collections.abc import Iterable
from html import escape
from typing import BinaryIO, NamedTuple

from papiermappe.core.encode.options import About
from papiermappe.core.reading.page_text import Line, PageText
from papiermappe.core.reading.spoken import spoken_tag

STYLE = (
    "body{margin:0;background:#ddd}svg{display:block;width:min(96vw,210mm);margin:4mm auto;background:#fff}"
    "text{fill:transparent;font-family:sans-serif;white-space:pre}"
    "@media print{body{background:none}svg{width:100%;margin:0;break-after:page}}"
)
SAFE = "default-src 'none'; img-src data:; style-src 'unsafe-inline'"
"""What the page may load: nothing from elsewhere, and no script (Content Security Policy, level 3)."""
FONT_SHARE, FOOT_SHARE = 0.8, 0.2  # of a line's height: letters, and what reaches below them
LEAST_MM = 0.1


class WebPage(NamedTuple):
    """A page on its way into a web page."""

    jpeg: bytes
    width_mm: float
    height_mm: float
    text: PageText | None


def write_web_page(pages: Iterable[WebPage], out: BinaryIO, about: About) -> None:
    """Write pages, taken one at a time, as one HTML file that needs nothing beside it.

    Args:
        pages: in their order.
        out: where it goes.
        about: what it says of itself.
    """
    lang = f' lang="{escape(about.language)}"' if about.language else ""
    told = {"author": about.author, "description": about.subject, "keywords": about.keywords}
    head = (
        f"<!doctype html>\n<html{lang}>\n<head>",
        '<meta charset="utf-8">',
        f"<title>{escape(about.title)}</title>",
        *(f'<meta name="{name}" content="{escape(text)}">' for name, text in told.items() if text),
        f'<meta http-equiv="Content-Security-Policy" content="{SAFE}">',
        f"<style>{STYLE}</style>\n</head>\n<body>\n",
    )
    out.write("\n".join(head).encode())
    for number, page in enumerate(pages, 1):
        out.write(_drawing(page, number, about.language).encode())
    out.write(b"</body>\n</html>\n")


def _drawing(page: WebPage, number: int, usual: str | None) -> str:
    size = f'width="{page.width_mm:g}" height="{page.height_mm:g}"'
    picture = b64encode(page.jpeg).decode()
    lines = "".join(_line(line) for line in page.text.lines()) if page.text else ""
    language = spoken_tag(page.text)
    lang = f' lang="{escape(language)}"' if language and language != usual else ""
    return (
        f'<svg id="page{number}"{lang} viewBox="0 0 {page.width_mm:g} {page.height_mm:g}" role="group">'
        f'<image {size} href="data:image/jpeg;base64,{picture}"/>\n{lines}</svg>\n'
    )


def _line(line: Line) -> str:
    """Return a line as invisible text that is as wide as it is printed, so that a selection lies on it."""
    box = line.box
    height, width = box.bottom - box.top, max(box.right - box.left, LEAST_MM)
    place = f'x="{box.left:.2f}" y="{box.bottom - FOOT_SHARE * height:.2f}" font-size="{FONT_SHARE * height:.2f}"'
    return f'<text {place} textLength="{width:.2f}" lengthAdjust="spacingAndGlyphs">{escape(line.text)}</text>\n'
