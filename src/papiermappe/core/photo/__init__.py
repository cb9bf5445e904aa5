"""A sheet on a table, seen by a camera: where its corners are, and the sheet as if seen from straight above."""

from papiermappe.core.photo.corners import PhotoCorners, find_corners
from papiermappe.core.photo.findings import judge_photo
from papiermappe.core.photo.rectified import rectified_size_px, rectify
from papiermappe.core.photo.resolution import SeenSheet, look_for_sheet

__all__ = ["PhotoCorners", "SeenSheet", "find_corners", "judge_photo", "look_for_sheet", "rectified_size_px", "rectify"]
