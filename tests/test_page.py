"""The page of a run, in a real browser: wide and narrow, light and dark, printed, and with very many changes."""

from __future__ import annotations

import re
import shutil
import subprocess
from collections.abc import Callable
from html import unescape
from pathlib import Path

import openpyxl
import pytest
from conftest import FOR_EVER, Output, macro

import scrub

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")


needs_browser = pytest.mark.skipif(BROWSER is None, reason="no Chromium is installed")


#: What is checked inside the page: text that is too faint (WCAG 2.1, 1.4.3), and what is wider than the window.
CHECK = """
function rgb(text) { const n = text.match(/[\\d.]+/g).map(Number); return n.length < 4 || n[3] > 0 ? n.slice(0, 3) : null; }
function light(c) {
  const [r, g, b] = c.map(v => (v /= 255) <= .03928 ? v / 12.92 : ((v + .055) / 1.055) ** 2.4);
  return .2126 * r + .7152 * g + .0722 * b;
}
function behind(e) { for (; e; e = e.parentElement) { const c = rgb(getComputedStyle(e).backgroundColor); if (c) return c; } return [255, 255, 255]; }
const found = [];
for (const d of document.querySelectorAll('details')) d.open = true;
for (const e of document.querySelectorAll('body *')) {
  if (![...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim())) continue;
  const [a, b] = [light(rgb(getComputedStyle(e).color)), light(behind(e))].sort((x, y) => y - x);
  const ratio = (a + .05) / (b + .05);
  if (ratio < 4.5) found.push(`faint ${ratio.toFixed(2)}: ${e.tagName} ${e.textContent.trim().slice(0, 40)}`);
}
if (document.documentElement.scrollWidth > innerWidth) found.push(`wider: ${document.documentElement.scrollWidth} > ${innerWidth}`);
const out = document.createElement('pre'); out.id = 'report';
out.textContent = `width ${innerWidth}; rows ${document.querySelectorAll('tbody tr').length}; display ${document.querySelector('td') ? getComputedStyle(document.querySelector('td')).display : ''}\\n` + [...new Set(found)].join('\\n');
document.body.appendChild(out);
"""


def browser(*words: str) -> subprocess.CompletedProcess[str]:
    assert BROWSER is not None
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars"]
    return subprocess.run([BROWSER, *flags, *words], capture_output=True, text=True, timeout=FOR_EVER, check=False)


def report(page: str, width: int, dark: bool = False) -> list[str]:
    """What the check inside the page says: the first line is what it is, the others are faults."""
    if dark:
        page = page.replace("@media (prefers-color-scheme: dark)", "@media all")
    page = re.sub(r"<meta http-equiv=.Content-Security-Policy.[^>]*>", "", page)  # for the check alone
    # A window of Chromium is never narrower than 500 pixels: a frame is.
    inner = page.replace("</body>", f"<script>{CHECK}</script></body>")
    Path("inner.html").write_text(inner)
    Path("frame.html").write_text(
        f'<!doctype html><iframe id="f" src="inner.html" style="width:{width}px;height:900px;border:0"></iframe>'
        "<script>f.onload = () => { const p = document.createElement('pre'); p.id = 'out';"
        " p.textContent = f.contentDocument.getElementById('report').textContent; document.body.appendChild(p); }</script>"
    )
    found = browser(
        "--allow-file-access-from-files",
        "--virtual-time-budget=20000",
        "--dump-dom",
        f"file://{Path('frame.html').resolve()}",
    )
    match = re.search(r'<pre id="out">(.*?)</pre>', found.stdout, re.DOTALL)
    assert match, found.stderr[-500:]
    return unescape(match[1]).split("\n")


def page_of(cli: Callable[..., Output], name: str = "page.html") -> str:
    assert cli("changes", "--to", name).code == 0
    return Path(name).read_text()


