"""The stand-in scanner itself: states, jobs, formats, and that its truth is true."""

import io
import re
from collections.abc import Iterator

import httpx
import numpy as np
import pikepdf
import pytest
from PIL import Image
from tests.helpers import PATIENCE_S, Drawer

from papiermappe.core.clean import find_sheet
from papiermappe.core.picture import decode
from papiermappe.standin.paper.originals import ORIGINALS

HEAD = (
    '<?xml version="1.0"?><scan:ScanSettings xmlns:scan="http://schemas.hp.com/imaging/escl/2011/05/03" '
    'xmlns:pwg="http://www.pwg.org/schemas/2010/12/sm"><pwg:Version>2.63</pwg:Version>'
)


TOO_WIDE = (
    "<pwg:ScanRegions><pwg:ScanRegion><pwg:Width>9000</pwg:Width><pwg:Height>100</pwg:Height>"
    "</pwg:ScanRegion></pwg:ScanRegions>"
)


def settings(source: str = "Feeder", **values: object) -> str:
    """Return ScanSettings."""
    given = {"ColorMode": "Grayscale8", "XResolution": 100, "YResolution": 100, **values}
    kind = given.pop("format", "image/jpeg")
    region = given.pop("region", "")
    fields = "".join(f"<scan:{name}>{value}</scan:{name}>" for name, value in given.items())
    return (
        f"{HEAD}{region}<pwg:InputSource>{source}</pwg:InputSource>"
        f"<pwg:DocumentFormat>{kind}</pwg:DocumentFormat>{fields}</scan:ScanSettings>"
    )


class Scanner:
    """A plain HTTP client for one device."""

    def __init__(self, root: str) -> None:
        self.http = httpx.Client(base_url=root, trust_env=False, timeout=PATIENCE_S)

    def start(self, xml: str) -> httpx.Response:
        """Post a job."""
        return self.http.post("/ScanJobs", content=xml, headers={"Content-Type": "text/xml"})

    def pages(self, job: httpx.Response) -> list[bytes]:
        """Pull all pages of a job."""
        assert job.status_code == 201
        pages = []
        while (answer := self.http.get(job.headers["Location"] + "/NextDocument")).status_code == 200:
            pages.append(answer.content)
        assert answer.status_code == 404
        return pages

    def state(self) -> tuple[str, str]:
        """Return the device's and the feeder's state."""
        xml = self.http.get("/ScannerStatus").text
        adf = re.search("<scan:AdfState>(.*?)<", xml)
        return re.findall("<pwg:State>(.*?)<", xml)[0], adf[1] if adf else ""


@pytest.fixture
def scanner(drawer: Drawer) -> Iterator[Scanner]:
    """The duplex feeder."""
    one = Scanner(drawer.escl("zaunkoenig"))
    yield one
    one.http.close()


def test_there_are_enough_originals_of_all_kinds() -> None:
    assert len(ORIGINALS) >= 12
    assert len(ORIGINALS["lease"].sheets) == 3
    assert {original.paper.name for original in ORIGINALS.values()} >= {"A4", "A5", "Receipt", "Card"}


