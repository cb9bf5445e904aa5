"""A document that goes to a folder, a bucket and people by mail at once."""

from collections import Counter

import obstore
from obstore.store import S3Store
from sqlalchemy import select

from benchmarks.faulting.desk import Desk
from benchmarks.faulting.scanning import Stuck, scan_in
from papiermappe.standin.places.run import ACCESS_KEY, BUCKET, SECRET_KEY
from papiermappe.store.errors import StoreError
from papiermappe.store.models import Delivery, DeliveryState, Document, Filing, FilingState


class Sender:
    """A person who files a document to three destinations.

    Args:
        desk: where.
        mappe: to be filed; pages are scanned into it first.
    """

    def __init__(self, desk: Desk, mappe: int) -> None:
        self.desk = desk
        scan_in(desk, mappe, "lease", "german")
        self.before = self._there()
        wanted = {"destinations": [desk.place, desk.bucket, desk.board], "languages": []}
        self.filing = desk.command(f"/mappen/{mappe}/filings", wanted)

    def step(self) -> bool:
        """Return whether all three have it."""
        try:
            with self.desk.store.begin() as session:
                state = session.get_one(Filing, self.filing).state
                deliveries = select(Delivery.state).join(Document, Document.id == Delivery.document_id)
                states = session.scalars(deliveries.where(Document.filing_id == self.filing)).all()
        except StoreError:
            return False
        if state is FilingState.FAILED or DeliveryState.FAILED in states:
            raise Stuck(f"{state}, {states}: a kill must not fail a filing")
        return state is FilingState.MADE and set(states) == {DeliveryState.DELIVERED}

    def state(self) -> str:
        """Return how far it is."""
        with self.desk.store.begin() as session:
            return str(session.get_one(Filing, self.filing).state)

    def faults(self) -> list[str]:
        """Return what must not be: none or two in a place, two kinds of contents, more than one mail too many."""
        new = [after - before for after, before in zip(self._there(), self.before, strict=True)]
        faults = []
        for place, things in zip(("folder", "bucket"), new[:2], strict=True):
            if sum(things.values()) != 1:
                faults.append(f"{place}: {sorted(name for name, _ in things)}")
        mails = new[2]
        if len({message_id for message_id, _ in mails}) != 1 or sum(mails.values()) not in {1, 2}:
            faults.append(f"mail: {dict(mails)}")
        contents = {content for things in new for _, content in things}
        return faults + ([] if len(contents) == 1 else [f"{len(contents)} different contents"])

    def _there(self) -> tuple[Counter[tuple[str, bytes]], ...]:
        """Return what each place has: names, or identifiers, with contents."""
        folder = self.desk.folder / "filed"
        files = [(file.name, file.read_bytes()) for file in folder.iterdir()] if folder.is_dir() else []
        store = S3Store(
            BUCKET,
            endpoint=f"http://127.0.0.1:{self.desk.places_port + 2}",
            region="us-east-1",
            access_key_id=ACCESS_KEY,
            secret_access_key=SECRET_KEY,
            client_options={"allow_http": True},
        )
        objects = [
            (str(found["path"]), bytes(obstore.get(store, found["path"]).bytes()))
            for page in obstore.list(store)
            for found in page
        ]
        mails = [
            (str(mail.message["Message-ID"]), content)
            for mail in self.desk.postbox.mails()
            for _, content in mail.attachments
        ]
        return Counter(files), Counter(objects), Counter(mails)
