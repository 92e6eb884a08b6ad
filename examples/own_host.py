"""A host of one's own: answers a macro's questions from a table, and keeps what the macro says.

python examples/own_host.py WORKBOOK
"""

from __future__ import annotations

import sys

import scrub

MACRO = """
macro Hide what the wardens do not need
for workbook

beginning = ask("Sheets to hide begin with")
each sheet where sheet.name starts with beginning
    sheet.hidden = yes
    log "hid {sheet.name}"
end
say "{count(sheet where sheet.hidden)} sheets are hidden."
"""


class TableHost(scrub.QuietHost):
    def ask(self, question: scrub.Question) -> str | None:
        return {"beginning": "Draft"}.get(question.name)


if __name__ == "__main__":
    host = TableHost()
    result = scrub.run(MACRO, sys.argv[1:], host=host)
    print(*host.logged, *host.said, *(file.problem for file in result.files if file.problem), sep="\n")
    sys.exit(result.exit_code)
