"""Macros drawn by chance, on a workbook whose cells are mixed, missing and of the wrong type."""

from __future__ import annotations

import random
from datetime import date
from pathlib import Path

import openpyxl

SHEETS = ("Larch Hut", "Gannet Hut", "Lists")
HEADINGS = ("Guest", "Nights", "Price", "Arrival", "Paid", "Note")
NUMBERS, TEXTS = ("nights", "price"), ("guest", "note")


def lay_out_book(path: Path, seed: int) -> None:
    """A workbook of three sheets with about ten records each."""
    chance = random.Random(seed)
    book = openpyxl.Workbook()
    book.remove(book.worksheets[0])
    for name in SHEETS:
        sheet = book.create_sheet(name)
        sheet.append(HEADINGS)
        for _ in range(chance.randrange(0, 12)):
            sheet.append(
                [
                    chance.choice(["Moss, Lena", "moss, lena", "Thorn", " Birch ", "Ánn", "in all", None, 7]),
                    chance.choice([1, 2, 3, 5, 8, 8, 3, None, "4", "many", True, 2.5]),
                    chance.choice([14.5, 29, 0.1, 174, 0, None, "free", 58.25]),
                    chance.choice([date(2026, 6, 30), date(2026, 7, 1), date(2026, 8, 15), None, "2026-07-02", "soon"]),
                    chance.choice([True, False, "yes", "no", None]),
                    chance.choice(["late", "Late ", "", None, "long stay", "a\u00a0b", 12]),
                ]
            )
    book.save(path)


