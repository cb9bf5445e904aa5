"""Documents sent by mail: to a server on loopback, well and with faults."""

import io
import socket
from collections.abc import Callable, Iterator
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

from papiermappe.core.encode.options import Attachment
from papiermappe.destinations.errors import DestinationAway, DestinationPartly, DestinationRefused
from papiermappe.destinations.mail import Mail
from papiermappe.destinations.model import Parcel
from papiermappe.destinations.settings import MailSecurity, MailSettings

WORDS = b"%PDF-1.7 a document" + bytes(range(256)) * 20


class Postbox:
    """Takes mails, unless it is told to answer otherwise."""

    def __init__(self) -> None:
        self.mails: list[EmailMessage] = []
        self.recipients: list[list[str]] = []
        self.refused: dict[str, str] = {}
        """What is answered to recipients."""
        self.answer = "250 taken"

    async def handle_RCPT(
        self, _server: SMTP, _session: Session, envelope: Envelope, address: str, _options: list[str]
    ) -> str:
        if address in self.refused:
            return self.refused[address]
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: SMTP, _session: Session, envelope: Envelope) -> str:
        if self.answer.startswith("250"):
            assert isinstance(envelope.content, bytes)
            self.recipients.append(envelope.rcpt_tos)
            self.mails.append(message_from_bytes(envelope.content, EmailMessage, policy=policy.default))
        return self.answer


def free_port() -> int:
    """Return a port of loopback that nobody listens on."""
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        return int(taken.getsockname()[1])


def login(_server: SMTP, _session: Session, _envelope: Envelope, _mechanism: str, data: Any) -> AuthResult:
    """Know one user."""
    return AuthResult(success=data == LoginPassword(b"desk", b"orchard"), handled=False)


Server = Callable[..., tuple[Postbox, int]]


@pytest.fixture
def server() -> Iterator[Server]:
    """Starts mail servers on loopback."""
    running: list[Controller] = []

    def start(**options: Any) -> tuple[Postbox, int]:
        postbox, port = Postbox(), free_port()
        running.append(Controller(postbox, hostname="127.0.0.1", port=port, **options))
        running[-1].start()
        return postbox, port

    yield start
    for controller in running:
        controller.stop()


def settings(port: int, **others: Any) -> MailSettings:
    """Return settings for a server that does not encrypt."""
    known = {"sender": "desk@hollerbeck.example", "recipients": ("board@hollerbeck.example",), **others}
    return MailSettings(host="127.0.0.1", port=port, security=MailSecurity.NONE, **known)


def parcel() -> Parcel:
    """Return a document."""
    return Parcel(io.BytesIO(WORDS), "2026/Größe_0001.pdf", "ab", "key-1", "application/pdf", "Hail of 9 May", 3)


def test_a_document_arrives_untouched_under_its_name(server: Server) -> None:
    postbox, port = server()
    wanted = settings(port, subject="{title}, {pages} pages", text="Please find {file}.")
    assert Mail(wanted).deliver(parcel()) == "board@hollerbeck.example"
    (mail,) = postbox.mails
    (attached,) = mail.iter_attachments()
    assert attached.get_content() == WORDS
    assert (attached.get_filename(), attached.get_content_type()) == ("Größe_0001.pdf", "application/pdf")
    assert mail["Subject"] == "Hail of 9 May, 3 pages"
    assert mail["To"] == "board@hollerbeck.example"
    body = mail.get_body()
    assert body is not None
    assert body.get_content().strip() == "Please find Größe_0001.pdf."


def test_its_slip_is_attached_after_it(server: Server) -> None:
    postbox, port = server()
    slip = Attachment("Größe_0001.slip.json", "application/json", b'{"pages": 3}')
    Mail(settings(port)).deliver(parcel()._replace(slip=slip))
    document, beside = postbox.mails[0].iter_attachments()
    assert document.get_content() == WORDS
    assert (beside.get_filename(), beside.get_content()) == (slip.name, slip.data)


def test_sent_again_it_has_the_same_message_id(server: Server) -> None:
    postbox, port = server()
    for _ in range(2):
        Mail(settings(port)).deliver(parcel())
    assert [mail["Message-ID"] for mail in postbox.mails] == ["<key-1@hollerbeck.example>"] * 2


