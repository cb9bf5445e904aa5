"""What goes wrong with the disk or the database.

StoreError
├── DatabaseGone        the database does not answer
├── DatabaseFull        it has no room left
├── TransactionLost     it has broken off a transaction so that another could go on; tried again, it works
├── TextRefused         a text has characters that cannot be kept
├── DiskFull            there is no room for a file
├── BlobMissing         a file that should be there is not
└── SecretUnreadable    a secret cannot be read with the key that there is
"""

from papiermappe.errors import PapiermappeError


class StoreError(PapiermappeError):
    """The root of what goes wrong with the disk or the database."""


class DatabaseGone(StoreError):
    """The database does not answer."""


class DatabaseFull(StoreError):
    """The database has no room left, or no connection to spare."""


class TransactionLost(StoreError):
    """The database has broken off a transaction for another one: a deadlock."""


class TextRefused(StoreError):
    """A text has characters that no database keeps, as NUL."""


class DiskFull(StoreError):
    """There is no room for a file."""


class BlobMissing(StoreError):
    """A file that should be there is not."""


class SecretUnreadable(StoreError):
    """A secret cannot be read with the key that there is."""
