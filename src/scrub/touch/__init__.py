"""Ways to a macro from outside the terminal: the file manager, and folders that are watched."""
