"""The device client against devices that answer nonsense, too much, too slowly, or die in the middle of a page."""

import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import httpx
import pytest
from tests.core.test_picture import bomb
from tests.helpers import QUICK, QUICK_GLASS, Drawer

from papiermappe.devices.errors import (
    AddressRefused,
    AnswerRefused,
    DeviceBusy,
    DeviceUnreachable,
    FeederStuck,
    SettingsRefused,
)
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import ANY_SIZE, Colour, DeviceState, Sides, Source, TicketSettings
from papiermappe.errors import PictureRefused

ROOT = "http://scanner.test/eSCL"
STATUS = (
    '<scan:ScannerStatus xmlns:scan="http://schemas.hp.com/imaging/escl/2011/05/03" '
    'xmlns:pwg="http://www.pwg.org/schemas/2010/12/sm"><pwg:State>{state}</pwg:State>'
    "<scan:AdfState>{adf}</scan:AdfState></scan:ScannerStatus>"
)


@pytest.fixture
def capabilities(drawer: Drawer) -> bytes:
    """What the stand-in's duplex feeder says of itself."""
    return httpx.get(drawer.escl("zaunkoenig") + "/ScannerCapabilities", trust_env=False).content


Answer = Callable[[httpx.Request], httpx.Response]


def client(answer: Answer, **limits: float) -> EsclClient:
    """Return a client whose device answers as told, and that does not sleep."""
    accepted = replace(Limits(), **limits)  # type: ignore[arg-type]  # all limits are numbers
    return EsclClient(ROOT, accepted, httpx.MockTransport(answer), sleep=lambda _: None)


@pytest.mark.parametrize(
    ("typed", "url"),
    [
        ("192.168.1.20", "http://192.168.1.20/eSCL"),
        (" scanner.local:8080/ ", "http://scanner.local:8080/eSCL"),
        ("https://scanner.local/eSCL/", "https://scanner.local/eSCL"),
        ("http://[fe80::1]:80", "http://[fe80::1]:80/eSCL"),
    ],
)
def test_addresses_as_people_type_them(typed: str, url: str) -> None:
    assert device_url(typed) == url


@pytest.mark.parametrize(
    "typed", ["", "ftp://a", "http://", "a b", "http://user:pw@host", "http://a:99999", "file:///etc/passwd"]
)
def test_what_is_no_address_is_refused(typed: str) -> None:
    with pytest.raises(AddressRefused):
        device_url(typed)


def test_abilities_of_the_stand_in(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("zaunkoenig")) as scanner:
        able = scanner.abilities()
    assert (able.name, able.duplex, able.feeder_capacity) == ("Zaunkönig D60", True, 60)
    assert able.feeder is not None
    assert able.glass is not None
    assert able.feeder.resolutions_dpi == (100, 150, 200, 300)
    assert able.glass.width_mm == pytest.approx(230, abs=0.1)
    assert set(able.glass.colours) == set(Colour)
    assert "A4" in able.feeder.papers()
    assert "A3" not in able.feeder.papers()


def test_a_ticket_is_fitted_to_what_the_device_can_do(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("kiebitz")) as scanner:
        able = scanner.abilities()
    wish = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=280, paper="A3")
    fitted = wish.fitted(able)
    assert (fitted.source, fitted.sides, fitted.dpi, fitted.paper) == (Source.GLASS, Sides.ONE, 300, ANY_SIZE)
    assert fitted.fitted(able) == fitted


def test_a_job_from_the_feeder_page_by_page(drawer: Drawer) -> None:
    drawer.lay("lease")
    with EsclClient(drawer.escl("zaunkoenig")) as scanner:
        assert scanner.status().paper_loaded
        job = scanner.start(QUICK)
        pages = []
        while page := scanner.next_page(job):
            pages.append(page)
            status = scanner.job_status(job)
            assert status is not None
            assert status.images_completed == len(pages)
        assert len(pages) == 6
        assert scanner.status().state is DeviceState.IDLE
        assert scanner.status().paper_loaded is False


@pytest.mark.parametrize("colour", list(Colour))
def test_every_colour_is_asked_for_in_a_kind_that_can_carry_it(colour: Colour, drawer: Drawer) -> None:
    drawer.lay("german", into="kiebitz", where="glass")
    with EsclClient(drawer.escl("kiebitz")) as scanner:
        page = scanner.next_page(scanner.start(QUICK_GLASS.model_copy(update={"colour": colour})))
    assert page is not None
    assert page[:4] == (b"\x89PNG" if colour is Colour.BILEVEL else b"\xff\xd8\xff\xe0")


def test_an_empty_feeder_refuses_the_job(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("zaunkoenig")) as scanner, pytest.raises(SettingsRefused, match="job_refused"):
        scanner.start(QUICK)


def test_cancelling_frees_the_device(drawer: Drawer) -> None:
    drawer.lay("lease")
    with EsclClient(drawer.escl("zaunkoenig")) as scanner:
        job = scanner.start(QUICK)
        scanner.next_page(job)
        with EsclClient(drawer.escl("zaunkoenig"), Limits(busy_s=0)) as other, pytest.raises(DeviceBusy):
            other.start(QUICK)
        scanner.cancel(job)
        scanner.cancel(job)
        assert scanner.status().state is DeviceState.IDLE
        assert scanner.next_page(job) is None