@pytest.fixture
def many(home: Path, cli: Callable[..., Output]) -> str:
    """A run on three files, one of which fails, with every kind of change."""
    for number in (1, 2):
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.append(["Guest", "Nights", "A heading without any space that is much longer than a narrow window" * 2])
        sheet["F1"] = "\u202eturned \u200bhidden"
        for row in range(60):
            sheet.append([f" Moss,  Ann {row} ", f"{row}", "x" * 200])
        book.save(f"week {number}.xlsx")
    Path("broken.xlsx").write_bytes(b"no")
    text = macro(
        'single-spaces\nin sheet("Sheet")\nread-numbers\nsheet.tab-colour = "#46605a"\n'
        'cells("A1:C1").fill = "#fff2b8"\ncells("A1:C1").colour = "#203028"\ncell("D1").value = "<script>alert(1)</script>"\n'
        'cell("D2").value = "3/4/2026"\nread-dates\nsay "{cell("F1").value}"\nend'
    )
    Path("many.scrub").write_text(text)
    cli("run", "many.scrub", "week 1.xlsx", "week 2.xlsx", "broken.xlsx")
    return page_of(cli)


@pytest.mark.browser
@needs_browser
@pytest.mark.timeout(FOR_EVER * 4)
@pytest.mark.parametrize("dark", [False, True], ids=["light", "dark"])
@pytest.mark.parametrize("width", [1280, 390])
def test_every_text_is_readable_and_nothing_is_wider_than_the_window(many: str, width: int, dark: bool) -> None:
    first, *faults = report(many, width, dark)
    assert first.startswith(f"width {width}; rows ")
    assert first.endswith("display block" if width < 600 else "display table-cell")  # stacked where it is narrow
    assert [each for each in faults if each] == []


def test_the_result_and_what_failed_come_first(many: str) -> None:
    order = ["<h1>", "in 2 of 3 files", "Failed: 1 file", "Skipped: ", "Contents", "<h2 id=", "<table>"]
    places = [many.index(each) for each in order]
    assert places == sorted(places)
    assert "broken.xlsx: not an office file, despite its name" in many
    assert many.count('class="swatch" style="background:#fff2b8"') == 6
    assert '<span class="kind">text</span>' in many
    assert '<span class="kind">number</span>' in many


def test_the_page_loads_nothing_and_shows_what_nobody_sees(many: str) -> None:
    assert "default-src 'none'; style-src 'unsafe-inline'" in many
    assert "<script" not in many
    assert "{U+202E}turned {U+200B}hidden" in many
    assert not re.search("[\u200b-\u200f\u202a-\u202e\u2066-\u2069]", many)
    assert not re.search(r"(?:src|href)=[\"'](?!#)", many)


@pytest.mark.browser
@needs_browser
@pytest.mark.timeout(FOR_EVER * 4)
def test_a_page_is_printed_compactly(many: str) -> None:
    Path("page.html").write_text(many)
    browser("--no-pdf-header-footer", "--print-to-pdf=page.pdf", f"file://{Path('page.html').resolve()}")
    with scrub.open("page.pdf") as opened:
        pages = [page.text for page in opened.item.pages()]
    assert len(pages) <= 16
    assert "Contents" not in pages[0]
    assert "Failed: 1 file" in pages[0]


@pytest.mark.browser
@needs_browser
@pytest.mark.timeout(FOR_EVER * 4)
def test_twenty_thousand_changes_are_grouped_and_folded(home: Path, cli: Callable[..., Output]) -> None:
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("Stays")
    sheet.append(["Guest", "Hut", "Nights", "Note"])
    for row in range(5000):
        sheet.append([f"Guest  {row}", "Larch  Hut", "two  nights", f"note  {row}"])
    book.save("big.xlsx")
    Path("tidy.scrub").write_text(macro("single-spaces"))
    cli("run", "tidy.scrub", "big.xlsx")
    page = page_of(cli)
    assert page.count("<details>") == 4
    assert "Guest (column A): 5,000 changes" in page
    first, *faults = report(page, 1280)
    assert "rows 20000" in first
    assert [each for each in faults if each] == []


def test_the_page_is_opened(many: str, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch) -> None:
    import webbrowser

    opened: list[str] = []

    def browse(address: str) -> bool:
        opened.append(address)
        return True

    monkeypatch.setattr(webbrowser, "open", browse)
    told = cli("changes", "--open")
    assert told.code == 0
    (address,) = opened
    assert address.startswith("file://")
    assert address.endswith("run-1.html")
    monkeypatch.setattr(webbrowser, "open", lambda address: False)
    assert "No browser was found" in cli("changes", "--open").err
