"""A sheet on a table, seen by a camera: where its corners are, and the sheet as if seen from straight above."""

from papiermappe.core.photo.corners import PhotoCorners, find_corners
from papiermappe.core.photo.rectified import rectified_size_px, rectify
from papiermappe.core.photo.resolution import photo_dpi

__all__ = ["PhotoCorners", "find_corners", "photo_dpi", "rectified_size_px", "rectify"]
