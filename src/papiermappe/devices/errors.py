"""What goes wrong with a device.

DeviceError
├── AddressRefused      what was typed is no address of a scanner
├── DeviceUnreachable   it does not answer, or not in time
├── AnswerRefused       it answers nonsense, or too much
├── DeviceBusy          it has other work, or is stopped
├── SettingsRefused     it will not do what the ticket asks, or has no paper
├── FeederStuck         the paper does not come
└── FileRefused         a file cannot be read
"""

from pathlib import Path
from typing import Any

from papiermappe.errors import PapiermappeError


class DeviceError(PapiermappeError):
    """The root of what goes wrong with a device."""


class AddressRefused(DeviceError):
    """What was typed is no address of a scanner."""


class DeviceUnreachable(DeviceError):
    """The device does not answer, or not in time."""


class AnswerRefused(DeviceError):
    """The device answers nonsense, or too much."""


class DeviceBusy(DeviceError):
    """The device has other work, or is stopped."""


class SettingsRefused(DeviceError):
    """The device will not do what the ticket asks, or has no paper."""


class FeederStuck(DeviceError):
    """The paper does not come.

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
        file: which.
        code: why.
        params: what the sentence about it needs besides the file's name.
    """

    def __init__(self, file: Path, code: str, **params: Any) -> None:
        super().__init__(code, file=file.name, **params)
        self.file = file
