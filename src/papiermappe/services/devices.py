"""Scanners: identified by UUID; asked for their state."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from papiermappe.devices.errors import DeviceError
from papiermappe.devices.escl import EsclClient, Limits, device_url
from papiermappe.devices.model import Abilities, DeviceState, DeviceStatus, TicketSettings
from papiermappe.message import Message
from papiermappe.services.caller import Caller
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.transaction import transaction
from papiermappe.store.database import Store
from papiermappe.store.models import Device, Run, RunOrigin, Ticket


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
    url = device_url(address)
    with EsclClient(url, limits) as client:
        abilities = client.abilities()
    return record_device(caller, store, url, abilities)


@transaction
def record_device(_: Caller, session: Session, url: str, abilities: Abilities) -> int:
    """Know a device by its UUID from now on, or, where it tells none, by its address."""
    capabilities = abilities.model_dump(mode="json")
    values = {"uuid": abilities.uuid, "url": url, "capabilities": capabilities}
    nameless = session.scalar(select(Device).where(Device.url == url, Device.uuid.is_(None)).with_for_update())
    if nameless is not None and session.scalar(select(Device.id).where(Device.uuid == abilities.uuid)) is None:
        nameless.uuid, nameless.capabilities = abilities.uuid, capabilities
        return nameless.id
    added = insert(Device).values(name=abilities.name, **values)
    if abilities.uuid is None:
        added = added.on_conflict_do_update(
            index_elements=["url"], index_where=Device.uuid.is_(None), set_={"capabilities": capabilities}
        )
    else:
        added = added.on_conflict_do_update(index_elements=["uuid"], set_=values)
    return session.scalars(added.returning(Device.id)).one()


def list_devices(_: Caller, store: Store) -> list[tuple[int, str]]:
    """Return number and name of all devices."""
    with store.begin() as session:
        return [(row.id, row.name) for row in session.execute(select(Device.id, Device.name).order_by(Device.id))]


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


def last_used_ticket(_: Caller, store: Store) -> TicketSettings:
    """Return the ticket of the latest run; the default ticket before the first."""
    with store.begin() as session:
        of_runs = select(Run.ticket).where(Run.origin == RunOrigin.SCANNER, Run.ticket.is_not(None))
        kept = session.scalar(of_runs.order_by(Run.id.desc()).limit(1))
        kept = kept or session.scalar(select(Ticket.settings).where(Ticket.is_default))
    return TicketSettings.model_validate(kept) if kept else TicketSettings()


def must_fit(ticket: TicketSettings, abilities: Abilities) -> None:
    """Check that a device can do what a ticket asks. Raises NotPossible."""
    if ticket.fitted(abilities) != ticket:
        raise NotPossible("ticket_not_offered", device=abilities.name)
