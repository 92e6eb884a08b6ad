"""Workbooks of the Open Document format (OpenDocument 1.3)."""
