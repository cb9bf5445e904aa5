"""Scanners: identified by UUID; found, named, removed, and asked for their state."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple

import structlog
from sqlalchemy import exists, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.core.naming.names import one_line
from papiermappe.devices.discovery import Announced
from papiermappe.devices.errors import DeviceError
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import Abilities, DeviceState, DeviceStatus, TicketSettings
from papiermappe.message import Message
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.transaction import number_answered, transaction
from papiermappe.store.database import Store, notify_intake
from papiermappe.store.models import Device, Run, RunState

log = structlog.get_logger()

MAX_NAME = 60


class KnownDevice(NamedTuple):
    """A device that has been added."""

    id: int
    name: str
    is_default: bool


@dataclass(frozen=True)
class DeviceCard:
    """A device with its abilities and its present state, or the problem if it does not answer."""

    id: int
    name: str
    abilities: Abilities | None
    status: DeviceStatus | None
    problem: Message | None

    @property
    def ready(self) -> bool:
        """Whether a run can begin, paper or not."""
        return self.status is not None and self.status.state is DeviceState.IDLE


def add_device(caller: Caller, store: Store, address: str, limits: Limits) -> int:
    """Add a scanner by its address, after it has answered; one that is known already gets the new address.

    Raises:
        DeviceError: it is no address, or no scanner answers there.
    """
    if (known := number_answered(caller, store)) is not None:
        return known
    url = device_url(address)
    with EsclClient(url, limits) as client:
        abilities = client.abilities()
    return record_device(caller, store, url, abilities)


@transaction
def record_device(_: Caller, session: Session, url: str, abilities: Abilities) -> int:
    """Know a device by its UUID from now on, or, where it tells none, by its address."""
    capabilities = abilities.model_dump(mode="json")
    values = {"uuid": abilities.uuid, "url": url, "capabilities": capabilities, "removed_at": None}
    notify_intake(session)
    nameless = session.scalar(select(Device).where(Device.url == url, Device.uuid.is_(None)).with_for_update())
    if nameless is not None and session.scalar(select(Device.id).where(Device.uuid == abilities.uuid)) is None:
        nameless.uuid, nameless.capabilities, nameless.removed_at = abilities.uuid, capabilities, None
        return nameless.id
    added = insert(Device).values(name=abilities.name, **values)
    if abilities.uuid is None:
        added = added.on_conflict_do_update(
            index_elements=["url"],
            index_where=Device.uuid.is_(None),
            set_={"capabilities": capabilities, "removed_at": None},
        )
    else:
        added = added.on_conflict_do_update(index_elements=["uuid"], set_=values)
    return session.scalars(added.returning(Device.id)).one()


def list_devices(_: Caller, store: Store) -> list[KnownDevice]:
    """Return the devices that have not been removed, the default one first."""
    with store.begin() as session:
        there = select(Device.id, Device.name, Device.is_default).where(Device.removed_at.is_(None))
        rows = session.execute(there.order_by(Device.is_default.desc(), Device.id)).all()
    return [KnownDevice(row.id, row.name, row.is_default) for row in rows]


@transaction
def rename_device(_: Caller, session: Session, device_id: int, name: str) -> None:
    """Give a device another name. Raises NotFound, NotPossible."""
    cleaned = one_line(name)
    if not 0 < len(cleaned) <= MAX_NAME:
        raise NotPossible("device_name_length", limit=MAX_NAME)
    _locked_device(session, device_id).name = cleaned
    notify_intake(session)


@transaction
def make_default(_: Caller, session: Session, device_id: int) -> None:
    """Have a device chosen where a person has not chosen any yet. Raises NotFound."""
    device = _locked_device(session, device_id)
    session.execute(update(Device).where(Device.is_default).values(is_default=False))
    session.flush()
    device.is_default = True
    notify_intake(session)


@transaction
def remove_device(_: Caller, session: Session, device_id: int) -> None:
    """Remove a device; its runs stay, and it can be taken back. Raises NotFound, NotPossible."""
    device = _locked_device(session, device_id)
    live = exists().where(Run.device_id == device_id, Run.state.in_([RunState.RECEIVING, RunState.WAITING]))
    if session.scalar(select(live)):
        raise NotPossible("device_at_work", device=device.name)
    device.removed_at, device.is_default = datetime.now(UTC), False
    notify_intake(session)


@transaction
def take_device_back(_: Caller, session: Session, device_id: int) -> None:
    """Take back a device that was removed. Raises NotFound."""
    _locked_device(session, device_id).removed_at = None
    notify_intake(session)


def _locked_device(session: Session, device_id: int) -> Device:
    device = session.get(Device, device_id, with_for_update=True)
    if device is None:
        raise NotFound("device_gone")
    return device


def newcomers(_: Caller, store: Store, announced: Sequence[Announced]) -> list[Announced]:
    """Return those of the announced devices that are not known, or were removed."""
    with store.begin() as session:
        known = session.execute(select(Device.uuid, Device.url).where(Device.removed_at.is_(None))).all()
    uuids, urls = {row.uuid for row in known if row.uuid}, {row.url for row in known}
    return [device for device in announced if device.uuid not in uuids and device.url not in urls]


def follow_announced(caller: Caller, store: Store, announced: Sequence[Announced], limits: Limits) -> None:
    """Note the new address of each known device that announces itself elsewhere.

    Anybody on the network may announce anything: the address is changed only if the device no longer answers at the
    old one, and tells its UUID at the new one.
    """
    by_uuid = {device.uuid: device for device in announced if device.uuid}
    with store.begin() as session:
        there = select(Device.uuid, Device.url).where(Device.uuid.in_(list(by_uuid)), Device.removed_at.is_(None))
        known = session.execute(there).all()
    for row in known:
        device = by_uuid[row.uuid]
        if device.url == row.url or _uuid_at(row.url, limits) == row.uuid:
            continue
        try:
            with EsclClient(device.url, limits) as client:
                abilities = client.abilities()
        except DeviceError as exc:
            log.info("a device does not answer where it says", action="device.moved", url=device.url, cause=repr(exc))
            continue
        if abilities.uuid == row.uuid:
            record_device(caller, store, device.url, abilities)


def _uuid_at(url: str, limits: Limits) -> str | None:
    try:
        with EsclClient(url, limits) as client:
            return client.abilities().uuid
    except DeviceError:
        return None


def device_at(_: Caller, store: Store, device_id: int) -> Device:
    """Return a device. Raises NotFound."""
    with store.begin() as session:
        device = session.get(Device, device_id)
        if device is None:
            raise NotFound("device_gone")
        return device


def ask_device(caller: Caller, store: Store, device_id: int, limits: Limits) -> DeviceCard:
    """Ask a device for its state; one that does not answer gives a card with the problem. Raises NotFound."""
    device = device_at(caller, store, device_id)
    try:
        with EsclClient(device.url, limits) as client:
            abilities, status = client.abilities(), client.status()
    except DeviceError as exc:
        return DeviceCard(device.id, device.name, None, None, exc.message)
    if device.uuid and abilities.uuid and abilities.uuid != device.uuid:
        return DeviceCard(device.id, device.name, None, None, Message(code="another_device_there"))
    return DeviceCard(device.id, device.name, abilities, status, None)


def must_fit(ticket: TicketSettings, abilities: Abilities) -> None:
    """Check that a device can do what a ticket asks. Raises NotPossible."""
    if ticket.fitted(abilities) != ticket:
        raise NotPossible("ticket_not_offered", device=abilities.name)
