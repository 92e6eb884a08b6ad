"""Open Document texts (ISO/IEC 26300, OpenDocument 1.3)."""
