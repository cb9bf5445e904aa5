"""Hostile devices: answers that lie, drip, bomb and break, told to the device client over real sockets."""

import gzip
import random
import socketserver
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

import numpy as np

from benchmarks.fuzzing.tally import Tally
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.standin.scanner import escl
from papiermappe.standin.scanner.device import Device
from papiermappe.standin.scanner.profiles import PROFILES

LIMITS = Limits(connect_s=0.2, answer_s=0.2, page_s=0.2, busy_s=0.2, xml_bytes=200_000, page_bytes=2_000_000)
TICKET = TicketSettings(source=Source.FEEDER, sides=Sides.ONE, dpi=100)
SLOW_SHARE = 0.015
STATUSES = (200, 200, 200, 201, 201, 204, 206, 301, 404, 409, 410, 418, 500, 503, 999)
ODD_TEXTS = (
    "", " ", "-1", "0", "9" * 400, "1e9", "nan", "NaN", "inf", "0x10", "\u0661\u0662", "many", "\x00", "\ud7ff", "<a/>",
    "&amp;", "]]>", "../../x", "http://[::1/x", "http://a..b/", "//", "%00", "a" * 70_000, "\u202e", "300 300",
)  # fmt: skip
ENCODINGS = ("utf-8", "utf-16", "foo", "hex", "rot13", "idna", "punycode", "unicode_escape", "base64", "zlib", "mbcs")
ADDRESSES = (
    "http://[::1/x", "a..b", "a" * 64, "http://", "ftp://a", "http://a:99999", "http://a:-1", "[::1]", "\u0130",
    "xn--", "xn--a" * 20, "http://user@a", "1.2.3.4.5", "0x7f.1", "http://a\tb", "http://\u2100",
)  # fmt: skip
BOMB = gzip.compress(bytes(30_000_000))


class Server(socketserver.ThreadingTCPServer):
    """A device whose answers follow from the number of the case."""

    daemon_threads = True
    allow_reuse_address = True

    def __init__(self, seed: int) -> None:
        super().__init__(("127.0.0.1", 0), Handler)
        self.seed = seed
        self.case = 0
        self.requests = 0
        device = Device(next(profile for profile in PROFILES if profile.duplex))
        self.capabilities = escl.capabilities(device, "http://127.0.0.1/").encode()
        self.status = escl.status(device, 0.0).encode()
        self.page = encode_jpeg(np.full((60, 40), 200, np.uint8))

    def handle_error(self, request: object, client_address: object) -> None:
        """Say nothing: the client hangs up when it has had enough."""


