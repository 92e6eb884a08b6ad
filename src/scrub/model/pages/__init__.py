"""PDFs and pictures."""
