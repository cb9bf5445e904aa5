"""Every error a person may meet, as one tree.

    PapiermappeError
    ├── PictureRefused        a picture is broken, too large or of an unknown kind
    ├── DeviceError           (devices/) the scanner cannot, will not, or does not answer as it should
    ├── RecogniserError       (recognition/) the recogniser of text is not there, or breaks off
    ├── StoreError            (store/) the disk or the database
    └── ServiceError          (services/) what was asked for is not there or does not fit any more

A message says what happened, what is safe, and what to do. Details for the log travel as the cause.
"""


class PapiermappeError(Exception):
    """The root of all errors that are shown to a person.

    Args:
        message: what happened, what is safe and what to do, in one to three short sentences.
    """

    def __init__(self, message: str) -> None:
        super().__init__(message)
        self.message = message


class PictureRefused(PapiermappeError):
    """A picture that is not decoded: broken, too large or of a kind that is not taken."""
