"""Every error a person may meet, as one tree.

    PapiermappeError
    ├── PictureRefused        a picture is broken, too large or of an unknown kind
    ├── OperationRefused      (core/operations/) it cannot be done to these pages
    ├── CannotStart           (local/) a tool is missing, a port is taken, a folder cannot be used
    ├── AssemblyError         (assembly/) files cannot be made into a file
    ├── DeviceError           (devices/) the scanner cannot, will not, or does not answer as it should
    ├── DestinationError      (destinations/) a document cannot be put where it belongs
    ├── RecogniserError       (recognition/) the recogniser of text is not there, or breaks off
    ├── StoreError            (store/) the disk or the database
    └── ServiceError          (services/) what was asked for is not there or does not fit any more

An error carries a code and parameters. The sentence for the person (what happened, what is safe, what to do) is made of
them in `papiermappe.words`, in the language of the person. Details for the log travel as the cause.
"""

from typing import Any

from papiermappe.message import Message


class PapiermappeError(Exception):
    """The root of all errors that are shown to a person.

    Args:
        code: names the sentence; each code stands in `papiermappe.words.sentences`.
        params: what the sentence needs, JSON values.
    """

    def __init__(self, code: str, **params: Any) -> None:
        super().__init__(code, params)
        self.message = Message(code=code, params=params)

    def __reduce__(self) -> tuple[Any, ...]:
        """Have errors cross from one process to another, with all that subclasses add."""
        return _restored, (type(self), self.args, self.__dict__)

    def __str__(self) -> str:
        params = ", ".join(f"{name}={value!r}" for name, value in self.message.params.items())
        return f"{self.message.code}({params})"


def _restored(kind: type[PapiermappeError], args: tuple[Any, ...], state: dict[str, Any]) -> PapiermappeError:
    error = kind.__new__(kind, *args)
    error.args = args
    error.__dict__.update(state)
    return error


class PictureRefused(PapiermappeError):
    """A picture that is not decoded: broken, too large or of a kind that is not taken."""
