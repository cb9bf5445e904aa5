"""Parts of the benchmark of the station Tidy."""
