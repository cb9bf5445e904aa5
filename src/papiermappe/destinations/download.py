"""The computer of whoever files: the document waits to be downloaded."""

from papiermappe.destinations.model import Parcel


class Download:
    """Where documents are that nobody has to bring anywhere."""

    def deliver(self, parcel: Parcel) -> str:
        """Do nothing: a made document can be downloaded."""
        del parcel
        return ""

    def try_out(self) -> None:
        """Do nothing: it always works."""
