"""Connected pieces of ink and their boxes."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.compiled import compiled
from papiermappe.core.picture import Pixels


class Boxes(NamedTuple):
    """Boxes: (n,) each, in px, `top` and `bottom` from the top of the page; `right` and `bottom` are just outside."""

    left: NDArray[np.float64]
    right: NDArray[np.float64]
    top: NDArray[np.float64]
    bottom: NDArray[np.float64]

    @property
    def width(self) -> NDArray[np.float64]:
        """How wide each is."""
        return self.right - self.left

    @property
    def height(self) -> NDArray[np.float64]:
        """How tall each is."""
        return self.bottom - self.top

    @property
    def extent(self) -> NDArray[np.float64]:
        """The longer side of each."""
        return np.maximum(self.width, self.height)

    def select(self, chosen: NDArray[np.bool_]) -> "Boxes":
        """Return the chosen boxes."""
        return Boxes(*(side[chosen] for side in self))

    def turned(self) -> "Boxes":
        """Return where the boxes lie once the page is turned a quarter counter-clockwise; `top` may be negative."""
        return Boxes(self.top, self.bottom, -self.right, -self.left)


def boxes_of(mask: Pixels) -> Boxes:
    """Return the boxes of all pieces of a mask (h, w), 0 = nothing, that touch at sides or corners."""
    count, labels = cv2.connectedComponents(mask, connectivity=8, ltype=cv2.CV_32S)
    left, right, top, bottom = label_boxes(np.ascontiguousarray(labels, np.int32), count)[:, 1:].astype(np.float64)
    return Boxes(left, right, top, bottom)


@compiled("i4[:, ::1](i4[:, ::1], i8)")
def label_boxes(labels: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    """Return left, right, top and bottom of each label of labels (h, w), (4, count); those of label 0 mean nothing."""
    boxes = np.zeros((4, count), np.int32)
    boxes[0], boxes[2] = labels.shape[1], labels.shape[0]
    for row in range(labels.shape[0]):
        for col in range(labels.shape[1]):
            label = labels[row, col]
            if label:
                boxes[0, label] = min(boxes[0, label], col)
                boxes[1, label] = max(boxes[1, label], col + 1)
                boxes[2, label] = min(boxes[2, label], row)
                boxes[3, label] = row + 1
    return boxes
