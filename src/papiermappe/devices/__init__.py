"""Where pages come from: scanners that speak eSCL."""
