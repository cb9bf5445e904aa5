"""The demo data: the Hollerbeck Orchard Cooperative's desk, made by using Papiermappe as a person would."""

import time
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from functools import partial
from pathlib import Path

import httpx

from papiermappe.core.encode.level import Level
from papiermappe.core.naming.rule import (
    DateForm,
    DatePart,
    DateSource,
    DocumentKindPart,
    FolderEnd,
    NamingRule,
    SenderPart,
    SubjectPart,
)
from papiermappe.core.operations import SetAside
from papiermappe.core.operations.steps import Step, StepScope
from papiermappe.core.order.places import Side
from papiermappe.destinations.settings import MailSecurity, MailSettings, ObjectStoreSettings
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Colour, Sides, Source, TicketSettings
from papiermappe.recognition.tesseract import readable_languages
from papiermappe.services import destinations, devices, filing, journal, mappen, naming_rules, routines, runs, tickets
from papiermappe.services.caller import Caller
from papiermappe.services.destinations import DestinationWanted, Form
from papiermappe.services.filing import FilingRequest
from papiermappe.services.reading import last_used_reading
from papiermappe.services.views import MappeView, mappe_changes
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.standin.places.run import ACCESS_KEY, BUCKET, SECRET_KEY
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import DeliveryState, RunState
from papiermappe.store.secrets import SecretBox

PATIENCE_S = 180.0
TICKETS = {
    "Weigh tickets": TicketSettings(sides=Sides.ONE, dpi=200, colour=Colour.GREY, paper="A5"),
    "Member cards": TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=600, paper="Card"),
}
BOOKLET_STEPS = (
    Step(does={"kind": "split"}, on=StepScope.SPREADS),
    Step(does={"kind": "clean_borders"}),
    Step(does={"kind": "align_margins", "across": "inner"}),
)
BOOKLETS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, paper="any")
BY_SENDER = NamingRule(
    parts=(
        DatePart(source=DateSource.PRINTED, form=DateForm.YEAR),
        FolderEnd(),
        SenderPart(),
        FolderEnd(),
        DatePart(source=DateSource.PRINTED),
        DocumentKindPart(),
        SubjectPart(),
    )
)
DESTINATIONS = ("Leases", "Letters", "Weigh tickets and deliveries", "Invoices")
MEETING = ["minutes", "letter-store", "lease", "delivery-118", "hail"]
"""Papers with something on both sides, for a scanner that takes one side."""
POST = ["letter-share", "divider-hail", "hail", "divider-leases", "lease"]
"""A pile of several documents with dividers between them."""
HANDS = Caller("demo")


def load_demo(database_url: str, data_dir: Path, standin_port: int, places_port: int, secrets: SecretBox) -> None:
    """Scan and file the first papers, once; afterwards do nothing.

    Args:
        database_url: of the desk.
        data_dir: of the desk.
        standin_port: of the paper drawer; the devices have the three ports after it.
        places_port: of the page of the stand-in mail server and object store, which have the two ports after it.
        secrets: encrypts the passwords of destinations.

    Raises:
        TimeoutError: papers were not scanned in time, as on a very busy machine; what is there can be used.
    """
    store = Store(database_url, Blobs.in_folder(data_dir / "blobs"))
    try:
        if destinations.has_folder(HANDS, store):
            return
        zaunkoenig, kiebitz, stieglitz = (
            devices.add_device(HANDS, store, f"http://127.0.0.1:{standin_port + at}/eSCL", Limits()) for at in (2, 1, 3)
        )
        numbers = {
            name: destinations.add_folder(HANDS, store, name, data_dir / "filed" / name) for name in DESTINATIONS
        }
        for wanted in places_of(places_port):
            destinations.add_destination(HANDS, store, wanted, secrets)
        naming_rules.keep_rule(HANDS, store, "Year, sender, subject", BY_SENDER)
        for name, settings in TICKETS.items():
            tickets.keep_ticket(HANDS, store, name, settings)
        spreads = routines.keep_routine(HANDS, store, "Booklet spreads", BOOKLET_STEPS)
        tickets.keep_ticket(HANDS, store, "Booklets", BOOKLETS.model_copy(update={"routine": spreads}))
        desk_of = _Demo(store, f"http://127.0.0.1:{standin_port}")
        letters = desk_of.scan(
            "Harvest share 2026", zaunkoenig, ["letter-share", "german"], TicketSettings(sides=Sides.ONE)
        )
        desk_of.file(letters, numbers["Letters"])
        hail = TicketSettings(source=Source.GLASS, sides=Sides.ONE)
        desk_of.scan("Hail of 9 May, Damson Row", kiebitz, ["hail"], hail)
        lease = desk_of.scan(
            "Lease Upper Meadow",
            zaunkoenig,
            ["lease", "delivery-118", "letter-store", "picture"],
            TicketSettings(),
        )
        desk_of.set_last_aside(lease)
        one_sided = TicketSettings(sides=Sides.ONE)
        desk_of.scan("Meeting of 12 October", stieglitz, MEETING, one_sided, "stieglitz")
        desk_of.lay_backs(MEETING, "stieglitz", missed=2)
        desk_of.scan("Post of 19 October", zaunkoenig, POST, TicketSettings(dpi=200, colour=Colour.GREY))
        desk_of.scan_booklet("Pruning handbook", kiebitz, "handbook", hail)
        desk_of.lay(["delivery-119", "weigh-2041", "invoice", "minutes", "hail", "lease"], "zaunkoenig", "feeder")
    finally:
        store.close()


