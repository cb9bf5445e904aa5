"""The three made-up devices."""

from dataclasses import dataclass

from papiermappe.standin.paper.physics import Optics


@dataclass(frozen=True)
class Source:
    """A glass or a feeder: its area, and what it does to pictures."""

    width_mm: float
    height_mm: float
    resolutions_dpi: tuple[int, ...]
    optics: Optics


@dataclass(frozen=True)
class Profile:
    """What a device is."""

    key: str
    name: str
    uuid: str
    glass: Source | None
    feeder: Source | None
    duplex: bool
    feeder_capacity: int
    has_light: bool
    """Whether brightness and contrast can be set."""
    side_s: float
    """How long one side takes at 300 dpi."""


PROFILES = (
    Profile(
        key="kiebitz",
        name="Kiebitz F1",
        uuid="0b8f2c5e-6a51-4c8e-9d4b-2f10a7c9e101",
        glass=Source(230, 330, (75, 100, 150, 200, 300, 400, 600), Optics((206, 210, 212), 2.5, shadow=0.35)),
        feeder=None,
        duplex=False,
        feeder_capacity=0,
        has_light=True,
        side_s=3.0,
    ),
    Profile(
        key="zaunkoenig",
        name="Zaunkönig D60",
        uuid="0b8f2c5e-6a51-4c8e-9d4b-2f10a7c9e102",
        glass=Source(230, 330, (75, 100, 150, 200, 300, 400, 600), Optics((214, 216, 214), 2.0, shadow=0.3)),
        feeder=Source(219, 360, (100, 150, 200, 300), Optics((74, 76, 80), 0.8, dust_lines_mm=(61.5,))),
        duplex=True,
        feeder_capacity=60,
        has_light=True,
        side_s=0.6,
    ),
    Profile(
        key="stieglitz",
        name="Stieglitz S25",
        uuid="0b8f2c5e-6a51-4c8e-9d4b-2f10a7c9e103",
        glass=Source(230, 330, (75, 100, 150, 200, 300), Optics((208, 208, 204), 2.0, shadow=0.3)),
        feeder=Source(219, 360, (100, 150, 200, 300), Optics((168, 170, 170), 0.8, dust_lines_mm=(148.2,))),
        duplex=False,
        feeder_capacity=25,
        has_light=False,
        side_s=1.2,
    ),
)
