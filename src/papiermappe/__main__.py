"""`python -m papiermappe`."""

from papiermappe.cli import main

main()