def test_who_gets_it_and_whom_the_server_refused_is_told(server: Server) -> None:
    postbox, port = server()
    postbox.refused["gone@hollerbeck.example"] = "550 no such mailbox"
    people = ("board@hollerbeck.example", "gone@hollerbeck.example", "rosa@hollerbeck.example")
    told = Mail(settings(port, recipients=people)).deliver(parcel())
    assert told == "board@hollerbeck.example, rosa@hollerbeck.example (refused: gone@hollerbeck.example)"
    with pytest.raises(DestinationRefused, match="mail_recipient_refused"):
        Mail(settings(port, recipients=people)).try_out()
    assert len(postbox.mails) == 1  # a trial sends nothing


def test_who_cannot_get_it_now_gets_it_later_and_nobody_gets_it_twice(server: Server) -> None:
    postbox, port = server()
    people = ("board@hollerbeck.example", "gone@hollerbeck.example", "rosa@hollerbeck.example")
    postbox.refused = {"gone@hollerbeck.example": "550 no such mailbox", "rosa@hollerbeck.example": "451 greylisted"}
    mail = Mail(settings(port, recipients=people))
    with pytest.raises(DestinationPartly, match="rosa@hollerbeck") as partly:
        mail.deliver(parcel())
    assert partly.value.got == ("board@hollerbeck.example",)
    again = parcel()._replace(got_by=partly.value.got)
    with pytest.raises(DestinationPartly):
        mail.deliver(again)
    del postbox.refused["rosa@hollerbeck.example"]
    told = mail.deliver(again)
    assert told == "board@hollerbeck.example, rosa@hollerbeck.example (refused: gone@hollerbeck.example)"
    assert postbox.recipients == [["board@hollerbeck.example"], ["rosa@hollerbeck.example"]]


def test_a_server_that_takes_no_mail_now_is_asked_later(server: Server) -> None:
    postbox, port = server()
    postbox.refused["board@hollerbeck.example"] = "451 greylisted, try again later"
    with pytest.raises(DestinationAway, match="mail_not_now"):
        Mail(settings(port)).deliver(parcel())
    postbox.refused.clear()
    postbox.answer = "452 out of storage"
    with pytest.raises(DestinationAway, match="mail_not_now"):
        Mail(settings(port)).deliver(parcel())
    postbox.answer = "554 refused by policy"
    with pytest.raises(DestinationRefused, match="mail_refused"):
        Mail(settings(port)).deliver(parcel())
    postbox.answer = "250 taken"
    Mail(settings(port)).deliver(parcel())
    assert len(postbox.mails) == 1


def test_a_document_above_the_limit_of_the_server_is_not_sent(server: Server) -> None:
    postbox, port = server(data_size_limit=4000)
    with pytest.raises(DestinationRefused, match="mail_too_large") as refused:
        Mail(settings(port)).deliver(parcel())
    assert refused.value.message.params["limit_bytes"] == 2898  # 4000 over 1.38
    assert postbox.mails == []


@pytest.mark.filterwarnings("ignore:Requiring AUTH")  # on loopback, in a test
def test_a_log_in_is_asked_for_and_a_wrong_one_said(server: Server) -> None:
    postbox, port = server(authenticator=login, auth_required=True, auth_require_tls=False)
    Mail(settings(port, user="desk"), "orchard").deliver(parcel())
    assert len(postbox.mails) == 1
    with pytest.raises(DestinationRefused, match="mail_login"):
        Mail(settings(port, user="desk"), "wrong").try_out()


def test_what_is_no_mail_server_is_away(server: Server) -> None:
    with pytest.raises(DestinationAway, match="mail_away"):
        Mail(settings(free_port())).deliver(parcel())
    _, port = server()
    with pytest.raises(DestinationRefused, match="mail_not_encrypted"):
        Mail(settings(port).model_copy(update={"security": MailSecurity.STARTTLS})).deliver(parcel())


@pytest.mark.parametrize(
    "wrong",
    [
        {"sender": "nobody"},
        {"sender": "a@b\r\nBcc: all@example.org"},
        {"recipients": ()},
        {"recipients": ("a@b", "c d@e")},
        {"subject": "two\nlines"},
        {"host": "mail server"},
        {"port": 0},
    ],
)
def test_settings_that_make_no_mail_are_refused(wrong: dict[str, Any]) -> None:
    right = {"host": "mail.example", "sender": "a@b.example", "recipients": ("c@d.example",)}
    MailSettings.model_validate(right)
    with pytest.raises(ValueError, match=r".*"):
        MailSettings.model_validate({**right, **wrong})
