"""What every format has to offer of a kind."""

from __future__ import annotations

from typing import TYPE_CHECKING

__all__ = ["required"]

if TYPE_CHECKING:
    from abc import abstractmethod as required
else:

    def required(method):
        """Marks what every format has to offer: mypy takes it for abstract, so that none can lack it unnoticed. A mark
        alone, because a metaclass for abstract classes would make each look at the type of an item six times as slow.
        """
        method.scrub_required = True
        return method
