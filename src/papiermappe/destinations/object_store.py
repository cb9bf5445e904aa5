"""A bucket of an object store that documents go to."""

from contextlib import suppress
from datetime import timedelta
from typing import NoReturn

import obstore
from obstore.exceptions import (
    AlreadyExistsError,
    BaseError,
    GenericError,
    PermissionDeniedError,
    UnauthenticatedError,
)
from obstore.store import S3Store

from papiermappe.core.encode.options import SLIP_ENDING, Attachment
from papiermappe.destinations.errors import DestinationAway, DestinationError, DestinationRefused, NameTaken
from papiermappe.destinations.model import Parcel
from papiermappe.destinations.settings import ObjectStoreSettings

KEY = "papiermappe-delivery"
"""Under this an object says of which delivery it is."""
TIMEOUT, TRIAL_TIMEOUT = timedelta(seconds=60), timedelta(seconds=8)
TRIAL = ".papiermappe-trial"
FAILURES = (BaseError, FileNotFoundError)
"""What the client raises; what is not found is not one of its own errors."""


class ObjectStore:
    """A bucket that speaks S3.

    Args:
        settings: where it is.
        secret_key: that belongs to its access key.
    """

    def __init__(self, settings: ObjectStoreSettings, secret_key: str) -> None:
        self._settings = settings
        self._secret_key = secret_key

    def deliver(self, parcel: Parcel) -> str:
        """Put an object there unless one of that name exists; a second try finds that it is its own.

        Raises as the protocol says.
        """
        parcel.file.seek(0)
        store = self._store()
        place = self._put(store, parcel.file_name, parcel.file.read(), parcel.media_type, parcel.idempotency_key)
        if parcel.slip is not None:
            self._put_slip(store, parcel, parcel.slip)
        return place

    def _put_slip(self, store: S3Store, parcel: Parcel, slip: Attachment) -> None:
        for name in parcel.slip_names(SLIP_ENDING):
            with suppress(NameTaken):
                self._put(store, name, slip.data, slip.media_type, f"{parcel.idempotency_key}-slip")
                return

    def _put(self, store: S3Store, name: str, data: bytes, media_type: str, key: str) -> str:
        path = "/".join(filter(None, (self._settings.prefix, name)))
        attributes = {"Content-Type": media_type, KEY: key}
        try:
            # One request: several parts could not be refused where an object of that name is there.
            obstore.put(store, path, data, mode="create", attributes=attributes, use_multipart=False)
        except AlreadyExistsError:
            if self._key_of(store, path) != key:
                raise NameTaken("name_taken", file=name) from None
        except FAILURES as exc:
            self._fail(exc)
        return f"{self._settings.endpoint}/{self._settings.bucket}/{path}"

    def try_out(self) -> None:
        """Put a small object there and take it away again. Raises DestinationError."""
        path = "/".join(filter(None, (self._settings.prefix, TRIAL)))
        store = self._store(TRIAL_TIMEOUT)
        try:
            obstore.put(store, path, b"A trial; this can be deleted.\n")
            obstore.delete(store, path)
        except FAILURES as exc:
            self._fail(exc)

    def _key_of(self, store: S3Store, path: str) -> str | None:
        try:
            return obstore.get(store, path).attributes.get(KEY)
        except FAILURES as exc:
            self._fail(exc)

    def _store(self, timeout: timedelta = TIMEOUT) -> S3Store:
        settings = self._settings
        return S3Store(
            settings.bucket,
            endpoint=settings.endpoint,
            region=settings.region,
            access_key_id=settings.access_key,
            secret_access_key=self._secret_key,
            virtual_hosted_style_request=False,
            client_options={"allow_http": settings.endpoint.startswith("http://"), "timeout": timeout},
            retry_config={"max_retries": 1, "retry_timeout": timeout},
        )

    def _fail(self, exc: Exception) -> NoReturn:
        place = f"{self._settings.endpoint}/{self._settings.bucket}"
        error: DestinationError
        match exc:
            case PermissionDeniedError() | UnauthenticatedError():
                error = DestinationRefused("object_store_denied", place=place)
            case FileNotFoundError():
                error = DestinationRefused("bucket_missing", place=place)
            case GenericError():
                error = DestinationAway("object_store_away", place=place)
            case _:
                error = DestinationRefused("object_store_refused", place=place)
        raise error from exc
