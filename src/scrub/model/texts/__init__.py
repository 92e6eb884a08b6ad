"""Paragraphs, and what is in and around them."""
