"""The packages that read PDFs and pictures: an extra, loaded when a run needs them."""

from __future__ import annotations

import importlib
from typing import Any

from scrub.model.problem import Failure


def needed(name: str) -> Any:
    """A module of the extra. Raises `Failure` with what to install where it is not there."""
    try:
        return importlib.import_module(name)
    except ImportError:
        raise Failure(
            f"PDFs and images need the extra packages, of which {name.partition('.')[0]} is missing. "
            'Install them: pip install "scrub-macros[pages]"'
        ) from None
