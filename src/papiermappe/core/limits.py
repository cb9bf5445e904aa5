"""Limits that hold unless somebody sets others."""

DEFAULT_LIMIT_PX = 250_000_000
