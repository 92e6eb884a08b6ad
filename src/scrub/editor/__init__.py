"""A language server for macros, for any editor that speaks the Language Server Protocol 3.17."""
