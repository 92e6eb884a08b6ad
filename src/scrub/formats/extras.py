"""Packages that only some formats need: extras, loaded when a run needs them."""

from __future__ import annotations

import importlib
import sys

from scrub.model.core.problem import Failure


def module(name: str, what: str, extra: str) -> object:
    """A module that `what` needs. Raises `Failure` with what to install where it is not there."""
    result = sys.modules.get(name)  # asked for each value of a file
    if result is not None:
        return result
    try:
        return importlib.import_module(name)
    except ImportError:
        raise Failure(
            f"{what} need an extra package: {name.partition('.')[0]} is missing. Install it: pip install "
            f'"scrub-macros[{extra}]"'
        ) from None
