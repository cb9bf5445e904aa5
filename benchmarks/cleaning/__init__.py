"""What is measured of the page engine, a module a table."""
