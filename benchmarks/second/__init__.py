"""A second generator of pages and scans, written apart from the first: other fonts, layouts and physics.

Nothing is set by it; its figures stand beside those of the first.
"""
