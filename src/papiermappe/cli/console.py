"""What commands share: the rows and files of a desk, words, and saying a sentence."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import typer
from pydantic import ValidationError

from papiermappe.local.errors import CannotStart
from papiermappe.settings import Settings

if TYPE_CHECKING:
    from papiermappe.store.database import Store
    from papiermappe.words import Words

MOST_A_PART = 10_000  # pages or sheets of which documents are cut


def database_url(settings: Settings) -> str:
    """Return the URL of the database that is named, or else of the private one of a desk that runs here."""
    from papiermappe.local.postgres import PrivatePostgres

    if settings.database_url is not None:
        return str(settings.database_url)
    running = PrivatePostgres.running_url(settings.data_dir / "postgres")
    if running is None:
        raise CannotStart("no_database_named")
    return running


@contextmanager
def open_store(settings: Settings) -> "Iterator[Store]":
    """Yield the rows and files of a desk."""
    from papiermappe.store.blobs import Blobs
    from papiermappe.store.database import Store

    store = Store(database_url(settings), Blobs.in_folder(settings.blob_dir))
    try:
        yield store
    finally:
        store.close()


def say(sentence: str) -> None:
    """Print a sentence at once."""
    typer.echo(sentence)
    sys.stdout.flush()


def chosen_words() -> "Words":
    """Return the words of the language of the settings; English where these are what is wrong."""
    from papiermappe.words import Words

    try:
        return Words.of(Settings().language)
    except ValidationError:
        return Words.of("en-GB")


def every_n(text: str) -> int | None:
    """Return the number of what is asked for as every=3; None where something else is.

    >>> every_n("every=3"), every_n("every=0"), every_n("parts")
    (3, None, None)
    """
    rule, _, number = text.partition("=")
    if rule != "every" or not (number.isascii() and number.isdecimal()) or len(number) > len(str(MOST_A_PART)):
        return None
    return int(number) if 1 <= int(number) <= MOST_A_PART else None
