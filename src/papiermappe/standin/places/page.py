"""The page that shows what the mail server and the object store have taken."""

from collections.abc import Callable
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import quote, unquote, urlsplit

from papiermappe.standin.places.postbox import Mail, Postbox

STYLE = (
    "body{font:16px/1.5 system-ui;max-width:50rem;margin:2rem auto;color:#1e2a28;background:#e6eae3}li{margin:.4rem 0}"
)


def page_server(port: int, postbox: Postbox, objects: Callable[[], list[str]]) -> ThreadingHTTPServer:
    """Return a server on loopback; it has still to be run.

    Args:
        port: that it listens on.
        postbox: whose mails are shown.
        objects: returns the names of what lies in the bucket.
    """

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            path = unquote(urlsplit(self.path).path)
            if path == "/":
                self._send(_page(postbox.mails(), objects()).encode(), "text/html; charset=utf-8")
                return
            for mail in postbox.mails():
                for number, (_, content) in enumerate(mail.attachments):
                    if path == f"/{mail.name}/{number}":
                        self._send(content, "application/octet-stream", attached=True)
                        return
            self.send_error(404)

        def _send(self, content: bytes, media_type: str, *, attached: bool = False) -> None:
            self.send_response(200)
            self.send_header("Content-Type", media_type)
            self.send_header("X-Content-Type-Options", "nosniff")
            if attached:
                self.send_header("Content-Disposition", "attachment")
            self.end_headers()
            self.wfile.write(content)

        def log_message(self, *_: object) -> None:
            """Say nothing: the stand-in's log is for its faults."""

    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


def _page(mails: list[Mail], objects: list[str]) -> str:
    shown = "".join(map(_row, mails)) or "<li>No mail has come in yet.</li>"
    stored = "".join(f"<li>{escape(name)}</li>" for name in objects) or "<li>Nothing has been stored yet.</li>"
    return (
        f"<!doctype html><html lang='en'><meta charset='utf-8'><title>What came in</title><style>{STYLE}</style>"
        f"<h1>What came in</h1><h2>Mail</h2><ul>{shown}</ul><h2>Object store</h2><ul>{stored}</ul></html>"
    )


def _row(mail: Mail) -> str:
    links = "".join(
        f" <a href='/{quote(mail.name)}/{number}'>{escape(name)}</a> ({len(content):,} bytes)"
        for number, (name, content) in enumerate(mail.attachments)
    )
    subject, sender, to = (escape(str(mail.message[field] or "")) for field in ("Subject", "From", "To"))
    return f"<li><strong>{subject}</strong> from {sender} to {to}:{links}</li>"
