"""The endings of files, and what is known of each."""

#: Formats of other programs, which Scrub cannot open.
CLOSED = {
    ".xls": "an older format", ".xlsb": "a closed format", ".numbers": "a closed format", ".xlt": "an older format",
    ".et": "a closed format", ".wk1": "an older format",
}  # fmt: skip
#: Formats that may come, with what to save such a file as.
LATER = {".ods": ".xlsx", ".fods": ".xlsx"}

#: Every ending that says what format a file has.
ENDINGS = frozenset((*".xlsx .xlsm .csv .tsv .txt .pdf .docx .html .json .xml .xltx .xltm".split(), *CLOSED, *LATER))
