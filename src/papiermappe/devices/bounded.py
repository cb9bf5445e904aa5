"""HTTP to a device that may be broken or hostile: every request has a budget of time and bytes, held while data comes.

The time is that of the wall clock, from the first byte sent to the last one received, whatever the device does in
between: headers a byte at a time, endless `100 Continue`, a body that drips. The bytes are counted as they come from
the network and again as they come out of the decoder.
"""

import contextlib
import ssl
import threading
import time
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import httpcore
from httpcore import SOCKET_OPTION, NetworkBackend, NetworkStream, SyncBackend

from papiermappe.devices.errors import AnswerRefused, DeviceError, DeviceUnreachable

HEADER_BYTES = 128_000
"""What an answer may have beside its body: interim answers, headers, the marks of chunks."""
PIECE_BYTES = 65_536


class Answer(NamedTuple):
    """What a device has answered."""

    status: int
    headers: Mapping[str, str]
    """By lower-case names; of several headers of one name, the last."""
    body: bytes
    """Decoded."""


@dataclass
class Budget:
    """What one request may take."""

    time_s: float
    max_bytes: int
    """Of the body, decoded or not."""
    _until_s: float = field(init=False)
    _bytes_left: int = field(init=False)

    def __post_init__(self) -> None:
        self._until_s = time.monotonic() + self.time_s
        self._bytes_left = self.max_bytes + HEADER_BYTES

    def left_s(self) -> float:
        """Return how much time is left. Raises DeviceUnreachable if there is none."""
        left_s = self._until_s - time.monotonic()
        if left_s <= 0:
            raise DeviceUnreachable("answer_too_slow", limit_s=round(self.time_s, 1))
        return left_s

    def take(self, count: int) -> None:
        """Count bytes from the network. Raises AnswerRefused if there are too many."""
        self._bytes_left -= count
        if self._bytes_left < 0:
            raise AnswerRefused("answer_too_large", limit_bytes=self.max_bytes)


class BoundedHttp:
    """Requests to one device, one at a time. Not for use from two threads.

    Args:
        connect_s: how long a connection may take to open.
        backend: of the network, for tests.
    """

    def __init__(self, connect_s: float, backend: NetworkBackend | None = None) -> None:
        self._connect_s = connect_s
        self._network = _Network(backend or SyncBackend())
        self._pool = httpcore.ConnectionPool(network_backend=self._network)

    def close(self) -> None:
        """Close all connections."""
        self._pool.close()

    def ask(self, method: str, url: str, budget: Budget, body: bytes | None = None) -> Answer:
        """Send a request and return the whole answer.

        Raises:
            DeviceUnreachable: nobody answers, or not in time.
            AnswerRefused: the answer is too large, or not HTTP.
        """
        self._network.budget = budget
        headers = [("Accept", "*/*"), ("Accept-Encoding", "identity")]
        if body is not None:
            headers += [("Content-Type", "text/xml"), ("Content-Length", str(len(body)))]
        timeout = {"connect": min(self._connect_s, budget.time_s), "read": budget.time_s, "write": budget.time_s}
        with _as_device_errors(budget):  # noqa: SIM117 (the errors of closing count too)
            with self._pool.stream(
                method, url, headers=headers, content=body, extensions={"timeout": timeout}
            ) as response:
                told = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in response.headers}
                pieces = _decoded(response.iter_stream(), told.get("content-encoding", ""))
                return Answer(response.status, told, _joined(pieces, budget))
        raise AssertionError  # the block above returns or raises


@contextlib.contextmanager
def _as_device_errors(budget: Budget) -> Iterator[None]:
    try:
        yield
    except DeviceError:
        raise
    except httpcore.TimeoutException as exc:
        raise DeviceUnreachable("device_timeout") from exc
    except (httpcore.NetworkError, OSError) as exc:
        raise DeviceUnreachable("device_unreachable") from exc
    except (httpcore.RemoteProtocolError, zlib.error) as exc:
        budget.left_s()
        raise AnswerRefused("answer_unreadable") from exc


