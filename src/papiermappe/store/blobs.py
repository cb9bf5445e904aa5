"""Image files and filed documents, by key, in a folder or any other store that obstore knows."""

import errno
import hashlib
import os
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import BinaryIO

import obstore
from obstore.exceptions import BaseError, NotFoundError
from obstore.store import LocalStore, ObjectStore

from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.store.errors import BlobMissing, DiskFull, StoreError

CHECKSUM_BYTES = hashlib.sha256().digest_size
PIECE_BYTES = 1 << 20


def sha256_of(data: bytes) -> str:
    """Return the SHA-256 as hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()


class Blobs:
    """Files by key. Keys are made by the methods below only, never from what a person typed.

    Args:
        store: where they lie.
        folder: the folder of a local store; its files are flushed to disk before they count as kept.
    """

    def __init__(self, store: ObjectStore, folder: Path | None = None) -> None:
        self._store = store
        self._folder = folder

    @classmethod
    def in_folder(cls, folder: Path) -> "Blobs":
        """Return blobs that lie in a folder of this machine."""
        folder.mkdir(parents=True, exist_ok=True)
        return cls(LocalStore(folder), folder)

    @staticmethod
    def capture_key(sha256: str) -> str:
        """Where a capture lies."""
        return f"captures/{sha256[:2]}/{sha256}"

    @staticmethod
    def picture_key(picture: str, size: str) -> str:
        """Where a picture made from a capture lies. It can be made again at any time."""
        return f"pictures/{picture[:2]}/{picture}-{size}.jpg"

    @staticmethod
    def reading_key(picture: str, languages: str, mode: RecognitionMode) -> str:
        """Where the text that was read on a picture lies. It can be read again at any time."""
        return f"readings/{picture[:2]}/{picture}-{languages}-{mode}.json"

    @staticmethod
    def imprint_key(picture: str) -> str:
        """Where the imprint of a page lies, by the picture it is of. It can be made again at any time."""
        return f"imprints/{picture[:2]}/{picture}.npz"

    @staticmethod
    def leaf_key(picture: str) -> str:
        """Where what is kept of a page for the pile lies, by its picture with nothing cleared."""
        return f"leaves/{picture[:2]}/{picture}.zip"

    @staticmethod
    def estimate_key(pages: str, part: str) -> str:
        """Where an estimate of the levels lies: what pages weigh, or how a sample of one looks."""
        return f"estimates/{pages[:2]}/{pages}-{part}"

    @staticmethod
    def look_key(name: str) -> str:
        """Where a look at a glass lies for a while."""
        return f"looks/{name[:2]}/{name}.json"

    @staticmethod
    def document_key(sha256: str) -> str:
        """Where a filed document lies."""
        return f"documents/{sha256[:2]}/{sha256}.pdf"

    def keep(self, key: str, data: bytes) -> None:
        """Keep a file for good: when this returns, it survives a power cut. Raises StoreError."""
        self._put(key, data)
        self._flush(key)

    def keep_file(self, key: str, file: BinaryIO) -> None:
        """Keep what is in an open file for good, as `keep` does, without having all of it in memory."""
        size = file.seek(0, os.SEEK_END)
        file.seek(0)
        try:
            obstore.put(self._store, key, file)
        except (BaseError, OSError) as exc:
            raise self._put_failed(exc, size) from exc
        self._flush(key)

    def _flush(self, key: str) -> None:
        """Have a file survive a power cut. Raises StoreError."""
        if self._folder is None:
            return
        path = self._folder / key
        try:
            for part in (path, path.parent, path.parent.parent):
                _flush(part)
        except OSError as exc:
            raise _translated(exc) from exc

    def cache(self, key: str, data: bytes) -> None:
        """Keep data that can be made again: not flushed, but with its checksum before it. Raises StoreError."""
        self._put(key, hashlib.sha256(data).digest() + data)

    def cached(self, key: str) -> bytes | None:
        """Return what `cache` kept; None if it is not there, or if a power cut has torn it. Raises StoreError."""
        try:
            kept = self.get(key)
        except BlobMissing:
            return None
        checksum, data = kept[:CHECKSUM_BYTES], kept[CHECKSUM_BYTES:]
        return data if hashlib.sha256(data).digest() == checksum else None

    def _put(self, key: str, data: bytes) -> None:
        try:
            obstore.put(self._store, key, data)
        except (BaseError, OSError) as exc:
            raise self._put_failed(exc, len(data)) from exc

    def get(self, key: str) -> bytes:
        """Return a file. Raises BlobMissing or StoreError."""
        try:
            return bytes(obstore.get(self._store, key).bytes())
        except (NotFoundError, FileNotFoundError) as exc:
            raise BlobMissing("blob_missing", key=key) from exc
        except (BaseError, OSError) as exc:
            raise StoreError("blob_unreadable", key=key) from exc

    def byte_size(self, key: str) -> int:
        """Return how large a file is. Raises BlobMissing or StoreError."""
        try:
            return int(obstore.head(self._store, key)["size"])
        except (NotFoundError, FileNotFoundError) as exc:
            raise BlobMissing("blob_missing", key=key) from exc
        except (BaseError, OSError) as exc:
            raise StoreError("blob_unreadable", key=key) from exc

    def pieces(self, key: str, first: int, end: int) -> Iterator[bytes]:
        """Yield a part of a file, from a byte to the one before `end`, some at a time. Raises as `byte_size`."""
        for start in range(first, end, PIECE_BYTES):
            try:
                yield bytes(obstore.get_range(self._store, key, start=start, end=min(start + PIECE_BYTES, end)))
            except (NotFoundError, FileNotFoundError) as exc:
                raise BlobMissing("blob_missing", key=key) from exc
            except (BaseError, OSError) as exc:
                raise StoreError("blob_unreadable", key=key) from exc

    def remove(self, key: str) -> None:
        """Remove a file, if it is there. Raises StoreError."""
        try:
            obstore.delete(self._store, key)
        except (NotFoundError, FileNotFoundError):
            pass
        except (BaseError, OSError) as exc:
            raise StoreError("blob_not_written") from exc

    def list_keys(self, prefix: str) -> Iterator[tuple[str, datetime, int]]:
        """Yield key, time of writing and bytes of the files below a prefix, as `captures`. Raises StoreError."""
        try:
            for batch in obstore.list(self._store, prefix):
                for entry in batch:
                    yield entry["path"], entry["last_modified"], entry["size"]
        except (BaseError, OSError) as exc:
            raise StoreError("blob_unreadable", key=prefix) from exc

    def has(self, key: str) -> bool:
        """Whether a file is there."""
        try:
            obstore.head(self._store, key)
        except (NotFoundError, FileNotFoundError):
            return False
        return True

    def _put_failed(self, exc: Exception, size: int) -> StoreError:
        """Tell a full disk from other trouble; obstore does not pass the error number on."""
        if self._folder is None:
            return StoreError("blob_not_written")
        left = os.statvfs(self._folder)
        if getattr(exc, "errno", None) == errno.ENOSPC or left.f_bavail * left.f_frsize < size + 1_000_000:
            return DiskFull("disk_full")
        return StoreError("blob_not_written")


def _flush(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _translated(exc: OSError) -> StoreError:
    if exc.errno == errno.ENOSPC:
        return DiskFull("disk_full")
    return StoreError("blob_not_written")
