"""The Python API: items of files under the names of the vocabulary, functions as runs, and small command lines."""
