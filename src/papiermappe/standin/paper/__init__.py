"""Made-up paper: drawn sheets, and the physics that makes them look scanned."""
