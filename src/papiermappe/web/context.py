"""What the routes work with."""

import json
import re
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Annotated, Any

from fastapi import Depends, Path, Request
from fastapi.templating import Jinja2Templates
from jinja2 import StrictUndefined
from markupsafe import Markup

from papiermappe.devices.escl import Limits
from papiermappe.services.page_cache import PageCache
from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.secrets import SecretBox
from papiermappe.web.events import Hub
from papiermappe.web.under_way import UnderWay
from papiermappe.words import Words
from papiermappe.words.scripts import script_catalogue

HERE = FilePath(__file__).parent
ICONS = HERE / "static" / "vendor" / "icons"

FOR_EVER = {"Cache-Control": "public, max-age=31536000, immutable"}
"""For what never changes under its address."""
NOT_KEPT = {"Cache-Control": "no-store"}

ENDED = re.compile(r"(<(select|button)\b(?:(?!</\2>).)*</\2>|<input\b[^>]*>)([,.])", re.DOTALL)
"""A setting within a sentence, and the mark behind it."""

MAX_ID = 2**31 - 1  # what PostgreSQL's integer holds
Id = Annotated[int, Path(ge=1, le=MAX_ID)]


def icon(name: str) -> Markup:
    """Return an icon as inline SVG; the file is ours, not a person's."""
    return Markup((ICONS / f"{name}.svg").read_text())  # noqa: S704 (shipped with the application)


def unparted(sentence: Markup) -> Markup:
    """Return a sentence of settings in which no line begins with a comma: browsers may break behind every element."""
    return Markup(ENDED.sub(r'<span class="text-nowrap">\1\3</span>', str(sentence)))  # noqa: S704 (it was markup before)


def templates_in(words: Words, static: str) -> Jinja2Templates:
    """Return the templates, speaking a language, with styles and scripts from an address."""
    templates = Jinja2Templates(directory=HERE / "templates")
    env = templates.env
    env.undefined = StrictUndefined
    env.trim_blocks = env.lstrip_blocks = True
    env.add_extension("jinja2.ext.i18n")
    env.install_gettext_callables(words.gettext, words.ngettext, newstyle=True)  # type: ignore[attr-defined]  # of i18n
    env.globals.update(
        icon=icon, words=words, static=static, script_words=_island({"tag": words.tag, **script_catalogue(words)})
    )
    env.filters.update(
        size=words.size,
        number=words.number,
        moment=words.moment,
        date=words.date,
        unparted=unparted,
        json_island=lambda value: _island(value, words),
    )
    return templates


def _island(value: Any, words: Words | None = None) -> Markup:
    """Return JSON that can stand inside a script element (no `<`)."""
    context = {"words": words} if words else None
    text = value.model_dump_json(context=context) if hasattr(value, "model_dump_json") else json.dumps(value)
    return Markup(text.replace("<", "\\u003c"))  # noqa: S704 (the one character that could end the element is escaped)


@dataclass(frozen=True)
class Context:
    """What the application was put together from."""

    settings: Settings
    store: Store
    secrets: SecretBox
    incoming: Incoming
    hub: Hub
    pages: PageCache
    under_way: UnderWay
    """Pictures that are being made."""
    words: Words
    templates: Jinja2Templates
    limits: Limits
    quick_limits: Limits
    """For questions that a person waits for."""
    languages: tuple[str, ...]
    """Codes of those that pages can be read in on this machine."""


def _context(request: Request) -> Context:
    context: Context = request.app.state.context
    return context


Ctx = Annotated[Context, Depends(_context)]
