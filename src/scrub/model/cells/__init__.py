"""Sheets, and what is made of cells."""
