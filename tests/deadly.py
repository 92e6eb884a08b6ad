"""An action that ends the process it runs in. Whoever imports this declares it."""

from __future__ import annotations

import os
import signal
from typing import Any

from scrub import action


@action("document")
def end_the_process(document: Any, when: str) -> None:
    """Ends the process that works on a file of this name.

    when: the beginning of a name
    Example: end-the-process when: "x"
    """
    if document.name.startswith(when) and os.environ.get("SCRUB_TEST_WORKER") != str(os.getpid()):
        os.kill(os.getpid(), signal.SIGKILL)