def test_headers_keep_their_case(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("german")
    raw = scanner.start(settings()).headers.raw
    assert b"Location" in [name for name, _ in raw]


def test_the_states_of_a_feeder_run(scanner: Scanner, drawer: Drawer) -> None:
    assert scanner.state() == ("Idle", "ScannerAdfEmpty")
    assert scanner.start(settings()).status_code == 409
    drawer.lay("lease")
    assert scanner.state() == ("Idle", "ScannerAdfLoaded")
    job = scanner.start(settings())
    assert scanner.state() == ("Processing", "ScannerAdfProcessing")
    busy = scanner.start(settings())
    assert (busy.status_code, busy.headers["Retry-After"]) == (503, "1")
    assert len(scanner.pages(job)) == 3
    assert scanner.state() == ("Idle", "ScannerAdfEmpty")
    assert "Completed" in scanner.http.get("/ScannerStatus").text
    assert scanner.http.delete("/ScanJobs/unknown").status_code == 404


def test_a_restart_forgets_jobs_and_keeps_paper(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("lease")
    job = scanner.start(settings())
    assert scanner.http.get(job.headers["Location"] + "/NextDocument").status_code == 200
    drawer.forget_jobs()
    assert scanner.http.get(job.headers["Location"] + "/NextDocument").status_code == 404
    assert scanner.state() == ("Idle", "ScannerAdfLoaded")
    assert drawer.in_feeder() == 2


@pytest.mark.parametrize(
    ("fault", "state"),
    [
        ("jam_at", "ScannerAdfJam"),
        ("mispick_at", "ScannerAdfMispick"),
        ("double_at", "ScannerAdfMultipickDetected"),
        ("too_long_at", "ScannerAdfDuplexPageTooLong"),
        ("cover_at", "ScannerAdfHatchOpen"),
    ],
)
def test_a_fault_at_the_second_sheet(scanner: Scanner, drawer: Drawer, fault: str, state: str) -> None:
    drawer.lay("lease")
    drawer.trouble("zaunkoenig", **{fault: 2})
    page = scanner.start(settings(Duplex="true")).headers["Location"] + "/NextDocument"
    assert [scanner.http.get(page).status_code for _ in range(3)] == [200, 200, 409]
    assert scanner.state() == ("Stopped", state)
    assert drawer.in_feeder() == 2


@pytest.mark.parametrize("source", ["Feeder", "Platen"])
def test_power_that_fails_gives_no_answer_and_no_sheet(scanner: Scanner, drawer: Drawer, source: str) -> None:
    drawer.forget_jobs()
    drawer.lay("lease", where="feeder" if source == "Feeder" else "glass")
    drawer.trouble(restart_at=1)
    page = scanner.start(settings(source)).headers["Location"] + "/NextDocument"
    with pytest.raises(httpx.TransportError):
        scanner.http.get(page)
    assert scanner.http.get(page).status_code == 404
    if source == "Feeder":
        assert drawer.in_feeder() == 3


def test_the_drawer_has_a_small_picture_of_each_paper(drawer: Drawer) -> None:
    root = f"http://127.0.0.1:{drawer.port}/originals"
    for key in ("lease", "card", "receipt"):
        answer = httpx.get(f"{root}/{key}.jpg", trust_env=False)
        assert Image.open(io.BytesIO(answer.content)).height < 600
    assert httpx.get(f"{root}/nothing.jpg", trust_env=False).status_code == 404


def test_cover_open_jam_and_gone(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("lease")
    drawer.trouble(cover_open=True)
    assert scanner.state() == ("Stopped", "ScannerAdfHatchOpen")
    assert scanner.start(settings()).status_code == 503
    drawer.trouble(jam_at=1)
    job = scanner.start(settings())
    assert scanner.http.get(job.headers["Location"] + "/NextDocument").status_code == 409
    assert scanner.state() == ("Stopped", "ScannerAdfJam")
    drawer.clear()
    assert scanner.state() == ("Idle", "ScannerAdfLoaded")
    drawer.trouble(gone=True)
    with pytest.raises(httpx.TransportError):
        for _ in range(50):
            httpx.get(drawer.escl("zaunkoenig") + "/ScannerStatus", trust_env=False)


@pytest.mark.parametrize(
    ("what", "status"),
    [
        (settings(XResolution=5000, YResolution=5000), 409),
        (settings(XResolution="much"), 409),
        (settings(ColorMode="BlackAndWhite1"), 409),  # JPEG has no bilevel
        (settings(format="image/webp"), 409),
        (settings(source="Drawer"), 409),
        (settings(region=TOO_WIDE), 409),
        ("<nonsense/>", 400),
        ('<!DOCTYPE a [<!ENTITY x "y">]>' + HEAD + "</scan:ScanSettings>", 400),
        ("", 400),
    ],
)  # fmt: skip
def test_settings_that_cannot_be_met_are_refused(what: str, status: int, scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("german")
    assert scanner.start(what).status_code == status
    assert drawer.in_feeder() == 1


def test_formats(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("german", "hail", where="feeder")
    (pdf,) = scanner.pages(scanner.start(settings(format="application/pdf", Duplex="true")))
    with pikepdf.open(io.BytesIO(pdf)) as document:
        assert len(document.pages) == 4
    drawer.lay("german")
    (png,) = scanner.pages(scanner.start(settings(format="image/png", ColorMode="BlackAndWhite1")))
    bilevel = Image.open(io.BytesIO(png))
    assert bilevel.mode == "1"
    assert bilevel.info["dpi"][0] == pytest.approx(100, abs=0.1)


def test_the_region_is_what_is_scanned(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("german")
    region = (
        "<pwg:ScanRegions><pwg:ScanRegion><pwg:XOffset>300</pwg:XOffset><pwg:YOffset>600</pwg:YOffset>"
        "<pwg:Width>1200</pwg:Width><pwg:Height>900</pwg:Height></pwg:ScanRegion></pwg:ScanRegions>"
    )
    job = scanner.start(settings(region=region))
    info = scanner.http.get(job.headers["Location"] + "/ScanImageInfo").text
    assert "<scan:ActualWidth>400<" in info
    (page,) = scanner.pages(job)
    assert decode(page).shape == (300, 400)  # 1200 x 900 three-hundredths of an inch at 100 dpi


def test_the_same_sheet_and_seed_give_the_same_picture(scanner: Scanner, drawer: Drawer) -> None:
    taken = []
    for seed in (5, 5, 6):
        drawer.lay("german", seed=seed)
        taken += scanner.pages(scanner.start(settings()))
    assert taken[0] == taken[1]
    assert taken[0] != taken[2]


def test_the_truth_is_true(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("lease", seed=11)
    pages = scanner.pages(scanner.start(settings(Duplex="true", XResolution=150, YResolution=150)))
    truth = drawer.truth()
    assert [told["page_number"] for told in truth] == [1, 2, 3, 4, 5, 6]
    assert [told["side"] for told in truth] == ["front", "back"] * 3
    assert "Clause 1" in truth[0]["lines"]
    for page, told in zip(pages, truth, strict=True):
        found = find_sheet(decode(page), 150)
        assert np.abs(np.array(found.corners) - np.array(told["corners_mm"])).max() < 0.35


def test_upside_down_turned_over_and_reversed(scanner: Scanner, drawer: Drawer) -> None:
    drawer.lay("lease", upside_down=True, turned_over=True, reversed=True)
    scanner.pages(scanner.start(settings(Duplex="true")))
    truth = drawer.truth()
    assert [told["page_number"] for told in truth] == [6, 5, 4, 3, 2, 1]
    assert all(abs(abs(told["skew_deg"]) - 180) < 1 for told in truth)


def test_a_device_that_sleeps_is_awake_once_it_has_been_asked(drawer: Drawer, scanner: Scanner) -> None:
    drawer.trouble("zaunkoenig", asleep=True)
    assert drawer.paper("zaunkoenig")["asleep"]
    assert scanner.http.get("/ScannerStatus").status_code == 200
    assert not drawer.paper("zaunkoenig")["asleep"]
