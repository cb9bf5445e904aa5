"""Small pieces of sentences."""


def count(number: int, noun: str) -> str:
    """Return "1 page", "2 pages"."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def weigh(byte_count: int) -> str:
    """Return "732 KB", "1.2 MB"."""
    return f"{byte_count / 1e6:.1f} MB" if byte_count >= 1e6 else f"{byte_count / 1e3:.0f} KB"


def run_of(first: int, last: int, noun: str) -> str:
    """Return "Sheet 3" or "Sheets 1 to 7"."""
    return f"{noun} {first}" if first == last else f"{noun}s {first} to {last}"
