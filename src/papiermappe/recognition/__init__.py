"""Programs that recognise text, each wrapped once; none of them is needed for pages to be taken in and filed."""
