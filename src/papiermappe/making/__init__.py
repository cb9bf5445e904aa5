"""Pages into a document: rendered, read, encoded and written. The desk's filings and `assemble` make theirs alike."""
