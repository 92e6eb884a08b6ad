"""Cells of a workbook: as they are stored, as they were changed, and as they are written."""
