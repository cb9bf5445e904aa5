"""What keeps Papiermappe from starting, or a script from filing."""

from papiermappe.errors import PapiermappeError


class CannotStart(PapiermappeError):
    """A tool is missing, a port is taken, a folder cannot be used."""


class CannotFile(PapiermappeError):
    """There is no destination of that name."""