def places_of(port: int) -> list[DestinationWanted]:
    """Return a mailing list and a bucket, both of stand-ins."""
    board = MailSettings(
        host="127.0.0.1",
        port=port + 1,
        security=MailSecurity.NONE,
        sender="desk@hollerbeck.example",
        recipients=("board@hollerbeck.example", "rosa@hollerbeck.example"),
        subject="Scanned: {title}",
    )
    archive = ObjectStoreSettings(endpoint=f"http://127.0.0.1:{port + 2}", bucket=BUCKET, access_key=ACCESS_KEY)
    return [
        DestinationWanted(name="Board", settings=board, form=Form(level=Level.LEAN)),
        DestinationWanted(name="Long-term store", settings=archive, secret=SECRET_KEY),
    ]


class _Demo:
    """Hands that lay paper and press keys."""

    def __init__(self, store: Store, standin_url: str) -> None:
        self._store = store
        self._standin_url = standin_url

    def lay(self, originals: list[str], device: str, where: str) -> None:
        load = {"originals": originals, "where": where, "seed": 2026}
        httpx.post(f"{self._standin_url}/devices/{device}/load", json=load, trust_env=False).raise_for_status()

    def lay_backs(self, originals: list[str], device: str, missed: int) -> None:
        """Lay a pile that has been turned over into a feeder, without the sheet that the feeder is going to miss."""
        drawer = f"{self._standin_url}/devices/{device}"
        load = {"originals": originals, "where": "feeder", "seed": 2027, "turned_over": True, "reversed": True}
        httpx.post(f"{drawer}/load", json=load, trust_env=False).raise_for_status()
        pile = httpx.get(f"{drawer}/paper", trust_env=False).json()["feeder"]
        httpx.post(f"{drawer}/take-out", json={}, trust_env=False).raise_for_status()
        for sheet in (*pile[:missed], *pile[missed + 1 :]):
            httpx.post(f"{drawer}/lay-sheet", json=sheet, trust_env=False).raise_for_status()

    def scan(
        self, subject: str, device: int, originals: list[str], ticket: TicketSettings, key: str | None = None
    ) -> int:
        on_glass = ticket.source is Source.GLASS
        self.lay(originals, key or ("kiebitz" if on_glass else "zaunkoenig"), ticket.source.value)
        mappe = mappen.open_mappe(HANDS, self._store, subject)
        run = runs.start_run(HANDS, self._store, mappe, device, ticket)
        if on_glass:
            self._until(mappe, lambda now: now.runs[-1].state is RunState.WAITING)
            runs.stop(HANDS, self._store, run)
        self._until(mappe, lambda now: not now.runs[-1].live and all(page.analysed for page in now.pages))
        return mappe

    def scan_booklet(self, subject: str, device: int, original: str, ticket: TicketSettings) -> None:
        """Scan a booklet from the glass, turning its leaves."""
        self.lay([original], "kiebitz", "glass")
        mappe = mappen.open_mappe(HANDS, self._store, subject)
        run = runs.start_run(HANDS, self._store, mappe, device, ticket)
        for taken in range(1, len(ORIGINALS[original].sheets)):
            self._until(mappe, partial(_waits, pages=taken))
            runs.next_sheet(HANDS, self._store, run)
        self._until(mappe, partial(_waits, pages=len(ORIGINALS[original].sheets)))
        runs.stop(HANDS, self._store, run)
        self._until(mappe, lambda now: all(page.analysed for page in now.pages))

    def set_last_aside(self, mappe: int) -> None:
        """Set the last page aside, a back with nothing on it."""
        now, _ = mappe_changes(HANDS, self._store, mappe, 0)
        last = max(now.pages, key=lambda page: (Decimal(page.rank), page.side is Side.BACK))
        if last.side is Side.BACK:
            journal.apply_operation(HANDS, self._store, mappe, SetAside(pages=(last.id,)), now.cursor)

    def file(self, mappe: int, destination: int) -> None:
        reading = last_used_reading(HANDS, self._store, readable_languages())
        wanted = FilingRequest((destination,), reading=reading)
        filing.request_filing(HANDS, self._store, mappe, wanted, datetime.now().astimezone())
        self._until(mappe, lambda now: now.filings[0].deliveries[0].state is DeliveryState.DELIVERED)

    def _until(self, mappe: int, done: Callable[[MappeView], bool]) -> MappeView:
        until_s = time.monotonic() + PATIENCE_S
        while time.monotonic() < until_s:
            now, _ = mappe_changes(HANDS, self._store, mappe, 0)
            if now.runs and done(now):
                return now
            time.sleep(0.1)
        raise TimeoutError("the demo papers were not scanned")


def _waits(now: MappeView, pages: int) -> bool:
    """Whether a run waits for the next sheet, and scans are in; somebody may have split some of them already."""
    return now.runs[-1].state is RunState.WAITING and len({page.scan for page in now.pages}) >= pages
