"""The device client against devices that answer nonsense, too much, too slowly, or die in the middle of a page."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import httpx
import pytest
from tests.core.test_picture import bomb
from tests.helpers import QUICK, QUICK_GLASS, Drawer

from papiermappe.core.picture import CapturedPicture
from papiermappe.devices.bounded import Answer as DeviceAnswer
from papiermappe.devices.bounded import Budget
from papiermappe.devices.errors import (
    AddressRefused,
    AnswerRefused,
    DeviceBusy,
    DeviceUnreachable,
    FeederStuck,
    SettingsRefused,
)
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import (
    ANY_SIZE,
    OWN_SIZE,
    Colour,
    DeviceState,
    Lies,
    Sides,
    Source,
    Span,
    TicketSettings,
)
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
    return EsclClient(ROOT, accepted, Told(answer), sleep=lambda _: None)


class Told:
    """A device that answers as a function says, without a network."""

    def __init__(self, answer: Answer) -> None:
        self._answer = answer

    def ask(self, method: str, url: str, budget: Budget, body: bytes | None = None) -> DeviceAnswer:
        """Answer."""
        response = self._answer(httpx.Request(method, url, content=body))
        return DeviceAnswer(response.status_code, dict(response.headers), response.read())

    def close(self) -> None:
        """Do nothing."""


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
    "typed",
    [
        "",
        "ftp://a",
        "http://",
        "a b",
        "http://user:pw@host",
        "http://a:99999",
        "file:///etc/passwd",
        "http://[::1/x",
        "a..b",
        "a" * 64,
        "a\x00b",
        "http://\ud800",
    ],
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
    assert set(able.glass.colours_by_content) == set(Colour)
    assert "A4" in able.feeder.papers()
    assert "A3" not in able.feeder.papers()


def test_a_ticket_is_fitted_to_what_the_device_can_do(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("kiebitz")) as scanner:
        able = scanner.abilities()
    wish = TicketSettings(source=Source.FEEDER, sides=Sides.BOTH, dpi=280, paper="A3")
    fitted = wish.fitted(able)
    assert (fitted.source, fitted.sides, fitted.dpi, fitted.paper) == (Source.GLASS, Sides.ONE, 300, ANY_SIZE)
    assert fitted.fitted(able) == fitted


def test_the_area_follows_the_paper_and_how_it_lies(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("stieglitz")) as scanner:
        feeder = scanner.abilities().feeder
    assert feeder is not None
    assert "A5" in feeder.papers(Lies.SIDEWAYS)
    assert "A4" not in feeder.papers(Lies.SIDEWAYS)  # 297 mm wide
    sideways = QUICK.model_copy(update={"paper": "A5", "lies": Lies.SIDEWAYS})
    assert sideways.area_mm(feeder) == pytest.approx((210 + 8, 148 + 8))  # 8 mm for skew
    own = QUICK.model_copy(update={"paper": OWN_SIZE, "width_mm": 90.0, "height_mm": 120.0})
    assert own.area_mm(feeder) == pytest.approx((98, 128))


def test_brightness_is_in_the_devices_own_numbers() -> None:
    span = Span(low=0, normal=40, high=100)
    assert [span.at(percent) for percent in (-100, -50, 0, 50, 100)] == [0, 20, 40, 70, 100]


def test_a_device_with_light_scans_brighter_where_it_is_wished(drawer: Drawer) -> None:
    glass = QUICK.model_copy(update={"source": Source.GLASS, "sides": Sides.ONE})
    means = []
    with EsclClient(drawer.escl("kiebitz")) as scanner:
        for brightness in (-60, 0, 60):
            drawer.lay("card", into="kiebitz", where="glass", seed=3)
            data = scanner.next_page(scanner.start(glass.model_copy(update={"brightness": brightness})))
            assert data is not None
            means.append(float(CapturedPicture(data, 100.0).pixels(8, grey=True).mean()))
    assert means[0] + 20 < means[1] < means[2] - 5


def test_a_device_without_light_has_none_asked_of_it(drawer: Drawer) -> None:
    with EsclClient(drawer.escl("stieglitz")) as scanner:
        able = scanner.abilities()
    assert (able.brightness, able.contrast) == (None, None)
    assert TicketSettings(brightness=30, contrast=-30).fitted(able).brightness == 0


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
            httpx.Response(503, headers={"Retry-After": "nan"}),
            httpx.Response(503, headers={"Retry-After": "-inf"}),
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
        *(b'<?xml version="1.0" encoding="' + name + b'"?><a/>' for name in (b"foo", b"hex", b"rot13", b"undefined")),
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
        (b"<scan:MaxWidth>", b"<scan:MaxWidth>" + b"9" * 400),
        (b"<scan:MaxWidth>", b"<scan:MaxWidth>" + b"9" * 5000),
    ):
        scanner = client(lambda _, old=old, new=new: httpx.Response(200, content=capabilities.replace(old, new)))  # type: ignore[misc]  # mypy cannot infer a lambda with defaults
        with pytest.raises(AnswerRefused):
            scanner.abilities()


@pytest.mark.parametrize("location", ["http://[::1/x", "", "jobs/1", "http://a/b\x00c", "http://a/ScanJobs/1 2", "//"])
def test_a_job_whose_name_cannot_be_read_is_refused(location: str, capabilities: bytes) -> None:
    class NamesIt(Told):
        def ask(self, method: str, url: str, budget: Budget, body: bytes | None = None) -> DeviceAnswer:
            return DeviceAnswer(201 if method == "POST" else 200, {"location": location}, capabilities)

    with pytest.raises(AnswerRefused):
        EsclClient(ROOT, Limits(), NamesIt(lambda _: httpx.Response(200))).start(QUICK)


def test_an_error_that_nobody_has_thought_of_is_an_answer_refused() -> None:
    def break_down(_: httpx.Request) -> httpx.Response:
        raise RecursionError

    with pytest.raises(AnswerRefused):
        client(break_down).status()


@pytest.mark.parametrize("page", [b"<html>Sorry</html>", b"\xff\xd8\xff\xe0 not really", bomb(50_000, 50_000)])
def test_a_page_that_is_no_picture_or_a_huge_one_is_refused(page: bytes) -> None:
    scanner = client(lambda _: httpx.Response(200, content=page))
    with pytest.raises(PictureRefused):
        scanner.next_page(f"{ROOT}/ScanJobs/1")


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
