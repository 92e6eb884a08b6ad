"""The language server; at the end it writes the texts that it knows into a file, to be compared with the editor's."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from scrub.editor.server import server

if __name__ == "__main__":
    made = server()
    made.start_io()
    Path(sys.argv[1]).write_text(json.dumps({uri: each.edited.text for uri, each in made.documents.items()}))
