"""The text of formulas: what it refers to, and how it is written."""
