"""What depends on the cells of a sheet; each piece reads and writes its own elements."""
