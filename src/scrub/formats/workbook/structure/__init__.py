"""Rows, columns and sheets that go, come and move, and all that refers to them."""
