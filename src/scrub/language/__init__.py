"""The macro language: text to a checked program, and nothing that touches a file."""
