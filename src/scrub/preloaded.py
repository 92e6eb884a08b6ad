"""What each process of a run needs. The process from which they are forked loads it once, for all of them."""

from __future__ import annotations

import scrub.language.checker
import scrub.runner.run
import scrub.runner.serialization
import scrub.worker  # noqa: F401
from scrub.assembled import formats, vocabulary

vocabulary(formats())
