"""Three eSCL scanners in one process, and the paper drawer from which they are loaded."""
