"""Errors of devices and of files that bring pages.

DeviceError
├── AddressRefused      what was typed is not a scanner's address
├── DeviceUnreachable   it does not answer, or not in time
├── AnswerRefused       its answer is invalid or too large
├── DeviceBusy          it is working on something else, or is stopped
├── SettingsRefused     it cannot meet the ticket, or has no paper
├── FeederStuck         the feeder cannot deliver the next sheet
└── FileRefused         a file cannot be read
"""

from pathlib import Path
from typing import Any

from papiermappe.errors import PapiermappeError


class DeviceError(PapiermappeError):
    """Base class of these errors."""


class AddressRefused(DeviceError):
    """What was typed is not the address of a scanner."""


class DeviceUnreachable(DeviceError):
    """The device does not answer, or not in time."""


class AnswerRefused(DeviceError):
    """The answer of the device is invalid or too large."""


class DeviceBusy(DeviceError):
    """The device is working on something else, or is stopped."""


class SettingsRefused(DeviceError):
    """The device cannot meet the ticket, or has no paper."""


class FeederStuck(DeviceError):
    """The feeder cannot deliver the next sheet.

    Args:
        code: what happened to the next sheet.
        adf_state: the feeder's state, as eSCL names it.
    """

    def __init__(self, code: str, adf_state: str) -> None:
        super().__init__(code)
        self.adf_state = adf_state


class FileRefused(DeviceError):
    """A file cannot be read.

    Args:
        file: its name.
        code: of the message, which says why.
        params: of the message, besides the file's name.
    """

    def __init__(self, file: Path, code: str, **params: Any) -> None:
        super().__init__(code, file=file.name, **params)
        self.file = file
