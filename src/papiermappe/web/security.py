"""The headers of every response, and the check of every request.

Requests that change something must come from our own pages: browsers name the origin of every such request, and it
must be the host that is asked (OWASP, "Verifying Origin With Standard Headers"). The one cookie
only tells people apart and opens nothing.
"""

import re
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, PlainTextResponse
from starlette.types import ASGIApp, Receive, Scope, Send
from starlette.types import Message as AsgiMessage

from papiermappe.message import Message
from papiermappe.web.problem import problem
from papiermappe.words import Words

MAX_LENGTH_DIGITS = 12
SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
_MAY_LOAD = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; frame-src 'self'; form-action 'self'; base-uri 'none'"
)
IN_OUR_PAGES = f"{_MAY_LOAD}; frame-ancestors 'self'"
"""The policy of what our own pages may show in a frame: a document that is printed."""
HEADERS = {
    "Content-Security-Policy": f"{_MAY_LOAD}; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), microphone=(), geolocation=()",
}


MAX_BODY_BYTES = 1_000_000
MAX_PART_BYTES = 16_000_000
"""Of a file that is sent in parts."""
PARTS = re.compile(r"/(imports|phone/[a-z0-9]{1,80}/pictures)/[0-9]{1,10}")
OF_PHONES = re.compile(r"/(phone|static)/.*")
SECRET_IN_PATH = re.compile(r"(?<=^/phone/)[^/]+")


class Guard:
    """Refuses changes asked for by other sites and bodies that are too large; adds the protecting headers."""

    def __init__(self, app: ASGIApp, words: Words) -> None:
        self._app = app
        self._words = words

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def guarded(message: AsgiMessage) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        headers = Headers(scope=scope)
        if scope["method"] not in SAFE_METHODS and not from_our_pages(headers, scope["scheme"]):
            await self._refusal(403, "not_from_here")(scope, receive, guarded)
            return
        is_part = scope["method"] == "PUT" and PARTS.fullmatch(scope["path"]) is not None
        limit = MAX_PART_BYTES if is_part else MAX_BODY_BYTES
        if not _length_allowed(headers.get("content-length", "0"), limit):
            await self._refusal(413, "too_large")(scope, receive, guarded)
            return
        await self._app(scope, _limited(receive, limit), guarded)

    def _refusal(self, status: int, code: str) -> JSONResponse:
        return JSONResponse(problem(Message(code=code), self._words).model_dump(), status)


class PhoneDoor:
    """Lets nothing but the pages of phones in at the port that phones use: the rest is not for the network.

    Args:
        app: that is asked.
        port: that phones use.
    """

    def __init__(self, app: ASGIApp, port: int) -> None:
        self._app = app
        self._port = port

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or answer that nothing is there."""
        at_the_door = scope["type"] in {"http", "websocket"} and (scope.get("server") or ("", 0))[1] == self._port
        if not at_the_door or OF_PHONES.fullmatch(scope["path"]):
            await self._app(scope, receive, send)
        elif scope["type"] == "http":
            await PlainTextResponse("There is nothing here.", 404)(scope, receive, send)
        else:
            await send({"type": "websocket.close"})


def loggable(path: str) -> str:
    """Return a path as it may be logged: not too long, and without the secret of a phone's link.

    >>> loggable("/phone/k7mq2x9dhwab/pages")
    '/phone/***/pages'
    """
    return SECRET_IN_PATH.sub("***", path)[:200]


def from_our_pages(headers: Headers, scheme: str) -> bool:
    """Whether the browser says that the request comes from the origin that it goes to: same scheme, host and port."""
    try:
        origin = urlsplit(headers.get("origin", ""))
    except ValueError:
        return False
    return bool(origin.netloc) and (origin.scheme, origin.netloc) == (scheme, headers.get("host"))


def _length_allowed(length: str, limit: int) -> bool:
    return length.isdecimal() and len(length) < MAX_LENGTH_DIGITS and int(length) <= limit


def _limited(receive: Receive, limit: int) -> Receive:
    """Return a `receive` that stops when more has come than a body may have, whatever its length was said to be."""
    read = 0

    async def counted() -> AsgiMessage:
        nonlocal read
        message = await receive()
        read += len(message.get("body", b""))
        if read > limit:
            raise HTTPException(413)
        return message

    return counted
