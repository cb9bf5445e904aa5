"""How well photos become pages."""
