"""What keeps Papiermappe from starting."""

from papiermappe.errors import PapiermappeError


class CannotStart(PapiermappeError):
    """A tool is missing, a port is taken, a folder cannot be used."""
