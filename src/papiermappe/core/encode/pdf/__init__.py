"""PDF (ISO 32000), as PDF/A-2u (ISO 19005-2)."""

from papiermappe.core.encode.pdf.writer import PdfPage, write_pdf

__all__ = ["PdfPage", "write_pdf"]
