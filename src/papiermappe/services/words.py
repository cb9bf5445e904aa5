"""Small pieces of sentences."""


def count(number: int, noun: str) -> str:
    """Return "1 page", "2 pages"."""
    return f"{number} {noun}{'' if number == 1 else 's'}"


def run_of(first: int, last: int, noun: str) -> str:
    """Return "Sheet 3" or "Sheets 1 to 7"."""
    return f"{noun} {first}" if first == last else f"{noun}s {first} to {last}"
