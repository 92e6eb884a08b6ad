"""Databases: their tables and records, read and changed row for row."""
