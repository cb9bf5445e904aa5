"""Making a file from files, without database or server."""
