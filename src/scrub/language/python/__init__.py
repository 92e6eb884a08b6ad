"""A macro as a Python script over the Python API, with the same result."""

from scrub.language.python.script import as_python

__all__ = ["as_python"]
