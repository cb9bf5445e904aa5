"""Devices: known by their UUID, named, removed, taken back, and followed to a new address."""

import pytest
from tests.helpers import ANNA, QUICK, Drawer

from papiermappe.devices.discovery import Announced
from papiermappe.devices.escl import Limits
from papiermappe.devices.model import Abilities, SourceAbilities
from papiermappe.services import devices, runs
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.store.database import Store
from papiermappe.store.models import Device

NOWHERE = "http://127.0.0.1:1/eSCL"
QUICKLY = Limits(connect_s=1.0, answer_s=2.0)


def address(store: Store, device: int) -> str:
    """Return where a device is thought to be."""
    return devices.device_at(ANNA, store, device).url


def uuid_of(store: Store, device: int) -> str:
    """Return a device's UUID."""
    found = devices.device_at(ANNA, store, device).uuid
    assert found is not None
    return found


def move(store: Store, device: int, url: str) -> None:
    """Pretend that a device was somewhere else before."""
    with store.begin() as session:
        session.get_one(Device, device).url = url


def names(store: Store) -> list[str]:
    """Return the names of the devices in their order."""
    return [device.name for device in devices.list_devices(ANNA, store)]


@pytest.fixture
def kiebitz(store: Store, drawer: Drawer) -> int:
    """A flatbed, known to the store."""
    return devices.add_device(ANNA, store, drawer.escl("kiebitz"), Limits())


def test_a_new_address_is_the_same_device(store: Store, zaunkoenig: int, drawer: Drawer) -> None:
    devices.rename_device(ANNA, store, zaunkoenig, "  Upstairs \n by the window ")
    move(store, zaunkoenig, NOWHERE)
    assert devices.add_device(ANNA, store, drawer.escl("zaunkoenig"), Limits()) == zaunkoenig
    assert address(store, zaunkoenig) == drawer.escl("zaunkoenig")
    assert names(store) == ["Upstairs by the window"]


@pytest.mark.parametrize("name", ["", "  ", "x" * 61])
def test_names_that_are_none(store: Store, zaunkoenig: int, name: str) -> None:
    with pytest.raises(NotPossible, match="device_name_length"):
        devices.rename_device(ANNA, store, zaunkoenig, name)


def test_the_default_device_comes_first(store: Store, zaunkoenig: int, kiebitz: int) -> None:
    assert names(store) == ["Zaunkönig D60", "Kiebitz F1"]
    devices.make_default(ANNA, store, kiebitz)
    assert names(store) == ["Kiebitz F1", "Zaunkönig D60"]
    devices.make_default(ANNA, store, zaunkoenig)
    assert [device.is_default for device in devices.list_devices(ANNA, store)] == [True, False]


def test_a_removed_device_can_be_taken_back_and_comes_back_when_it_is_added(
    store: Store, zaunkoenig: int, kiebitz: int, drawer: Drawer
) -> None:
    devices.make_default(ANNA, store, zaunkoenig)
    devices.remove_device(ANNA, store, zaunkoenig)
    assert names(store) == ["Kiebitz F1"]
    devices.take_device_back(ANNA, store, zaunkoenig)
    assert names(store) == ["Zaunkönig D60", "Kiebitz F1"]
    devices.remove_device(ANNA, store, kiebitz)
    assert devices.add_device(ANNA, store, drawer.escl("kiebitz"), Limits()) == kiebitz
    assert names(store) == ["Zaunkönig D60", "Kiebitz F1"]


def test_a_device_at_work_is_not_removed(store: Store, mappe: int, zaunkoenig: int) -> None:
    runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK)
    with pytest.raises(NotPossible, match="device_at_work"):
        devices.remove_device(ANNA, store, zaunkoenig)


def test_a_device_that_is_not_there(store: Store) -> None:
    for act in (devices.make_default, devices.remove_device, devices.take_device_back):
        with pytest.raises(NotFound):
            act(ANNA, store, 77)


def test_a_known_device_is_followed_where_it_announces_itself(store: Store, zaunkoenig: int, drawer: Drawer) -> None:
    move(store, zaunkoenig, NOWHERE)
    there = Announced("Zaunkönig D60", uuid_of(store, zaunkoenig), drawer.escl("zaunkoenig"))
    devices.follow_announced(ANNA, store, [there], QUICKLY)
    assert address(store, zaunkoenig) == drawer.escl("zaunkoenig")


def test_nobody_takes_the_place_of_a_device_by_announcing_its_uuid(
    store: Store, zaunkoenig: int, drawer: Drawer
) -> None:
    uuid = uuid_of(store, zaunkoenig)
    devices.follow_announced(ANNA, store, [Announced("Zaunkönig D60", uuid, drawer.escl("kiebitz"))], QUICKLY)
    assert address(store, zaunkoenig) == drawer.escl("zaunkoenig")  # it still answers there
    move(store, zaunkoenig, NOWHERE)
    for url in (drawer.escl("kiebitz"), "http://127.0.0.1:2/eSCL"):
        devices.follow_announced(ANNA, store, [Announced("Zaunkönig D60", uuid, url)], QUICKLY)
        assert address(store, zaunkoenig) == NOWHERE  # another one answers there, or nobody


def test_only_devices_that_are_not_known_are_offered(
    store: Store, zaunkoenig: int, kiebitz: int, drawer: Drawer
) -> None:
    devices.remove_device(ANNA, store, kiebitz)
    known = Announced("Zaunkönig D60", uuid_of(store, zaunkoenig), "http://127.0.0.1:7/eSCL")
    removed = Announced("Kiebitz F1", uuid_of(store, kiebitz), drawer.escl("kiebitz"))
    fresh = Announced("Dohle M3", None, "http://192.168.1.20/eSCL")
    assert devices.newcomers(ANNA, store, [known, removed, fresh]) == [removed, fresh]


def test_a_device_without_uuid_is_known_by_its_address(store: Store) -> None:
    glass = SourceAbilities(width_mm=210, height_mm=297, resolutions_dpi=(300,), colours=())
    abilities = Abilities(name="Dohle M3", glass=glass)
    number = devices.record_device(ANNA, store, NOWHERE, abilities)
    devices.remove_device(ANNA, store, number)
    assert devices.record_device(ANNA, store, NOWHERE, abilities) == number
    assert devices.newcomers(ANNA, store, [Announced("Dohle M3", None, NOWHERE)]) == []
