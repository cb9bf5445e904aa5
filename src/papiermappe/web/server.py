"""The web server: the application at its own address, and the pages of phones at theirs."""

import socket
from contextlib import ExitStack

import uvicorn

from papiermappe.errors import PapiermappeError
from papiermappe.settings import Settings
from papiermappe.web.app import create_app

GRACE_S = 1
BACKLOG = 2048


class AddressTaken(PapiermappeError):
    """An address cannot be listened at."""


def serve(settings: Settings, database_url: str) -> None:
    """Serve until a signal comes.

    Args:
        settings: of the desk.
        database_url: of PostgreSQL.

    Raises:
        AddressTaken: an address cannot be listened at.
    """
    places = [(settings.host, settings.port)]
    if settings.phone_host:
        places.append((settings.phone_host, settings.phone_port))
    config = uvicorn.Config(
        create_app(settings, database_url),
        log_level="warning",
        timeout_graceful_shutdown=GRACE_S,
        server_header=False,
    )
    with ExitStack() as stack:
        sockets = [stack.enter_context(_listening(host, port)) for host, port in places]
        uvicorn.Server(config).run(sockets)


def _listening(host: str, port: int) -> socket.socket:
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
        listening = socket.socket(family, kind, protocol)
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind(address)
        listening.listen(BACKLOG)
    except OSError as exc:
        raise AddressTaken("address_taken", host=host, port=port, reason=exc.strerror or str(exc)) from exc
    return listening
