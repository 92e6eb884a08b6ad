"""File formats: each reads what it must, keeps the rest, and turns its changes into one Patch."""
