"""The chooser: macros that fit some files on the left, what the chosen one would do on the right."""
