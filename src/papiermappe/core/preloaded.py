"""What processes that compute have in common; imported once, it is shared by all copies.

Importing it compiles all inner loops, which takes seconds the first time.
"""

import atexit
import gc

from papiermappe.core import pages
from papiermappe.core.compiled import load_all
from papiermappe.core.order import pairing

__all__ = ["pages", "pairing"]

load_all()
gc.collect()
atexit.register(gc.unfreeze)  # at the end all is collected, or libraries report what they take for leaks
gc.freeze()  # copies keep sharing what they never collect ("gc", freeze, in the Python library reference)
