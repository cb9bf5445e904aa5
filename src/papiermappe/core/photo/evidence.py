"""What speaks for and against a quadrilateral being the sheet, as numbers."""

import numpy as np

from papiermappe.core.photo.lines import Numbers
from papiermappe.core.photo.quads import (
    Quads,
    after_shares,
    areas,
    colours_beside,
    corner_shares,
    edge_shares,
    rising_shares,
    seen_shares,
    unevenness,
)
from papiermappe.core.photo.tracks import Tracks

ASPECTS = (297 / 210, 279.4 / 215.9)
FEATURES = {
    "edge mean": 16.43, "edge least": 2.86, "after mean": -14.13, "after least": 1.05, "contrast mean": -0.85,
    "contrast least": -2.32, "tint": 11.18, "inside apart": 0.24, "outside alike": -1.18, "inside uneven": -2.37,
    "outside uneven": 6.17, "polarity": 7.34, "polarity least": 0.98, "brightness": 3.85, "size": 9.15,
    "seen": 16.84, "aspect": -10.27, "leaning": -0.40, "corners mean": 11.79, "corners least": 2.20,
}  # fmt: skip
"""What is looked at, and its weight: fitted so that on drawn photos the sheet stands out from all other candidates."""
WEIGHTS = np.array(list(FEATURES.values()))


def evidence(tracks: Tracks, quads: Quads, width: float, height: float) -> Numbers:
    """Return for each quadrilateral what is seen along its sides, (n, len(FEATURES)).

    Brightness is told as a share of that of the inside, so that dim photos count like bright ones.
    """
    edge, after, rising = (look(tracks, quads) for look in (edge_shares, after_shares, rising_shares))
    ends = corner_shares(tracks, quads)
    inside, outside = colours_beside(tracks, quads)
    uneven_in, uneven_out = unevenness(tracks, quads)
    light_in, light_out = inside.mean(axis=2), outside.mean(axis=2)
    level = np.maximum(light_in.mean(axis=1), 20.0)[:, None]
    contrast = np.abs(light_in - light_out) / level
    tint_in, tint_out = (side / np.maximum(side.mean(axis=2, keepdims=True), 10.0) for side in (inside, outside))
    tint = np.abs(tint_in - tint_out).max(axis=2)
    differs = np.minimum(contrast + 2 * tint, 0.6)
    polarity = np.abs(2 * rising - 1)
    sides = np.linalg.norm(np.roll(quads.corners, -1, axis=1) - quads.corners, axis=2)
    across, down = (sides[:, at::2].mean(axis=1) for at in (0, 1))
    aspect = np.maximum(across, down) / np.maximum(np.minimum(across, down), 1)
    lean = np.abs(np.log(sides[:, :2] / np.maximum(sides[:, 2:], 1))).max(axis=1)
    columns = (
        edge.mean(axis=1), edge.min(axis=1), after.mean(axis=1), after.min(axis=1),
        differs.mean(axis=1), differs.min(axis=1), np.minimum(tint.min(axis=1), 0.3),
        np.minimum((light_in.max(axis=1) - light_in.min(axis=1)) / level[:, 0], 1.0)
        + 2 * np.minimum((tint_in.max(axis=1) - tint_in.min(axis=1)).max(axis=1), 0.5),
        (differs < 0.04).mean(axis=1),
        np.minimum((uneven_in / level).mean(axis=1), 0.5), np.minimum((uneven_out / level).mean(axis=1), 0.5),
        polarity.mean(axis=1), polarity.min(axis=1),
        np.clip((light_in - light_out).mean(axis=1) / level[:, 0], -0.6, 0.8),
        np.sqrt(areas(quads.corners) / (width * height)), seen_shares(tracks, quads).mean(axis=1),
        np.minimum(np.min([np.abs(np.log(aspect / known)) for known in ASPECTS], axis=0), 0.5), np.minimum(lean, 0.6),
        ends.mean(axis=1), np.sort(ends, axis=1)[:, :2].mean(axis=1),
    )  # fmt: skip
    return np.column_stack(columns)
