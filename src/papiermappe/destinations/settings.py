"""What each kind of destination needs to know. Secrets are kept apart from it."""

import re
from enum import StrEnum
from pathlib import PurePath
from typing import Annotated, Literal
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, field_validator

MOST_RECIPIENTS = 30
_ADDRESS = re.compile(r"^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@[A-Za-z0-9](?:[A-Za-z0-9.-]{0,250}[A-Za-z0-9])?$")
_HOST = r"^[A-Za-z0-9](?:[A-Za-z0-9.:_-]*[A-Za-z0-9])?$"
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=300, pattern=r"^[^\x00-\x1f\x7f]*$")]


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FolderSettings(_Value):
    """A folder on a disk of this machine, or on one that it has mounted."""

    kind: Literal["folder"] = "folder"
    path: Annotated[Line, Field(min_length=1)]

    @field_validator("path")
    @classmethod
    def _whole(cls, path: str) -> str:
        if not PurePath(path).is_absolute() or ".." in PurePath(path).parts:
            raise ValueError("the path of the folder begins with /, and has no ..")
        return path


class ObjectStoreSettings(_Value):
    """A bucket of an object store that speaks S3."""

    kind: Literal["object_store"] = "object_store"
    endpoint: Annotated[Line, Field(min_length=1)]
    """Its address: https://..."""
    bucket: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$")]
    region: Annotated[str, Field(max_length=60, pattern=r"^[a-z0-9-]*$")] = "us-east-1"
    prefix: Annotated[Line, Field(max_length=200)] = ""
    """What stands before the names: folders, with slashes between them."""
    access_key: Annotated[Line, Field(min_length=1)]

    @field_validator("endpoint")
    @classmethod
    def _address(cls, endpoint: str) -> str:
        parts = urlsplit(endpoint)
        if parts.scheme not in {"http", "https"} or not parts.hostname or parts.username or parts.query:
            raise ValueError("the address of the object store begins with https:// or http://")
        return endpoint.rstrip("/")

    @field_validator("prefix")
    @classmethod
    def _inside(cls, prefix: str) -> str:
        if any(step in {"", ".", ".."} for step in prefix.strip("/").split("/")) and prefix.strip("/"):
            raise ValueError("the folders of the bucket have names, and none is . or ..")
        return prefix.strip("/")


class MailSecurity(StrEnum):
    """How the connection to a mail server is encrypted."""

    TLS = "tls"
    """From the beginning."""
    STARTTLS = "starttls"
    """After greeting."""
    NONE = "none"


class MailSettings(_Value):
    """People who get documents by mail."""

    kind: Literal["mail"] = "mail"
    host: Annotated[str, Field(max_length=253, pattern=_HOST)]
    port: Annotated[int, Field(ge=1, le=65535)] = 465
    security: MailSecurity = MailSecurity.TLS
    user: Line = ""
    """Empty: the server wants none."""
    sender: Line
    recipients: Annotated[tuple[Line, ...], Field(min_length=1, max_length=MOST_RECIPIENTS)]
    subject: Line = "{title}"
    """{title}, {file} and {pages} stand for those of the document."""
    text: Annotated[str, Field(max_length=2000)] = ""

    @field_validator("sender", "recipients")
    @classmethod
    def _addresses(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        for address in (value,) if isinstance(value, str) else value:
            if not _ADDRESS.match(address):
                raise ValueError(f"{address[:60]!r} is no mail address")
        return value


class DownloadSettings(_Value):
    """The computer of whoever files."""

    kind: Literal["download"] = "download"


DestinationSettings = Annotated[
    FolderSettings | ObjectStoreSettings | MailSettings | DownloadSettings, Field(discriminator="kind")
]
