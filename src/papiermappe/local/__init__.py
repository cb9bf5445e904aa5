"""Running everything on one machine: the private PostgreSQL, and the processes."""
