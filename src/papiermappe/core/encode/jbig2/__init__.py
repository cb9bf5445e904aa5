"""JBIG2 (ITU-T T.88): bilevel pages, coded without loss."""

from papiermappe.core.encode.jbig2.document import MAX_SIDE_PX, SharedPages, page_stream, page_streams
from papiermappe.core.encode.jbig2.segments import file_of

__all__ = ["MAX_SIDE_PX", "SharedPages", "file_of", "page_stream", "page_streams"]
