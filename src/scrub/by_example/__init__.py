"""Macros learned from a file before and the same file after: what is other, and the shortest rules that make it so."""
