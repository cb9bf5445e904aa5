"""Errors of an assembly.

AssemblyError
├── NothingToAssemble   no page could be read
├── EndingUnknown       the extension of the output file is unknown
├── FileThere           the output file exists already
├── FolderAbsent        there is no folder to put the output file into
└── NamingRuleRefused   a file holds no naming rule
"""

from papiermappe.errors import PapiermappeError


class AssemblyError(PapiermappeError):
    """Base class of these errors."""


class NothingToAssemble(AssemblyError):
    """No page could be read."""


class EndingUnknown(AssemblyError):
    """The extension of the output file is unknown."""


class FileThere(AssemblyError):
    """The output file exists already."""


class FolderAbsent(AssemblyError):
    """There is no folder to put the output file into."""


class NamingRuleRefused(AssemblyError):
    """A file holds no naming rule."""
