"""The demo data: the Hollerbeck Orchard Cooperative's desk, made by using Papiermappe as a person would."""

import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import httpx

from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.recognition.tesseract import readable_languages
from papiermappe.services import devices, filing, mappen, ordering, passes
from papiermappe.services.desk import Desk, desk
from papiermappe.services.reading import everyday_reading
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store

PATIENCE_S = 180.0
DESTINATIONS = ("Leases", "Letters", "Weigh tickets and deliveries", "Invoices")


def load_demo(database_url: str, data_dir: Path, standin_url: str, standin_port: int) -> None:
    """Scan and file the first papers, once; afterwards do nothing.

    Args:
        database_url: of the desk.
        data_dir: of the desk.
        standin_url: of the paper drawer.
        standin_port: the devices have the three ports after it.
    """
    store = Store(database_url, Blobs.in_folder(data_dir / "blobs"))
    try:
        if filing.list_destinations(store):
            return
        zaunkoenig, kiebitz, _ = (
            devices.add_device(store, f"http://127.0.0.1:{standin_port + at}/eSCL", Limits()) for at in (2, 1, 3)
        )
        numbers = {name: filing.add_destination(store, name, data_dir / "filed" / name) for name in DESTINATIONS}
        desk_of = _Demo(store, standin_url)
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
        desk_of.put_last_away(lease)
        desk_of.lay(["delivery-119", "weigh-2041", "invoice", "minutes", "hail", "lease"], "zaunkoenig", "feeder")
        devices.keep_everyday_ticket(store, TicketSettings())
    finally:
        store.close()


class _Demo:
    """Hands that lay paper and press keys."""

    def __init__(self, store: Store, standin_url: str) -> None:
        self._store = store
        self._standin_url = standin_url

    def lay(self, originals: list[str], device: str, where: str) -> None:
        load = {"originals": originals, "where": where, "seed": 2026}
        httpx.post(f"{self._standin_url}/devices/{device}/load", json=load, trust_env=False).raise_for_status()

    def scan(self, subject: str, device: int, originals: list[str], ticket: TicketSettings) -> int:
        on_glass = ticket.source is Source.GLASS
        self.lay(originals, "kiebitz" if on_glass else "zaunkoenig", ticket.source.value)
        mappe = mappen.open_mappe(self._store, subject)
        taken = passes.start_pass(self._store, mappe, device, ticket)
        if on_glass:
            self._until(mappe, lambda now: now.passes[-1].state == "waiting")
            passes.stop(self._store, taken)
        self._until(mappe, lambda now: not now.passes[-1].live and all(page.treatment.crop for page in now.pages))
        return mappe

    def put_last_away(self, mappe: int) -> None:
        """Put the last page away, a back with nothing on it."""
        now = desk(self._store, mappe)
        last = now.lanes[-1][1]
        if last is not None:
            ordering.put_away(self._store, mappe, [last], now.seq)

    def file(self, mappe: int, destination: int) -> None:
        reading = everyday_reading(self._store, readable_languages())
        filing.ask_for_filing(self._store, mappe, destination, datetime.now().astimezone(), reading=reading)
        self._until(mappe, lambda now: now.filings[0].state == "done")

    def _until(self, mappe: int, done: Callable[[Desk], bool]) -> Desk:
        until_s = time.monotonic() + PATIENCE_S
        while time.monotonic() < until_s:
            now = desk(self._store, mappe)
            if now.passes and done(now):
                return now
            time.sleep(0.1)
        raise TimeoutError("the demo papers were not taken in")
