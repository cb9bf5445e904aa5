"""From files to a file, without database or server."""
