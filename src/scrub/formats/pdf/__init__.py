"""PDFs (ISO 32000-1): stamps, turns and properties are appended; what must be gone is rewritten."""
