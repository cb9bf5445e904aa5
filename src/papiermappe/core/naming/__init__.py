"""File names: rules that make them, and what every file system takes."""
