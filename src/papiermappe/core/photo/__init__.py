"""A sheet on a table, seen by a camera: where its corners are, and the sheet as if seen from straight above."""

from papiermappe.core.photo.corners import PhotoCorners, find_corners, place_corners
from papiermappe.core.photo.curling import bows_of_sides, find_curl
from papiermappe.core.photo.findings import judge_photo
from papiermappe.core.photo.rectified import FlatSheet, rectified_size_px, rectify
from papiermappe.core.photo.resolution import SeenSheet, look_for_sheet

__all__ = [
    "FlatSheet",
    "PhotoCorners",
    "SeenSheet",
    "bows_of_sides",
    "find_corners",
    "find_curl",
    "judge_photo",
    "look_for_sheet",
    "place_corners",
    "rectified_size_px",
    "rectify",
]
