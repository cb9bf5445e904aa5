"""Papiermappe: from paper to the right file."""

__version__ = "0.1.0"
