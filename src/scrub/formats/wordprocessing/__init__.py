"""Office Open XML documents (ISO/IEC 29500-1, 17)."""
