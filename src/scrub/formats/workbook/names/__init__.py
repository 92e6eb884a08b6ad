"""Defined names."""
