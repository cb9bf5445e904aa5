"""All pages over one another, as if one looked down through the pile, and what of that is not theirs."""

from papiermappe.core.clean.pile.dust import not_wiped
from papiermappe.core.clean.pile.layers import Pile, pages_with_print
from papiermappe.core.clean.pile.leaf import LEAF_DPI, PILE_DPI, Leaf, leaf_of
from papiermappe.core.clean.pile.suggestions import SharedKind, SuggestedWipe, suggest_wipes

__all__ = [
    "LEAF_DPI",
    "PILE_DPI",
    "Leaf",
    "Pile",
    "SharedKind",
    "SuggestedWipe",
    "leaf_of",
    "not_wiped",
    "pages_with_print",
    "suggest_wipes",
]
