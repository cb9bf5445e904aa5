"""The headers of every response, and the check of every request.

Requests that change something must come from our own pages: browsers name the origin of every such request, and it
must be the host that is asked (OWASP, "Verifying Origin With Standard Headers"). The one cookie
only tells people apart and opens nothing.
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


class Guard:
    """Refuses changes asked for by other sites; adds the protecting headers to every answer."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        if scope["method"] not in SAFE_METHODS and not from_our_pages(Headers(scope=scope)):
            refusal = PlainTextResponse("This request did not come from a page of Papiermappe.", 403)
            await refusal(scope, receive, guarded)
            return
        await self._app(scope, receive, guarded)


def from_our_pages(headers: Headers) -> bool:
    """Whether the browser says that the request comes from the host that it goes to."""
    origin = headers.get("origin", "")
    return bool(origin) and urlsplit(origin).netloc == headers.get("host")
