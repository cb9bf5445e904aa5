"""Which page where: places, sheets, and the way back."""