class Handler(socketserver.BaseRequestHandler):
    """One connection."""

    server: Server

    def handle(self) -> None:
        """Read requests, and answer them as the case says."""
        with suppress(OSError):
            while head := self.request.recv(65_536):
                self.server.requests += 1
                rng = random.Random(f"{self.server.seed}-{self.server.case}-{self.server.requests}")  # noqa: S311
                if not self._answer(rng, head):
                    return

    def _answer(self, rng: random.Random, head: bytes) -> bool:
        """Send an answer; return whether the connection goes on."""
        if rng.random() < SLOW_SHARE:
            self._be_slow(rng)
            return False
        body, headers, status = self._well(head)
        if rng.random() < 0.7:
            body = _broken_body(rng, body)
        if rng.random() < 0.4:
            status = rng.choice(STATUSES)
        lines = [f"HTTP/1.1 {status} Said".encode(), *headers]
        if rng.random() < 0.4:
            lines.append(_odd_header(rng))
        body, framing = _framed(rng, body)
        whole = b"\r\n".join([*lines, *framing]) + b"\r\n\r\n" + body
        if rng.random() < 0.1:
            whole = _bytes_changed(rng, whole)
        if rng.random() < 0.08:
            whole = whole[: rng.randrange(len(whole) + 1)]
        self.request.sendall(whole)
        return rng.random() < 0.7

    def _well(self, head: bytes) -> tuple[bytes, list[bytes], int]:
        path = head.split(b" ")[1] if head.count(b" ") > 1 else b"/"
        if path.endswith(b"ScannerCapabilities"):
            return self.server.capabilities, [], 200
        if path.endswith(b"ScannerStatus"):
            return self.server.status, [], 200
        if head.startswith(b"POST"):
            return b"", [b"Location: http://127.0.0.1/eSCL/ScanJobs/7"], 201
        return self.server.page, [b"Content-Type: image/jpeg"], 200

    def _be_slow(self, rng: random.Random) -> None:
        start, piece = rng.choice(
            [
                (b"", b""),
                (b"", b"H"),
                (b"HTTP/1.1 200 OK\r\n", b"X"),
                (b"", b"HTTP/1.1 100 Continue\r\n\r\n"),
                (b"HTTP/1.1 200 OK\r\nContent-Length: 9999\r\n\r\n", b"x"),
                (b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n", b"1\r\nx\r\n"),
                (b"HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\n\r\n" + BOMB[:10], b"\x00\x00\x00\xff\xff"),
            ]
        )
        self.request.sendall(start)
        for _ in range(40):
            time.sleep(0.05)
            self.request.sendall(piece)


def _broken_body(rng: random.Random, body: bytes) -> bytes:
    match rng.randrange(8):
        case 0:
            return _bytes_changed(rng, body)
        case 1:
            return body[: rng.randrange(len(body) + 1)]
        case 2:
            return rng.randbytes(rng.randrange(3000))
        case 3:
            return (
                b"<?xml version='1.0' encoding='" + rng.choice(ENCODINGS).encode() + b"'?>" + body.split(b"?>", 1)[-1]
            )
        case 4:
            return b"<a>" * rng.randrange(60_000) + body
        case 5:
            return b'<!DOCTYPE a [<!ENTITY b "bbbbbbbbbb">]>' + body
        case _:
            return _texts_changed(rng, body)


def _texts_changed(rng: random.Random, body: bytes) -> bytes:
    """Put odd texts where elements have theirs."""
    parts = body.split(b">")
    for _ in range(rng.randrange(1, 4)):
        at = rng.randrange(len(parts))
        told, mark, rest = parts[at].partition(b"<")
        if mark and told.strip():
            parts[at] = rng.choice(ODD_TEXTS).encode(errors="surrogatepass") + mark + rest
    return b">".join(parts)


def _bytes_changed(rng: random.Random, data: bytes) -> bytes:
    changed = bytearray(data)
    for _ in range(rng.randrange(1, 8)):
        if changed:
            changed[rng.randrange(len(changed))] = rng.randrange(256)
    return bytes(changed)


def _odd_header(rng: random.Random) -> bytes:
    name = rng.choice(["Location", "Retry-After", "Content-Type", "Set-Cookie", "X", "", "Connection", "Upgrade"])
    return f"{name}: {rng.choice(ODD_TEXTS)[:9000]}".encode(errors="surrogatepass")


def _framed(rng: random.Random, body: bytes) -> tuple[bytes, list[bytes]]:
    """Return the body as it is sent, and the headers that say how."""
    match rng.randrange(12):
        case 0:
            return body, [b"Connection: close"]
        case 1:
            return b"%x\r\n%s\r\n0\r\n\r\n" % (len(body), body), [b"Transfer-Encoding: chunked"]
        case 2:
            return b"zz\r\n" + body, [b"Transfer-Encoding: chunked"]
        case 3:
            return body, [b"Content-Length: " + rng.choice(ODD_TEXTS)[:5000].encode(errors="surrogatepass")]
        case 4:
            return body, [b"Content-Length: %d" % (len(body) + rng.randrange(-20, 20))]
        case 5:
            return BOMB, [b"Content-Encoding: gzip", b"Content-Length: %d" % len(BOMB)]
        case 6:
            packed = gzip.compress(body) + rng.randbytes(rng.randrange(20))
            return packed, [b"Content-Encoding: gzip", b"Content-Length: %d" % len(packed)]
        case 7:
            return body, [b"Content-Encoding: " + rng.choice([b"br", b"gzip, gzip", b"deflate", b"zstd", b"\xff"]),
                          b"Content-Length: %d" % len(body)]  # fmt: skip
        case _:
            return body, [b"Content-Length: %d" % len(body)]


@contextmanager
def _serving(seed: int) -> Iterator[Server]:
    with Server(seed) as server:
        thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
        thread.start()
        try:
            yield server
        finally:
            server.shutdown()
            thread.join()


def run(numbers: range, seed: int) -> Tally:
    """Ask a hostile device everything that a run asks, once a case."""
    tally = Tally()
    limit_s = LIMITS.busy_s + LIMITS.page_s
    with _serving(seed) as server:
        url = f"http://127.0.0.1:{server.server_address[1]}/eSCL"
        for case in numbers:
            server.case, server.requests = case, 0
            tally.cases += 1
            address = ADDRESSES[case % len(ADDRESSES)]
            tally.attempt(f"{case} address", 0.0, lambda address=address: device_url(address))  # type: ignore[misc]  # mypy cannot infer a lambda with defaults
            with EsclClient(url, LIMITS) as client:
                job = f"{url}/ScanJobs/7"
                for name, ask in (
                    ("abilities", client.abilities),
                    ("status", client.status),
                    ("start", lambda client=client: client.start(TICKET)),
                    ("page", lambda client=client, job=job: client.next_page(job)),
                    ("job", lambda client=client, job=job: client.job_status(job)),
                    ("cancel", lambda client=client, job=job: client.cancel(job)),
                ):
                    asked_s = limit_s + (LIMITS.answer_s if name in {"start", "page"} else 0.0)
                    tally.attempt(f"{case} {name}", asked_s, ask)
    return tally
