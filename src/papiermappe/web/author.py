"""Telling people apart until there are accounts: a browser keeps a random token, and its hash is the author.

The token opens nothing. It lets undo take back what its own person did, and lets two people notice that they
changed the same thing.
"""

import hashlib
import re
import secrets
from http.cookies import SimpleCookie
from typing import Annotated

from fastapi import Depends, Header, Request
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from papiermappe.services.caller import Caller

COOKIE = "papiermappe_author"
KEPT_S = 5 * 365 * 24 * 3600
TOKEN = re.compile(r"[A-Za-z0-9_-]{20,64}")


class Author:
    """Gives each browser a token, and each request the author that it stands for."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        known = Request(scope).cookies.get(COOKIE, "")
        token = known if TOKEN.fullmatch(known) else secrets.token_urlsafe(24)
        scope.setdefault("state", {})["author"] = author_of(token)

        async def with_cookie(message: Message) -> None:
            if message["type"] == "http.response.start" and token != known:
                MutableHeaders(scope=message).append("Set-Cookie", _cookie(token))
            await send(message)

        await self._app(scope, receive, with_cookie)


def author_of(token: str) -> str:
    """Return the author that a token stands for."""
    return hashlib.sha256(token.encode()).hexdigest()[:16]


def _cookie(token: str) -> str:
    cookie: SimpleCookie = SimpleCookie({COOKIE: token})
    for name, value in {"path": "/", "max-age": KEPT_S, "httponly": True, "samesite": "Lax"}.items():
        cookie[COOKIE][name] = value
    return cookie[COOKIE].OutputString()


RequestId = Annotated[
    str | None, Header(alias="Idempotency-Key", min_length=8, max_length=80, pattern=r"^[A-Za-z0-9_-]+$")
]
"""Identifies a command that may be sent again: the IETF draft "The Idempotency-Key HTTP Header Field"."""


def _caller(request: Request, request_id: RequestId = None) -> Caller:
    """Return who asks."""
    author: str = request.state.author
    return Caller(author, f"{author}:{request_id}" if request_id else None)


Asks = Annotated[Caller, Depends(_caller)]
"""Who asks."""
