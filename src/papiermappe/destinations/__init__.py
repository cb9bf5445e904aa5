"""Where documents go: one protocol, and the places that keep it."""
