"""Destinations: kept under names, each with the form of the documents that go there."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.destinations.download import Download
from papiermappe.destinations.errors import DestinationError
from papiermappe.destinations.folder import Folder
from papiermappe.destinations.mail import Mail
from papiermappe.destinations.model import Destination as Place
from papiermappe.destinations.object_store import ObjectStore
from papiermappe.destinations.settings import (
    DestinationSettings,
    DownloadSettings,
    FolderSettings,
    MailSettings,
    ObjectStoreSettings,
)
from papiermappe.message import Message
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.kept_names import KeptNames
from papiermappe.services.naming_rules import rule_in_use
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Destination, DestinationKind
from papiermappe.store.secrets import SecretBox

NAMES = KeptNames(Destination, limit=40)
MOST_SECRET = 500
_SETTINGS: TypeAdapter[DestinationSettings] = TypeAdapter(DestinationSettings)


class Form(BaseModel):
    """How documents that go to a destination are made; None: as a person has chosen last."""

    model_config = ConfigDict(extra="forbid")

    format: Format | None = None
    level: Level | None = None
    languages: Annotated[str, Field(max_length=60)] | None = None
    """As in eng+deu; empty: they are not read."""


class DestinationWanted(BaseModel):
    """A destination as a person describes it."""

    name: Annotated[str, Field(min_length=1, max_length=300)]
    settings: DestinationSettings
    secret: Annotated[str, Field(max_length=MOST_SECRET)] | None = None
    """Its password or secret key; None: as it is kept."""
    form: Form = Form()
    naming_rule_id: int | None = None
    """None: the default one."""


class KeptDestination(BaseModel):
    """A destination as windows show it. Its secret is never told."""

    id: int
    name: str
    settings: DestinationSettings
    has_secret: bool
    form: Form
    naming_rule_id: int | None


def list_destinations(_: Caller, store: Store) -> list[KeptDestination]:
    """Return all destinations, in the order in which they were kept; this computer is the last."""
    with store.begin() as session:
        there = select(Destination).where(Destination.removed_at.is_(None))
        rows = session.scalars(there.order_by(Destination.kind == DestinationKind.DOWNLOAD, Destination.id)).all()
        return [_kept(row) for row in rows]


def names_of_places(_: Caller, store: Store) -> list[str]:
    """Return the names of all destinations but this computer."""
    with store.begin() as session:
        places = select(Destination.name).where(Destination.removed_at.is_(None))
        return list(
            session.scalars(places.where(Destination.kind != DestinationKind.DOWNLOAD).order_by(Destination.id))
        )


def has_folder(_: Caller, store: Store) -> bool:
    """Whether any folder was ever added."""
    with store.begin() as session:
        return session.scalar(select(exists().where(Destination.kind == DestinationKind.FOLDER))) or False


@transaction
def add_destination(_: Caller, session: Session, wanted: DestinationWanted, secrets: SecretBox | None) -> int:
    """Keep a destination; return its number. Raises NotFound, NotPossible."""
    row = Destination(name=NAMES.free(session, wanted.name), kind=DestinationKind(wanted.settings.kind))
    _fill(session, row, wanted, secrets)
    session.add(row)
    NAMES.flush(session, row.name)
    return row.id


@transaction
def change_destination(
    _: Caller, session: Session, destination_id: int, wanted: DestinationWanted, secrets: SecretBox | None
) -> None:
    """Describe a destination anew; what is on its way goes where it is now. Raises NotFound, NotPossible."""
    row = _locked(session, destination_id)
    if row.kind.value != wanted.settings.kind:
        raise NotPossible("destination_of_other_kind", name=row.name)
    row.name = NAMES.free(session, wanted.name, besides=destination_id)
    _fill(session, row, wanted, secrets)
    NAMES.flush(session, row.name)


@transaction
def remove_destination(_: Caller, session: Session, destination_id: int) -> None:
    """Remove a destination; what is filed there stays, and what is on its way still goes. It can be taken back."""
    _locked(session, destination_id).removed_at = datetime.now(UTC)


@transaction
def take_destination_back(_: Caller, session: Session, destination_id: int) -> None:
    """Take back a destination that was removed; where its name is taken by now, with a number. Raises NotFound."""
    row = session.get(Destination, destination_id, with_for_update=True)
    if row is None:
        raise NotFound("destination_gone")
    if row.removed_at is not None:
        row.name, row.removed_at = NAMES.numbered(session, row.name), None


def add_folder(caller: Caller, store: Store, name: str, folder: Path) -> int:
    """Keep a folder that documents go to; return its number. Raises NotPossible."""
    return add_destination(caller, store, DestinationWanted(name=name, settings=FolderSettings(path=str(folder))), None)


def try_destination(
    _: Caller, store: Store, wanted: DestinationWanted, secrets: SecretBox, destination_id: int | None = None
) -> Message | None:
    """See whether documents could be delivered; return what is wrong, None where all is well.

    Args:
        store: of destinations.
        wanted: as it is described by now.
        secrets: opens what is kept.
        destination_id: whose secret is meant where none is given.

    Raises:
        SecretUnreadable: its secret was kept with another key.
    """
    secret = wanted.secret
    if secret is None and destination_id is not None:
        with store.begin() as session:
            row = session.get(Destination, destination_id)
            secret = secrets.open(row.secret) if row and row.secret else None
    try:
        place(wanted.settings, secret or "").try_out()
    except DestinationError as exc:
        return exc.message
    return None


def place_of(destination: Destination, secrets: SecretBox | None) -> Place:
    """Return the place that a destination is. Raises SecretUnreadable."""
    secret = secrets.open(destination.secret) if secrets and destination.secret else ""
    return place(_SETTINGS.validate_python(destination.settings), secret)


def place(settings: DestinationSettings, secret: str) -> Place:
    """Return the place that settings describe."""
    match settings:
        case FolderSettings():
            return Folder(Path(settings.path))
        case ObjectStoreSettings():
            return ObjectStore(settings, secret)
        case MailSettings():
            return Mail(settings, secret)
        case DownloadSettings():
            return Download()


def destination_in_use(session: Session, destination_id: int) -> Destination:
    """Return a destination that documents can be sent to. Raises NotFound."""
    row = session.get(Destination, destination_id)
    if row is None or row.removed_at is not None:
        raise NotFound("destination_gone")
    return row


def _fill(session: Session, row: Destination, wanted: DestinationWanted, secrets: SecretBox | None) -> None:
    if wanted.naming_rule_id is not None:
        rule_in_use(session, wanted.naming_rule_id)
    row.settings = wanted.settings.model_dump(mode="json")
    row.form = wanted.form.model_dump(mode="json", exclude_none=True)
    row.naming_rule_id = wanted.naming_rule_id
    if wanted.secret is not None and secrets is not None:
        row.secret = secrets.seal(wanted.secret) if wanted.secret else None


def _kept(row: Destination) -> KeptDestination:
    return KeptDestination(
        id=row.id,
        name=row.name,
        settings=_SETTINGS.validate_python(row.settings),
        has_secret=row.secret is not None,
        form=Form.model_validate(row.form),
        naming_rule_id=row.naming_rule_id,
    )


def _locked(session: Session, destination_id: int) -> Destination:
    row = session.get(Destination, destination_id, with_for_update=True)
    if row is None or row.removed_at is not None:
        raise NotFound("destination_gone")
    return row
