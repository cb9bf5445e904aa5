"""Limits on time and bytes that hold while a hostile device still sends."""

import gzip
import socket
import threading
import time
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress

import pytest
from httpcore import SOCKET_OPTION, NetworkStream, SyncBackend

from papiermappe.devices.bounded import HEADER_BYTES, BoundedHttp, Budget
from papiermappe.devices.errors import AnswerRefused, DeviceError, DeviceUnreachable

Serve = Callable[[socket.socket], None]

OK = b"HTTP/1.1 200 OK\r\n"
ENDS = b"Connection: close\r\n\r\n"


@contextmanager
def device(serve: Serve) -> Iterator[str]:
    """A device that does with its one connection what a function says."""
    with socket.create_server(("127.0.0.1", 0)) as server:

        def run() -> None:
            with suppress(OSError), server.accept()[0] as connection:
                connection.recv(4000)
                serve(connection)

        thread = threading.Thread(target=run)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.getsockname()[1]}/eSCL"
        finally:
            thread.join()


def ask(serve: Serve, time_s: float = 1.0, max_bytes: int = 100_000) -> bytes:
    """Ask a device, and return the body of its answer."""
    with device(serve) as url:
        http = BoundedHttp(1.0)
        try:
            return http.ask("GET", url, Budget(time_s, max_bytes)).body
        finally:
            http.close()


def sends(*pieces: bytes) -> Serve:
    """Return a device that sends some bytes and hangs up."""
    return lambda connection: connection.sendall(b"".join(pieces))


def drips(start: bytes, piece: bytes, every_s: float = 0.02, times: int = 400) -> Serve:
    """Return a device that sends a start, and then a piece now and then."""

    def serve(connection: socket.socket) -> None:
        connection.sendall(start)
        for _ in range(times):
            connection.sendall(piece)
            time.sleep(every_s)

    return serve


def gzipped(*pieces: bytes) -> Serve:
    """Return a device that says its body is gzip."""
    return sends(OK, b"Content-Encoding: gzip\r\n", ENDS, *pieces)


@pytest.mark.parametrize(
    "serve",
    [
        sends(OK, b"Content-Length: 5\r\n\r\nhello"),
        sends(OK, ENDS, b"hello"),
        sends(OK, b"Transfer-Encoding: chunked\r\n\r\n2\r\nhe\r\n3\r\nllo\r\n0\r\n\r\n"),
        sends(b"HTTP/1.1 100 Continue\r\n\r\n", OK, ENDS, b"hello"),
        sends(OK, b"Content-Encoding: identity\r\n", ENDS, b"hello"),
        gzipped(gzip.compress(b"hello")),
    ],
)
def test_what_is_well_said_is_understood(serve: Serve) -> None:
    assert ask(serve) == b"hello"


@pytest.mark.parametrize(
    "serve",
    [
        drips(b"", b"H"),
        drips(OK, b"X"),
        drips(OK + b"X-Long: ", b"x"),
        drips(b"", b"HTTP/1.1 100 Continue\r\n\r\n"),
        drips(OK + b"Content-Length: 90000\r\n\r\n", b"x"),
        drips(OK + b"Transfer-Encoding: chunked\r\n\r\n", b"1\r\nx\r\n"),
        drips(OK + b"Content-Encoding: gzip\r\n" + ENDS + gzip.compress(b"hello")[:10], b"\x00\x00\x00\xff\xff"),
        drips(b"", b"", every_s=1.5, times=1),
        drips(OK, b"", every_s=1.5, times=1),
    ],
)
def test_no_way_of_being_slow_takes_longer_than_the_budget(serve: Serve) -> None:
    began_s = time.monotonic()
    spent: list[float] = []

    def timed(connection: socket.socket) -> None:
        with suppress(OSError):
            serve(connection)

    with device(timed) as url:
        http = BoundedHttp(1.0)
        with pytest.raises(DeviceUnreachable):
            http.ask("GET", url, Budget(0.4, 100_000))
        spent.append(time.monotonic() - began_s)
        http.close()
    assert spent[0] < 1.2  # on a busy machine, too


@pytest.mark.parametrize(
    "serve",
    [
        sends(OK, ENDS, b"x" * 200_000),
        sends(OK, b"Content-Length: 200000\r\n\r\n", b"x" * 200_000),
        sends(b"HTTP/1.1 100 Continue\r\n\r\n" * 20_000, OK, ENDS),
        sends(OK, b"Transfer-Encoding: chunked\r\n\r\n", b"1\r\nx\r\n" * 60_000),
        gzipped(gzip.compress(bytes(50_000_000))),
        gzipped(gzip.compress(b"")[:10], b"\x00\x00\x00\xff\xff" * 100_000),
    ],
)
def test_no_way_of_sending_much_takes_more_than_the_budget(serve: Serve) -> None:
    with pytest.raises(AnswerRefused, match="answer_too_large"):
        ask(serve, time_s=5.0)


