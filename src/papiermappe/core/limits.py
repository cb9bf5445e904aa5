"""Limits that apply unless the settings say otherwise."""

DEFAULT_LIMIT_PX = 250_000_000
