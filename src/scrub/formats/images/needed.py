"""The packages that read PDFs and pictures: an extra, loaded when a run needs them."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from scrub.formats.extras import module
from scrub.model.core.problem import Failure


def needed(name: str) -> Any:
    """A module of the extra. Raises `Failure` with what to install where it is not there."""
    what, extra = _OF_OTHER_EXTRAS.get(name, ("PDFs and pictures", "pages"))
    return module(name, what, extra)


_OF_OTHER_EXTRAS = {"jpeglib": ("JPEGs made upright without loss", "lossless")}


@contextmanager
def told_as_damage() -> Iterator[None]:
    """What a package raises inside for a file that is not as its standard says becomes a `Failure`; each package has
    errors of several kinds for that, so that little but its calls belongs inside. What it warns of is not shown.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            yield
    except (Failure, MemoryError):
        raise
    except Exception as error:
        raise Failure(f"it is damaged: {plain(error) or type(error).__name__}") from None


def plain(error: Exception) -> str:
    """What a package says, without the name that it gave the file."""
    said = re.sub(r"^.*?(?:\.pdf|BytesIO object[^:]*|description)[^:]*: ", "", str(error)).split("\n")[0]
    return re.sub(r" of \S*[/\\]source\.\w+", "", said)[:120]