def test_a_bomb_of_zeros_is_cut_off_while_it_is_unpacked() -> None:
    """600 MB of zeros in a gzip: without a limit in the decoder, all of them would be in memory."""
    packer = zlib.compressobj(9, wbits=31)
    bomb = b"".join([packer.compress(bytes(1_000_000)) for _ in range(600)] + [packer.flush()])
    assert len(bomb) < 1_000_000
    began_s = time.process_time()
    with pytest.raises(AnswerRefused, match="answer_too_large"):
        ask(gzipped(bomb), time_s=5.0, max_bytes=1_000_000)
    assert time.process_time() - began_s < 1.0  # not 600 times what one takes


@pytest.mark.parametrize(
    "serve",
    [
        sends(b"hello\r\n\r\n"),
        sends(OK, b"Content-Length: many\r\n\r\nhello"),
        sends(OK, b"Content-Length: 5\r\nContent-Length: 7\r\n\r\nhello"),
        sends(OK, b"Transfer-Encoding: chunked\r\n\r\nmany\r\n"),
        sends(OK, b"Content-Encoding: gzip, gzip\r\n", ENDS, gzip.compress(gzip.compress(b"hello"))),
        sends(OK, b"Content-Encoding: br\r\n", ENDS, b"hello"),
        gzipped(b"hello"),
        gzipped(gzip.compress(b"hello")[:-4]),
        gzipped(gzip.compress(b"hello"), b"and more"),
        gzipped(gzip.compress(b"hello"), gzip.compress(b"hello")),
        gzipped(),
    ],
)
def test_what_is_not_http_or_not_whole_is_refused(serve: Serve) -> None:
    with pytest.raises(AnswerRefused):
        ask(serve)


@pytest.mark.parametrize(
    "serve",
    [
        sends(),
        sends(OK),
        sends(OK, b"Content-Length: 100\r\n\r\n", b"hello"),
        sends(OK, b"Transfer-Encoding: chunked\r\n\r\n5\r\nhel"),
    ],
)
def test_a_device_that_dies_in_the_middle_is_an_error_of_the_device(serve: Serve) -> None:
    with pytest.raises(DeviceError):
        ask(serve)


def test_long_headers_do_not_count_against_the_body() -> None:
    long = b"X-Long: " + b"x" * (HEADER_BYTES // 4) + b"\r\n"
    assert ask(sends(OK, long, ENDS, b"x" * 1000), max_bytes=1000) == b"x" * 1000


def test_several_answers_on_one_connection_have_a_budget_each() -> None:
    def serve(connection: socket.socket) -> None:
        for number in range(3):
            if number:
                connection.recv(4000)
            connection.sendall(OK + b"Content-Length: 800\r\n\r\n" + b"x" * 800)

    with device(serve) as url:
        http = BoundedHttp(1.0)
        assert [len(http.ask("GET", url, Budget(2.0, 1000)).body) for _ in range(3)] == [800] * 3
        http.close()


class SlowNames(SyncBackend):
    """A network whose names take long to be looked up, whatever timeout is given."""

    def __init__(self) -> None:
        self.asked = threading.Event()
        self.found = threading.Event()
        self.stream: NetworkStream | None = None

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[SOCKET_OPTION] | None = None,
    ) -> NetworkStream:
        """Open a connection once the name is found."""
        self.asked.set()
        assert self.found.wait(20)
        self.stream = super().connect_tcp(host, port, timeout, local_address, socket_options)
        return self.stream


def test_looking_a_name_up_is_part_of_the_budget_and_a_late_connection_is_closed() -> None:
    names = SlowNames()
    with socket.create_server(("127.0.0.1", 0)) as server:
        http = BoundedHttp(0.3, names)
        before_s = time.monotonic()
        with pytest.raises(DeviceUnreachable, match="device_timeout"):
            http.ask("GET", f"http://127.0.0.1:{server.getsockname()[1]}/", Budget(5.0, 1000))
        assert time.monotonic() - before_s < 3
        assert names.asked.is_set()
        names.found.set()
        with server.accept()[0] as connection:
            connection.settimeout(10)
            assert connection.recv(1) == b""
        http.close()
