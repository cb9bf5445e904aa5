"""What is kept: rows in PostgreSQL, image files as blobs."""
