"""Hostile devices, broken files and odd requests, made up from a seed; each case can be run alone."""
