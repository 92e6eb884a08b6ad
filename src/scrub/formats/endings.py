"""The endings of files, and what is known of each."""

#: Formats of other programs, which Scrub cannot open: what each is, and what to save such a file as.
CLOSED = {
    **dict.fromkeys((".xls", ".xlt", ".wk1"), ("an older format", ".xlsx")),
    **dict.fromkeys((".xlsb", ".numbers", ".et"), ("a closed format", ".xlsx")),
    **dict.fromkeys((".doc", ".dot"), ("an older format", ".docx")),
    **dict.fromkeys((".pages", ".wps"), ("a closed format", ".docx")),
}
#: Formats that may come, with what to save such a file as.
LATER = {".odp": ".pdf", ".fodp": ".pdf"}

#: Every ending that says what format a file has.
ENDINGS = frozenset(
    (
        *".xlsx .xlsm .csv .tsv .txt .pdf .docx .odt .fodt .ods .fods .html .json .xml .xltx .xltm".split(),
        *CLOSED,
        *LATER,
    )
)
