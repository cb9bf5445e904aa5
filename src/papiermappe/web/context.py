"""What the routes work with."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.templating import Jinja2Templates
from jinja2 import StrictUndefined
from markupsafe import Markup

from papiermappe.core.languages import Language
from papiermappe.devices.escl import Limits
from papiermappe.settings import Settings
from papiermappe.store.database import Store
from papiermappe.web.events import Hub

HERE = Path(__file__).parent
FOR_EVER = {"Cache-Control": "public, max-age=31536000, immutable"}
NOT_KEPT = {"Cache-Control": "no-store"}
"""For what never changes under its address."""
ICONS = HERE / "static" / "vendor" / "icons"

templates = Jinja2Templates(directory=HERE / "templates")
templates.env.undefined = StrictUndefined
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def icon(name: str) -> Markup:
    """Return an icon as inline SVG; the file is ours, not a person's."""
    return Markup((ICONS / f"{name}.svg").read_text())  # noqa: S704 (shipped with the application)


def megabytes(size: int) -> str:
    """Return a file's size for people."""
    return f"{size / 1e6:.1f} MB" if size >= 1e6 else f"{max(1, round(size / 1e3))} KB"


def json_island(value: Any) -> Markup:
    """Return JSON that can stand inside a script element (no `<`)."""
    text = value.model_dump_json() if hasattr(value, "model_dump_json") else json.dumps(value)
    return Markup(text.replace("<", "\\u003c"))  # noqa: S704 (the one character that could end the element is escaped)


templates.env.globals["icon"] = icon
templates.env.filters["megabytes"] = megabytes
templates.env.filters["json_island"] = json_island


@dataclass(frozen=True)
class Context:
    """The parts that the application was put together from."""

    settings: Settings
    store: Store
    hub: Hub
    limits: Limits
    quick_limits: Limits
    """For questions that a person waits for."""
    languages: tuple[Language, ...]
    """That pages can be read in on this machine."""


def _context(request: Request) -> Context:
    context: Context = request.app.state.context
    return context


Ctx = Annotated[Context, Depends(_context)]
