"""The page as text: what was read, its structure, and the numbers and dates found in it."""
