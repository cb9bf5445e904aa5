"""Tests, in the folders of what they test."""