def _joined(pieces: Iterable[bytes], budget: Budget) -> bytes:
    """Join the pieces of a decoded body. Raises AnswerRefused if they are too many bytes."""
    read = bytearray()
    for piece in pieces:
        budget.left_s()
        read += piece
        if len(read) > budget.max_bytes:
            raise AnswerRefused("answer_too_large", limit_bytes=budget.max_bytes)
    return bytes(read)


def _decoded(raw: Iterable[bytes], encoding: str) -> Iterator[bytes]:
    """Yield a body decoded in small pieces, from none or one encoding: gzip. Raises AnswerRefused for any other."""
    match encoding.strip().lower():
        case "" | "identity":
            yield from raw
        case "gzip" | "x-gzip":
            yield from _unzipped(raw)
        case _:
            raise AnswerRefused("answer_unreadable")


def _unzipped(raw: Iterable[bytes]) -> Iterator[bytes]:
    """Yield what a gzip file (RFC 1952, one member) holds. Raises AnswerRefused for bytes after its end."""
    unzip = zlib.decompressobj(wbits=31)
    for compressed in raw:
        waiting = compressed
        while waiting:
            if unzip.eof:
                raise AnswerRefused("answer_unreadable")
            yield unzip.decompress(waiting, PIECE_BYTES)
            waiting = unzip.unconsumed_tail or unzip.unused_data
    if not unzip.eof:
        raise AnswerRefused("answer_unreadable")


class _Network(NetworkBackend):
    """Opens connections whose every read and write draws on the budget of the present request."""

    def __init__(self, backend: NetworkBackend) -> None:
        self._backend = backend
        self.budget = Budget(0.0, 0)

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[SOCKET_OPTION] | None = None,
    ) -> NetworkStream:
        """Open a connection."""
        wait_s = min(timeout or self.budget.time_s, self.budget.left_s())
        opened = _within(wait_s, lambda: self._backend.connect_tcp(host, port, wait_s, local_address, socket_options))
        return _Stream(opened, self)


def _within(wait_s: float, connect: Callable[[], NetworkStream]) -> NetworkStream:
    """Open a connection on a thread of its own: looking a name up takes no timeout, and each address has one to itself.

    Raises httpcore.ConnectTimeout, and what `connect` raises.
    """
    opening: Future[NetworkStream] = Future()

    def run() -> None:
        try:
            opening.set_result(connect())
        except Exception as exc:  # noqa: BLE001 (raised again where it is waited for)
            opening.set_exception(exc)

    threading.Thread(target=run, name="connect", daemon=True).start()
    try:
        return opening.result(wait_s)
    except TimeoutError as exc:
        opening.add_done_callback(_close_late)
        raise httpcore.ConnectTimeout from exc


def _close_late(opening: Future[NetworkStream]) -> None:
    if opening.exception() is None:
        opening.result().close()


class _Stream(NetworkStream):
    """One connection."""

    def __init__(self, stream: NetworkStream, network: _Network) -> None:
        self._stream = stream
        self._network = network

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        """Read what has come."""
        del timeout  # the budget's is what is left of it
        data = self._stream.read(max_bytes, self._network.budget.left_s())
        self._network.budget.take(len(data))
        return data

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        """Send."""
        del timeout
        self._stream.write(buffer, self._network.budget.left_s())

    def close(self) -> None:
        """Close the connection."""
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> NetworkStream:
        """Encrypt the connection."""
        wait_s = min(timeout or self._network.budget.time_s, self._network.budget.left_s())
        return _Stream(self._stream.start_tls(ssl_context, server_hostname, wait_s), self._network)

    def get_extra_info(self, info: str) -> Any:
        """Return what is known of the connection."""
        return self._stream.get_extra_info(info)
