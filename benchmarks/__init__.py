"""Benchmarks: each prints its table; docs/performance.md keeps the results with the machine."""
