"""A mail server that keeps what it gets, as files."""

import time
from collections.abc import Sequence
from email import message_from_bytes, policy
from email.message import EmailMessage
from pathlib import Path
from typing import NamedTuple

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

LIMIT_BYTES = 10_000_000
SHOWN = 50


class Mail(NamedTuple):
    """A mail that came in."""

    name: str
    """Of its file."""
    message: EmailMessage

    @property
    def attachments(self) -> Sequence[tuple[str, bytes]]:
        """Names and contents."""
        parts = self.message.iter_attachments()
        return [(part.get_filename() or "unnamed", part.get_payload(decode=True) or b"") for part in parts]  # type: ignore[misc]  # decoded, a part is bytes


class Postbox:
    """Keeps mails in a folder.

    Args:
        folder: made when the first mail comes in.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    async def handle_DATA(self, _server: SMTP, _session: Session, envelope: Envelope) -> str:
        """Keep a mail."""
        self._folder.mkdir(parents=True, exist_ok=True)
        content = envelope.content if isinstance(envelope.content, bytes) else (envelope.content or "").encode()
        (self._folder / f"{time.time_ns()}.eml").write_bytes(content)
        return "250 taken"

    def mails(self) -> list[Mail]:
        """Return the newest mails, the last one first."""
        files = sorted(self._folder.glob("*.eml"), reverse=True)[:SHOWN]
        return [Mail(file.name, _parsed(file.read_bytes())) for file in files]

    def server(self, port: int) -> Controller:
        """Return a server on loopback that puts mails here; it has still to be started."""
        return Controller(self, hostname="127.0.0.1", port=port, data_size_limit=LIMIT_BYTES)


def _parsed(content: bytes) -> EmailMessage:
    return message_from_bytes(content, EmailMessage, policy=policy.default)
