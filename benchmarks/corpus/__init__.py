"""Drawn pages whose truth is known, for the benchmarks of the page engine.

Every page is drawn as vectors from a seed, rasterised, placed by known measures and made to look scanned.
"""