class Drawing:
    """Draws one macro. What it draws mostly goes well on the workbook, and not always."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.lines: list[str] = []
        self.depth = 0
        self.numbers: list[str] = []
        self.texts: list[str] = []
        self.lists: list[str] = []
        self.pairs: list[str] = []
        self.dates: list[str] = []
        self.record = ""  # the word for the record in reach
        self.sheet = ""
        self.loops: list[str] = []
        self.names = 0

    def macro(self) -> str:
        """The whole text."""
        if self.chance.random() < 0.3:
            self.write('least = ask("Least", as: number, default: 2)')
            self.numbers.append("least")
        if self.chance.random() < 0.2:
            self.write('day = ask("Day", as: date, default: 2026-07-01)')
            self.dates.append("day")
        for _ in range(self.chance.randrange(1, 4)):
            self.set_name()
        for _ in range(self.chance.randrange(2, 5)):
            self.statement()
        for name in (*self.numbers, *self.texts, *self.dates):
            self.write(f'log "{name}: {{{name}}}"')
        for name in self.lists:
            self.write(f'log "{{{name}.joined("; ")}} ({{{name}.count}})"')
        for name in self.pairs:
            self.write(f'log "{{{name}}}"')
        return "macro Chance\nfor workbook\n\n" + "\n".join(self.lines) + "\n"

    def write(self, line: str) -> None:
        self.lines.append("    " * self.depth + line)

    def one(self, *words: str) -> str:
        return self.chance.choice(words)

    def fresh(self, kind: str) -> str:
        self.names += 1
        return f"{kind}-{self.names}" if self.chance.random() < 0.5 else f"{kind}{self.names}"

    # -- values

    def number(self, depth: int = 0) -> str:
        """An expression that is often a number."""
        found = [str(self.chance.choice([0, 1, 2, 3, 10, "0.5", "14.50", "1000000"]))]
        found += self.numbers * 2
        if self.record:
            found += [f"{self.record}.{heading}" for heading in NUMBERS] * 2
        if depth < 2:
            one, other = self.number(depth + 1), self.number(depth + 1)
            found += [f"({one} {self.one('+', '-', '*', '/', '+')} {other})"] * 2
            found += [f"{self.text(depth + 1)}.length", f"-{one}"]
            found += [f"({one}).rounded(places: 1)" if one[:1] != "-" else one]
            found += [f'count(record in sheet("{self.one(*SHEETS)}"))']
            found += [f"{name}.count" for name in (*self.lists, *self.pairs)]
            if self.sheet:
                found += [f"sum(record.nights in {self.sheet} where record.nights is not empty)"]
                found += [f"count(record in {self.sheet} where {self.on_record(depth + 1)})"]
            found += [f"{name}({self.text(depth + 1)})" for name in self.pairs]
            found += [f"{day}.year" for day in self.dates]
        return self.chance.choice(found)

    def on_record(self, depth: int) -> str:
        """A condition on the record of a loop inside an expression."""
        before, self.record = self.record, "record"
        found = self.condition(depth)
        self.record = before
        return found

    def text(self, depth: int = 0) -> str:
        """An expression that is often a text."""
        found = ['"late"', '"Moss"', '"a ""quoted"" text"', '"back\\slash"', '""', '"it\'s"']
        found += self.texts * 2
        if self.record:
            found += [f"{self.record}.{heading}" for heading in TEXTS] * 2
        if self.sheet:
            found += [f"{self.sheet}.name"]
        if depth < 2:
            inner = self.text(depth + 1)
            plain = inner if inner[:1] != '"' else f"({inner})"
            found += [f"{plain}.{self.one('upper', 'trimmed', 'lower', 'single-spaced', 'digits')}"]
            found += [f'{plain}.before(",")', f'{plain}.replaced("a", by: "o")', f"{plain}.padded(5)"]
            found += [f'"{{{self.plain(self.number(depth + 1))}}} of {{{self.plain(inner)}}}"'] * 2
            found += [f'"day {{{self.plain(self.day(depth + 1))}}}"']
        return self.chance.choice(found)

    @staticmethod
    def plain(value: str) -> str:
        """A value that can be in a hole: without quotes."""
        return value if '"' not in value else "today.year - today.year"

    def day(self, depth: int = 0) -> str:
        """An expression that is often a date."""
        found = ["2026-07-01", "2026-01-31", *self.dates]
        if self.record:
            found += [f"{self.record}.arrival"] * 2
        if depth < 2:
            found += [
                f"({self.day(depth + 1)} {self.one('+', '-')} {self.one('1 day', '2 weeks', '1 month', '36 hours')})"
            ]
        return self.chance.choice(found)

    def any(self, depth: int = 0) -> str:
        return self.chance.choice([self.number, self.text, self.day])(depth)

    def condition(self, depth: int = 0) -> str:
        """An expression that is yes or no."""
        found = [
            f"{self.number(depth + 1)} {self.one('<', '<=', '>', '>=')} {self.number(depth + 1)}",
            f"{self.text(depth + 1)} {self.one('is', 'is not', 'contains', 'starts with', 'ends with')} {self.text(depth + 1)}",
            f"{self.day(depth + 1)} {self.one('<', '>=', 'is')} {self.day(depth + 1)}",
            f"{self.any(depth + 1)} {self.one('is', 'is not')} {self.any(depth + 1)}",
            f"{self.any(depth + 1)} is {self.one('empty', 'not empty', 'nothing', 'not nothing')}",
            f"{self.any(depth + 1)} is in [{self.any(2)}, {self.any(2)}]",
            f"{self.number(depth + 1)} is between {self.number(2)} and {self.number(2)}",
            f'{self.text(depth + 1)} matches "^[a-m]\\w+"',
            f'{self.text(depth + 1)} is exactly "late"',
            f'sheet("{self.one(*SHEETS, "None")}") {self.one("exists", "is missing")}',
            f'sheet("{self.one(*SHEETS, "None")}").record(guest: "Thorn") {self.one("exists", "is missing")}',
        ]
        if self.record:
            found += [f"{self.record}.paid is {self.one('yes', 'no')}", f'{self.record}.paid is "yes"'] * 2
            found += [f"{self.record}.{self.one(*NUMBERS)} is not empty and {self.record}.{self.one(*NUMBERS)} > 2"] * 2
        if self.sheet:
            found += [f'{self.sheet}.name ends with "hut"', f"{self.sheet}.hidden"] * 2
        found += [f"{name}({self.text(2)}) {self.one('exists', 'is missing')}" for name in self.pairs]
        found += [f"{name} contains {self.any(2)}" for name in self.lists]
        if depth < 2:
            one, other = self.condition(depth + 1), self.condition(depth + 1)
            found += [f"({one}) {self.one('and', 'or')} ({other})", f"not ({one})"]
        return self.chance.choice(found)

    # -- statements

    def set_name(self) -> None:
        kind = self.one("number", "text", "list", "pairs", "date", "number")
        if kind == "number":
            self.new_name(self.numbers, "n", self.one("0", "1", "0.5", self.number(1)))
        elif kind == "text":
            self.new_name(self.texts, "t", self.text(1))
        elif kind == "date":
            self.new_name(self.dates, "d", self.one("2026-07-01", "today - today.days-to(today) * 1 day", "2026-02-28"))
        elif kind == "list":
            self.new_name(self.lists, "l", f"[{self.any(2)}, {self.any(2)}]")
        elif self.depth == 0:
            self.new_name(self.pairs, "p", self.one("pairs(otherwise: 0)", "pairs()", "pairs(otherwise: 0)"))

    def new_name(self, known: list[str], kind: str, value: str) -> None:
        name = self.fresh(kind)
        self.write(f"{name} = {value}")
        known.append(name)

    def block(self, least: int = 1) -> None:
        """Some statements, one block deeper; names that are set there are forgotten after it."""
        kept = [list(each) for each in (self.numbers, self.texts, self.lists, self.pairs, self.dates)]
        self.depth += 1
        for _ in range(self.chance.randrange(least, 4)):
            self.statement()
        self.depth -= 1
        self.numbers, self.texts, self.lists, self.pairs, self.dates = kept

    def statement(self) -> None:
        """Any statement."""
        found = [self.set_name, self.change_name, self.change_name, self.change_name, self.decide, self.tell]
        if self.depth < 4:
            found += [self.sheets, self.records, self.records, self.attempt, self.repeat, self.values, self.inside]
        if self.record:
            found += [self.change_record] * 4
        if self.sheet:
            found += [self.change_sheet] * 2
        if self.loops:
            found += [self.skip]
        if self.chance.random() < 0.04:
            found += [self.end] * 5
        self.chance.choice(found)()

    def change_name(self) -> None:
        names = [(self.change_number, name) for name in self.numbers if name != "least"]
        names += [(self.change_text, name) for name in self.texts]
        names += [(self.change_list, name) for name in self.lists] + [(self.change_pairs, name) for name in self.pairs]
        names += [(self.change_day, name) for name in self.dates if name != "day"]
        if names:
            change, name = self.chance.choice(names)
            change(name)
        else:
            self.set_name()

    def change_number(self, name: str) -> None:
        self.write(
            f"{name} = "
            + self.one(
                f"{name} + 1", f"{name} + {self.number(1)}", self.number(1), f"{name} * 2", f"{name} - {self.number(1)}"
            )
        )

    def change_text(self, name: str) -> None:
        self.write(f"{name} = {self.text(1)}")

    def change_day(self, name: str) -> None:
        self.write(f"{name} = {self.day(1)}")

    def change_list(self, name: str) -> None:
        self.write(
            f"{name} = "
            + self.one(
                f"{name}.with({self.any(1)})", f"{name}.with({self.any(1)})", f"{name}.unique", f"[{self.any(1)}]"
            )
        )

    def change_pairs(self, name: str) -> None:
        key = self.any(1)
        self.write(
            f"{name}({key}) = " + self.one(f"{name}({key}) + {self.number(1)}", f"{name}({key}) + 1", self.any(1))
        )

    def change_record(self) -> None:
        if self.chance.random() < 0.12:
            item = self.record
            if item == "record":
                self.write("delete")
                return
        self.write(f"{self.record}.{self.one('note', 'price', 'nights')} = {self.any(1)}")

    def change_sheet(self) -> None:
        self.write(
            self.one(
                f"{self.sheet}.hidden = {self.one('yes', 'no')}", f'{self.sheet}.tab-colour = "{self.one("red", "#d3e4cd")}"',
                f"{self.sheet}.zoom = {self.one('80', '100', self.number(2))}",
                f'{self.sheet}.cell("H{self.chance.randrange(1, 9)}").value = {self.any(1)}',
                f'{self.sheet}.cells("A1:F1").bold = yes', f"{self.sheet}.column(\"B\").width = {self.one('12', '18.5')}",
            )
        )  # fmt: skip

    def tell(self) -> None:
        self.write(f"{self.one('say', 'log')} {self.text(0)}")

    def decide(self) -> None:
        self.write(f"if {self.condition()}")
        self.block()
        if self.chance.random() < 0.3:
            self.write(f"else if {self.condition()}")
            self.block()
        if self.chance.random() < 0.4:
            self.write("else")
            self.block()
        self.write("end")

    def in_loop(self, word: str) -> None:
        self.loops.append(word)
        self.block()
        self.loops.pop()
        self.write("end")

    def sheets(self) -> None:
        before = self.sheet
        alias = self.one("", "hut")
        self.sheet = alias or "sheet"
        where = f" where {self.condition(1)}" if self.chance.random() < 0.5 else ""
        self.write(f"each sheet{' as hut' if alias else ''} in workbook{where}")
        self.in_loop("sheet")
        self.sheet = before

    def records(self) -> None:
        record, sheet = self.record, self.sheet
        holder = self.sheet or f'sheet("{self.one(*SHEETS)}")'
        alias = self.one("", "", "stay")
        self.record = alias or "record"
        tail = f" where {self.condition(1)}" if self.chance.random() < 0.6 else ""
        if self.chance.random() < 0.25:
            tail += f" sorted by {self.record}.{self.one('guest', 'price', 'arrival')}{self.one('', ' descending')}"
        if alias and self.chance.random() < 0.3:
            tail += f" as {self.fresh('k')}"
        self.write(f"each record{' as stay' if alias else ''} in {holder}{tail}")
        self.in_loop("record")
        self.record, self.sheet = record, sheet

    def values(self) -> None:
        source = self.one(
            f"[{self.any(2)}, {self.any(2)}]", *self.lists, *(f"{name}.keys" for name in self.pairs), '"a b c".words'
        )
        name = self.fresh("v")
        self.write(f"each {name} in {source}" + (f" as {self.fresh('c')}" if self.chance.random() < 0.3 else ""))
        self.texts.append(name)
        self.in_loop("")
        if name in self.texts:
            self.texts.remove(name)

    def repeat(self) -> None:
        if self.chance.random() < 0.5:
            self.write(
                f"{self.chance.randrange(1, 4)} times"
                + (f" as {self.fresh('i')}" if self.chance.random() < 0.5 else "")
            )
            self.in_loop("")
            return
        name = self.fresh("w")
        self.write(f"{name} = 0")
        self.write(f"while {name} < {self.chance.randrange(1, 5)}")
        self.depth += 1
        self.write(f"{name} = {name} + 1")
        self.depth -= 1
        self.in_loop("")

    def attempt(self) -> None:
        self.write("attempt")
        self.block()
        self.write("if it fails")
        self.depth += 1
        self.write('log "it failed"')
        self.depth -= 1
        self.block(0)
        self.write("end")

    def inside(self) -> None:
        before = self.sheet
        self.sheet = "sheet"
        self.write(f'in sheet("{self.one(*SHEETS)}")')
        self.block()
        if self.chance.random() < 0.3:
            self.write(f"    add-row [{self.any(2)}, {self.number(2)}]")
        self.write("end")
        self.sheet = before

    def skip(self) -> None:
        kinds = [word for word in self.loops if word]
        words = ["skip", "leave loop", *(f"skip {kind}" for kind in kinds)]
        self.write(f"if {self.condition(1)}")
        self.write(f"    {self.chance.choice(words)}")
        self.write("end")

    def end(self) -> None:
        self.write(f"if {self.condition(1)}")
        self.write(f"    {self.one('finish', 'finish ' + self.text(2), 'fail ' + self.text(2))}")
        self.write("end")


def chance_macro(seed: int) -> str:
    """A macro drawn by chance; not every one is right."""
    return Drawing(seed).macro()
