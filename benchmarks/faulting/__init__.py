"""Kills at random moments, and what a person at the desk sees of them."""
