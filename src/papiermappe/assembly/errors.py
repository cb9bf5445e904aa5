"""What goes wrong with an assembly.

AssemblyError
├── NothingToAssemble   no page could be read
├── EndingUnknown       the file to be made has an ending that says no format
└── FileThere           the file to be made is there already
"""

from papiermappe.errors import PapiermappeError


class AssemblyError(PapiermappeError):
    """The root of what goes wrong with an assembly."""


class NothingToAssemble(AssemblyError):
    """No page could be read."""


class EndingUnknown(AssemblyError):
    """The file to be made has an ending that says no format."""


class FileThere(AssemblyError):
    """The file to be made is there already."""
