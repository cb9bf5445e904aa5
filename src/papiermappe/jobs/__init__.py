"""Background work, on the queue in PostgreSQL."""
