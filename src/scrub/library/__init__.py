"""A person's macros: one folder of readable text files."""
