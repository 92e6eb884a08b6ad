"""Runs a checked program on items: closures over the tree, with budget, reach and rollback."""