@pytest.mark.parametrize(
    ("fault", "adf_state", "code"),
    [
        ({"jam_at": 2}, "ScannerAdfJam", "sheet_jammed"),
        ({"double_at": 2}, "ScannerAdfMultipickDetected", "sheets_together"),
    ],
)
def test_paper_that_does_not_come_is_said(fault: dict[str, Any], adf_state: str, code: str, drawer: Drawer) -> None:
    drawer.lay("lease")
    drawer.trouble(**fault)
    with EsclClient(drawer.escl("zaunkoenig")) as scanner:
        job = scanner.start(QUICK)
        assert [scanner.next_page(job) is not None for _ in range(2)] == [True, True]
        with pytest.raises(FeederStuck, match=code) as stuck:
            scanner.next_page(job)
    assert stuck.value.adf_state == adf_state
    assert drawer.in_feeder() == 2


def test_busy_devices_are_asked_again(capabilities: bytes) -> None:
    answers = iter(
        [
            httpx.Response(503, headers={"Retry-After": "0.3"}),
            httpx.Response(503, headers={"Retry-After": "soon"}),
            httpx.Response(201, headers={"Location": "http://elsewhere.test/eSCL/ScanJobs/7/"}),
        ]
    )

    def answer(request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, content=capabilities) if request.method == "GET" else next(answers)

    # An answer leads nowhere else: the job is looked for on the device that was asked.
    assert client(answer).start(QUICK) == "http://scanner.test/eSCL/ScanJobs/7"


@pytest.mark.parametrize(
    "xml",
    [
        b"", b"<", b"<html/>", b'{"a": 1}', b"\xff\xfe\x00",
        b'<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]><a>&x;</a>',
        b'<!DOCTYPE a [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><a>&b;</a>',
        b'<scan:ScannerCapabilities xmlns:scan="http://schemas.hp.com/imaging/escl/2011/05/03"/>',
    ],
)  # fmt: skip
def test_nonsense_is_an_answer_refused(xml: bytes) -> None:
    scanner = client(lambda _: httpx.Response(200, content=xml))
    with pytest.raises(AnswerRefused):
        scanner.abilities()
    with pytest.raises(AnswerRefused):
        scanner.status()


def test_absurd_numbers_are_refused(capabilities: bytes) -> None:
    for old, new in (
        (b"<scan:MaxWidth>", b"<scan:MaxWidth>-"),
        (b"<scan:FeederCapacity>60", b"<scan:FeederCapacity>many"),
    ):
        scanner = client(lambda _, old=old, new=new: httpx.Response(200, content=capabilities.replace(old, new)))  # type: ignore[misc]  # mypy cannot infer a lambda with defaults
        with pytest.raises(AnswerRefused):
            scanner.abilities()


def test_too_much_is_cut_off() -> None:
    def endless() -> Iterator[bytes]:
        while True:
            yield b"x" * 100_000

    scanner = client(lambda _: httpx.Response(200, content=endless()), xml_bytes=500_000, page_bytes=2_000_000)
    with pytest.raises(AnswerRefused, match="answer_too_large"):
        scanner.abilities()
    with pytest.raises(AnswerRefused, match=r"answer_too_large\(limit_bytes=2000000\)"):
        scanner.next_page(f"{ROOT}/ScanJobs/1")


@pytest.mark.parametrize("page", [b"<html>Sorry</html>", b"\xff\xd8\xff\xe0 not really", bomb(50_000, 50_000)])
def test_a_page_that_is_no_picture_or_a_huge_one_is_refused(page: bytes) -> None:
    scanner = client(lambda _: httpx.Response(200, content=page))
    with pytest.raises(PictureRefused):
        scanner.next_page(f"{ROOT}/ScanJobs/1")


@contextmanager
def raw_device(say: bytes, then_wait_s: float) -> Iterator[str]:
    """A device that says some bytes, waits, and hangs up."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        done = threading.Event()

        def serve() -> None:
            with server.accept()[0] as connection:
                connection.recv(4000)
                connection.sendall(say)
                done.wait(then_wait_s)

        thread = threading.Thread(target=serve)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.getsockname()[1]}/eSCL"
        finally:
            done.set()
            thread.join()


HALF_A_PAGE = (
    b"HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nContent-Length: 100000\r\n\r\n" + b"\xff\xd8" + b"x" * 500
)


def test_a_device_that_dies_in_the_middle_of_a_page() -> None:
    with raw_device(HALF_A_PAGE, 0) as url, EsclClient(url) as scanner, pytest.raises(DeviceUnreachable):
        scanner.next_page(f"{url}/ScanJobs/1")


def test_a_device_that_is_too_slow() -> None:
    with raw_device(HALF_A_PAGE, 5) as url, EsclClient(url, Limits(page_s=0.3)) as slow:  # noqa: SIM117 (too long)
        with pytest.raises(DeviceUnreachable, match="device_timeout"):
            slow.next_page(f"{url}/ScanJobs/1")


def test_nobody_there() -> None:
    with EsclClient("http://127.0.0.1:1/eSCL") as scanner, pytest.raises(DeviceUnreachable, match="device_unreachable"):
        scanner.status()


def test_a_jam_is_read_from_the_feeders_state() -> None:
    def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path.endswith("NextDocument"):
            return httpx.Response(409)
        return httpx.Response(200, text=STATUS.format(state="Stopped", adf="ScannerAdfHatchOpen"))

    with pytest.raises(FeederStuck, match="cover_open"):
        client(answer).next_page(f"{ROOT}/ScanJobs/1")
