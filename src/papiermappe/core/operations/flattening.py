"""The operation that makes a sheet flat which was seen at an angle, as on a photo: the station Tidy."""

import math
from collections.abc import Sequence
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.geometry import Quad
from papiermappe.core.operations.framing import LEAST_PAGE_MM
from papiermappe.core.operations.model import BaseOperation, Changes, OperationRefused, PageState
from papiermappe.core.treatment import FOUND_ON_SHEET, MAX_PAGE_MM, CaptureSize, Treatment, flat_size_mm
from papiermappe.message import Message

BEYOND = 0.5
"""So far beyond the capture, as a share of its sides, a corner may lie: of a sheet that is not wholly on it."""
MOST_LARGER = 4.0
"""By so much at most a sheet may become larger than its capture: seen almost from its edge it cannot be read."""


class MakeFlat(BaseOperation):
    """Show a sheet as seen from straight above, given its four corners on the capture; or the capture as it is again.

    Zones stay where they are on the sheet. Angle, crop, curl and margins begin anew, to be found again.
    The pages of a spread that has been split stay as they are.
    """

    kind: Literal["make_flat"] = "make_flat"
    by_captures: ClassVar[bool] = True
    corners: Quad | None
    """In mm on the capture, the top left of the sheet as it lies there first, then clockwise. None: as it came."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return what changes of each page. Raises OperationRefused: corners that no sheet can have."""
        changes: dict[int, dict[str, Any]] = {}
        for page in self.named(pages):
            size = page.capture_size
            if size is None or page.treatment.part is not None or page.treatment.corners == self.corners:
                continue
            if self.corners is not None:
                check_corners(self.corners, size)
            changes[page.id] = flattened(page.treatment, self.corners, size)
            if page.found and page.found.corners == self.corners:
                changes[page.id] |= page.found.model_dump(mode="json", include=set(FOUND_ON_SHEET))
        return changes

    def message(self, count: int) -> Message:
        """Return a message that tells which of both was done."""
        return Message(code="make_flat" if self.corners else "make_flat_off", params={"count": count})


class Uncurl(BaseOperation):
    """Make bent paper on photos straight or leave it as it is, where it is known how it bends."""

    kind: Literal["uncurl"] = "uncurl"
    on: bool

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the curls that are switched."""
        return {
            page.id: {"curl": curl.model_copy(update={"on": self.on}).model_dump(mode="json")}
            for page in self.named(pages)
            if (curl := page.treatment.curl) is not None and curl.on is not self.on
        }

    def message(self, count: int) -> Message:
        """Return a message that tells whether it was switched on."""
        return Message(code="uncurl_on" if self.on else "uncurl_off", params={"count": count})


def flattened(treatment: Treatment, corners: Quad | None, size: CaptureSize) -> dict[str, Any]:
    """Return the fields that change with the corners of the sheet, as JSON values.

    Args:
        treatment: as it is.
        corners: as they become, in mm on the capture. None: the capture is not made flat.
        size: of the capture.
    """
    carry = _on_flat(corners, size) @ np.linalg.inv(_on_flat(treatment.corners, size))
    zones = tuple(zone.model_copy(update={"corners": _carried(zone.corners, carry)}) for zone in treatment.zones)
    anew: dict[str, Any] = {**dict.fromkeys(FOUND_ON_SHEET), "margins": (0.0, 0.0), "gutter": None}
    now = treatment.model_copy(update={"corners": corners, "zones": zones, **anew})
    return now.model_dump(mode="json", include={"corners", "zones", *anew})


def check_corners(corners: Quad, size: CaptureSize) -> None:
    """Raise OperationRefused where corners, in mm on a capture, are not those of a sheet that can be made flat."""
    sides = [np.subtract(corners[(at + 1) % 4], corners[at]) for at in range(4)]
    turns = [
        first[0] * second[1] - first[1] * second[0] for first, second in zip(sides, [*sides[1:], sides[0]], strict=True)
    ]
    if min(turns) <= 0:  # y goes down: a clockwise, convex outline turns right at each corner
        raise OperationRefused("corners_crossed")
    if min(math.hypot(*side) for side in sides) < LEAST_PAGE_MM:
        raise OperationRefused("corners_too_near", least_mm=LEAST_PAGE_MM)
    for place in corners:
        if any(not -BEYOND * whole <= at <= (1 + BEYOND) * whole for at, whole in zip(place, size.mm, strict=True)):
            raise OperationRefused("corners_beyond")
    width_mm, height_mm = flat_size_mm(*size, Treatment(corners=corners))
    larger = width_mm * height_mm / (size.mm[0] * size.mm[1])
    if larger > MOST_LARGER or not LEAST_PAGE_MM <= min(width_mm, height_mm) <= max(width_mm, height_mm) <= MAX_PAGE_MM:
        raise OperationRefused("corners_too_slanted")


def _on_flat(corners: Quad | None, size: CaptureSize) -> NDArray[np.float64]:
    """Return the (3, 3) matrix that carries `(x_mm, y_mm)` on the capture to the sheet made flat."""
    if corners is None:
        return np.eye(3)
    width_mm, height_mm = flat_size_mm(*size, Treatment(corners=corners))
    flat = np.array([(0, 0), (width_mm, 0), (width_mm, height_mm), (0, height_mm)], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(np.array(corners, np.float32), flat), np.float64)


def _carried(corners: Quad, carry: NDArray[np.float64]) -> Quad:
    placed = cv2.perspectiveTransform(np.array([corners], np.float64), carry)[0].round(3).tolist()
    first, second, third, fourth = ((x_mm, y_mm) for x_mm, y_mm in placed)
    return first, second, third, fourth
