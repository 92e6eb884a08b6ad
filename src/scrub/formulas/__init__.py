"""Calculates formulas (ISO/IEC 29500-1, 18.17; OpenDocument 1.3, part 4). Knows no file format."""
