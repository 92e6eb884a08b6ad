"""Rules about cells: what may be entered, and which stand out."""
