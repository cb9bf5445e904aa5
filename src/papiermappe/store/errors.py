"""What goes wrong with the disk or the database.

StoreError
├── DatabaseGone
├── DiskFull
└── BlobMissing
"""

from papiermappe.errors import PapiermappeError


class StoreError(PapiermappeError):
    """The root of what goes wrong with the disk or the database."""


class DatabaseGone(StoreError):
    """The database does not answer."""


class DiskFull(StoreError):
    """There is no room for a file."""


class BlobMissing(StoreError):
    """A file that should be there is not."""
