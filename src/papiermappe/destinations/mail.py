"""People that documents are sent to by mail."""

import re
import smtplib
import ssl
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from email.message import EmailMessage
from email.utils import formatdate

from papiermappe.destinations.errors import DestinationAway, DestinationPartly, DestinationRefused
from papiermappe.destinations.model import Parcel
from papiermappe.destinations.settings import MailSecurity, MailSettings

TIMEOUT_S, TRIAL_TIMEOUT_S = 60, 8
NOT_NOW = range(400, 500)
"""Answers after which a server may take the same mail later (RFC 5321, section 4.2.1)."""
OVERHEAD = 1.38
"""A mail is so much larger than its attachment: Base64 takes 4 bytes for 3, and lines end."""


class Mail:
    """A mail server, and who gets what.

    Args:
        settings: of both.
        password: of its user; empty where it wants none.
    """

    def __init__(self, settings: MailSettings, password: str = "") -> None:
        self._settings = settings
        self._password = password

    def deliver(self, parcel: Parcel) -> str:
        """Send a document as an attachment. Sent again after a crash, it has the same Message-ID.

        Who has it from a try before gets no second one.

        Returns:
            Who got it; in brackets, whom the server refused.

        Raises as the protocol says: no name is ever taken.
        """
        mail = self._mail(parcel)
        with self._connected() as server:
            said = server.esmtp_features.get("size", "")
            limit = int(said) if said.isascii() and said.isdecimal() else 0
            size = len(bytes(mail))
            if limit and size > limit:
                most = int(limit / OVERHEAD)
                raise DestinationRefused(
                    "mail_too_large", host=self._settings.host, limit_bytes=most, file=parcel.file_name
                )
            wanting = [address for address in self._settings.recipients if address not in parcel.got_by]
            refused = self._send(server, mail, wanting, parcel.got_by)
        got = tuple(address for address in self._settings.recipients if address not in refused)
        later = {address: code for address, code in refused.items() if code in NOT_NOW}
        if later:
            raise DestinationPartly(
                "mail_partly", got, host=self._settings.host, address=", ".join(later), answer=str(min(later.values()))
            )
        return ", ".join(got) + (f" (refused: {', '.join(refused)})" if refused else "")

    def try_out(self) -> None:
        """Ask the server whether it would take a mail from the sender to all recipients. Raises DestinationError."""
        with self._connected(TRIAL_TIMEOUT_S) as server:
            server.mail(self._settings.sender)
            for address in self._settings.recipients:
                code, _ = server.rcpt(address)
                if code in NOT_NOW:
                    raise DestinationAway("mail_not_now", host=self._settings.host, answer=str(code))
                if code >= NOT_NOW.stop:
                    raise DestinationRefused("mail_recipient_refused", host=self._settings.host, address=address)
            server.rset()

    def _send(
        self, server: smtplib.SMTP, mail: EmailMessage, wanting: Sequence[str], got_by: Sequence[str]
    ) -> dict[str, int]:
        """Send a mail; return whom the server refused, with its answers. Raises where nobody has it or ever had."""
        if not wanting:
            return {}
        try:
            refused = server.send_message(mail, self._settings.sender, wanting)
        except smtplib.SMTPRecipientsRefused as exc:
            if not got_by:
                raise
            refused = exc.recipients
        return {address: code for address, (code, _) in refused.items()}

    def _mail(self, parcel: Parcel) -> EmailMessage:
        mail = EmailMessage()
        name = parcel.file_name.rpartition("/")[2]
        words = {"{title}": parcel.title or name, "{file}": name, "{pages}": str(parcel.pages)}
        mail["From"] = self._settings.sender
        mail["To"] = ", ".join(self._settings.recipients)
        mail["Subject"] = _filled(self._settings.subject, words)
        mail["Date"] = formatdate(localtime=True)
        mail["Message-ID"] = f"<{parcel.idempotency_key}@{self._settings.sender.rpartition('@')[2]}>"
        mail.set_content(_filled(self._settings.text, words) or "\n")
        parcel.file.seek(0)
        kind, _, subtype = parcel.media_type.partition("/")
        mail.add_attachment(parcel.file.read(), maintype=kind, subtype=subtype, filename=name)
        if parcel.slip is not None:
            kind, _, subtype = parcel.slip.media_type.partition("/")
            mail.add_attachment(parcel.slip.data, maintype=kind, subtype=subtype, filename=parcel.slip.name)
        return mail

    @contextmanager
    def _connected(self, timeout_s: float = TIMEOUT_S) -> Iterator[smtplib.SMTP]:
        """Yield the server, logged in; put its answers into our errors."""
        host = self._settings.host
        try:
            server = self._greeted(timeout_s)
            try:
                yield server
            finally:
                with suppress(smtplib.SMTPException, OSError):
                    server.quit()
        except ssl.SSLCertVerificationError as exc:
            raise DestinationRefused("mail_certificate", host=host, reason=exc.verify_message) from exc
        except smtplib.SMTPAuthenticationError as exc:
            raise DestinationRefused("mail_login", host=host) from exc
        except smtplib.SMTPNotSupportedError as exc:
            raise DestinationRefused("mail_not_encrypted", host=host) from exc
        except smtplib.SMTPRecipientsRefused as exc:
            codes = {code for code, _ in exc.recipients.values()}
            if any(code in NOT_NOW for code in codes):
                raise DestinationAway("mail_not_now", host=host, answer=str(min(codes))) from exc
            raise DestinationRefused("mail_recipient_refused", host=host, address=", ".join(exc.recipients)) from exc
        except smtplib.SMTPResponseException as exc:
            if exc.smtp_code in NOT_NOW:
                raise DestinationAway("mail_not_now", host=host, answer=str(exc.smtp_code)) from exc
            raise DestinationRefused("mail_refused", host=host, answer=str(exc.smtp_code)) from exc
        except (smtplib.SMTPException, OSError) as exc:
            raise DestinationAway("mail_away", host=host) from exc

    def _greeted(self, timeout_s: float) -> smtplib.SMTP:
        settings = self._settings
        secure = ssl.create_default_context()
        server: smtplib.SMTP
        if settings.security is MailSecurity.TLS:
            server = smtplib.SMTP_SSL(settings.host, settings.port, timeout=timeout_s, context=secure)
        else:
            server = smtplib.SMTP(settings.host, settings.port, timeout=timeout_s)
        try:
            if settings.security is MailSecurity.STARTTLS:
                server.starttls(context=secure)
            server.ehlo_or_helo_if_needed()
            if settings.user:
                server.login(settings.user, self._password)
        except (smtplib.SMTPException, OSError):
            server.close()
            raise
        return server


def _filled(text: str, words: dict[str, str]) -> str:
    return re.sub(r"\{(?:title|file|pages)\}", lambda mark: words[mark[0]], text)
