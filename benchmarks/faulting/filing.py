"""A document that is made and delivered, read or not."""

from sqlalchemy import select

from benchmarks.faulting.desk import Desk
from benchmarks.faulting.scanning import Stuck, scan_in
from papiermappe.store.errors import StoreError
from papiermappe.store.models import Delivery, DeliveryState, Document, Filing, FilingState


class Filer:
    """A person who files a document.

    Args:
        desk: where.
        mappe: to be filed; pages are scanned into it first.
        read: whether its text is recognised.
    """

    def __init__(self, desk: Desk, mappe: int, read: bool) -> None:
        self.desk = desk
        scan_in(desk, mappe, "lease", "german")
        self.before = set(self._files())
        wanted = {"destinations": [desk.place], "mode": "fast", "languages": ["eng"] if read else []}
        self.filing = desk.command(f"/mappen/{mappe}/filings", wanted)

    def step(self) -> bool:
        """Return whether it has come to its end; a failure is tried again, as a person would."""
        try:
            with self.desk.store.begin() as session:
                state = session.get_one(Filing, self.filing).state
                delivered = session.scalar(
                    select(Delivery.state)
                    .join(Document, Document.id == Delivery.document_id)
                    .where(Document.filing_id == self.filing)
                )
        except StoreError:
            return False
        if state is FilingState.FAILED or delivered is DeliveryState.FAILED:
            raise Stuck(f"{state}, {delivered}: a kill must not fail a filing")
        return state is FilingState.MADE and delivered is DeliveryState.DELIVERED

    def state(self) -> str:
        """Return how far it is."""
        with self.desk.store.begin() as session:
            filing = session.get_one(Filing, self.filing)
            return f"{filing.state}, {filing.pages_done} of {filing.page_count}"

    def faults(self) -> list[str]:
        """Return what must not be: none or two files, one that is half, something left behind."""
        new = set(self._files()) - self.before
        whole = [name for name in new if name.endswith(".pdf") and not name.startswith(".")]
        rest = sorted(new - set(whole))
        return ([f"{len(whole)} documents"] if len(whole) != 1 else []) + [f"left behind: {name}" for name in rest]

    def _files(self) -> list[str]:
        folder = self.desk.folder / "filed"
        return [file.name for file in folder.iterdir()] if folder.is_dir() else []
