"""The statements and look-ups of the language, as the catalog tells them: they belong to no kind."""

from __future__ import annotations

from scrub.model.core.declare import Docs

#: What each is, how it is written, and what a docstring would say of it.
PHRASES = tuple(
    (what, written, Docs(text))
    for what, written, text in (
        ("statement", "name = value", """Gives a value a name.
            Example: late = 0
            Also: variable, remember, store, assign, set a variable, let"""),
        ("statement", "if", """Runs a block only if a condition is true; else if and else cover the other cases.
            Example: if sheet.hidden
            Also: if then, condition, when, otherwise, else, check, only if, case, then"""),
        ("statement", "each", """Repeats a block for every item of a kind, in order; where selects some of them.
            Example: each sheet where sheet.hidden
            Also: loop, for each, iterate, go through, every, for, repeat for all"""),
        ("statement", "each … in", """Repeats a block for every value of a list.
            Example: each hut in ["Larch", "Kite"]
            Also: loop over a list, for each value, iterate, go through names"""),
        ("statement", "sorted by", """Sets the order of a loop: numbers by size, text by the alphabet, empty
            values last; descending reverses it. Items that do not match where when the loop starts are skipped.
            Example: each sheet sorted by sheet.name descending
            Also: sort, order by, in order, largest first, ascending, alphabetical, top ten, ranking"""),
        ("statement", "each … as", """Numbers the rounds of a loop over a list, from 1.
            Example: each hut in ["Larch", "Kite"] as n
            Also: index, loop counter, number of the turn, position, enumerate, running number"""),
        ("statement", "name(key) = value", """Stores a value under a key, in pairs.
            Example: nights("Larch") = 3
            Also: dictionary, map, group by, totals by name, sum by, count by, assign to a key"""),
        ("statement", "times", """Repeats a block a number of times.
            Example: 3 times as n
            Also: loop, repeat, count, for i, number of times"""),
        ("statement", "while", """Repeats a block while a condition is true.
            Example: while count(sheet where sheet.hidden) > 99
            Also: loop, until, repeat while, do while"""),
        ("statement", "in", """Makes another item the current one, for the actions in the block.
            Example: in sheet("Totals")
            Also: with, go to, select, activate, act on, switch to"""),
        ("statement", "skip", """Continues with the next item of the loop.
            Example: skip
            Also: continue, next, pass over, ignore"""),
        ("statement", "leave loop", """Leaves the loop.
            Example: leave loop
            Also: break, exit loop, stop looping"""),
        ("statement", "finish", """Ends the macro; its changes are saved.
            Example: finish "Nothing to do."
            Also: end, stop, exit, return, quit"""),
        ("statement", "fail", """Ends the macro with an error; nothing of this file is saved.
            Example: fail "A price is missing."
            Also: error, abort, cancel, stop, raise, refuse"""),
        ("statement", "attempt", """Tries a block. If the block fails, its changes are undone and the macro
            continues; problem gives the reason.
            Example: attempt
            Also: try, catch, on error, handle errors, ignore errors, rescue"""),
        ("statement", "say", """Shows a message.
            Example: say "Done."
            Also: print, message, show a message, tell, alert, message box, output, display"""),
        ("statement", "log", """Writes a line to the log of the run; scrub changes shows it.
            Example: log "skipped {sheet.name}"
            Also: note, record, write down, audit, list, report"""),
        ("statement", "run", """Runs another macro of the library on the current item.
            Example: run "Show every hidden sheet"
            Also: call, macro in a macro, sub, function, reuse, run another macro"""),
        ("statement", "give", """Ends the macro and returns a value to the macro that runs it: x = run("Full title").
            Example: give count(sheet where sheet.hidden)
            Also: return, return a value, function, result, hand back"""),
        ("look-up", "ask(…)", """Asks the person once, at the start; as: takes text, number, date, yes-no, colour,
            address, file, folder; from: takes a list to choose from.
            Example: who = ask("Pass on to", as: address)
            Also: ask the user, input, prompt, question, parameter, dialog, choose, enter a value"""),
        ("look-up", "secret(…)", """A password from the key store or a variable, or typed at the start
            without being shown.
            Example: code = secret("sheet-code")
            Also: password, code, key, credentials"""),
        ("look-up", "sheet(…)", """A sheet by its name; check first with: exists, is missing.
            Example: sheet("Totals").hidden = no
            Also: certain sheet, get a sheet, sheet by name, exists"""),
        ("look-up", "cell(…)", """A cell by its address or its name.
            Example: cell("Totals!B4").value = 12
            Also: certain cell, read a cell, write a cell, A1, address"""),
        ("look-up", "cells(…)", """A range by its address or its name.
            Example: cells("Totals!B4:B9").bold = yes
            Also: range, certain cells, area, A1:B2, block of cells"""),
        ("look-up", "row(…)", """A row of a sheet by its number.
            Example: row(3).hidden = yes
            Also: certain row, line, row number"""),
        ("look-up", "column(…)", """A column of a sheet by its letters, or by its heading.
            Example: column("C").width = 18
            Also: certain column, column by heading, column letter"""),
        ("look-up", "record(…)", """The first record that has a value under a heading.
            Example: if sheet("Orders").record(item: "flour") exists
            Also: look up, lookup, find a row, find a value, match, search, join tables, look up in another file"""),
        ("look-up", "copy-of(…)", """A new file copied from another one, to be changed and filled in. The copy is saved
            beside the selected file, or in the folder `to`.
            Example: letter = copy-of("letter.docx", name: "Letter for Ann Moss")
            Also: template, mail merge, letter for each, new file"""),
        ("look-up", "new-file(…)", """A new empty file: .csv, .tsv, .xlsx, .ods or .txt. The file is saved
            beside the selected file, or in the folder `to`. Its only sheet has the name written here. If the file
            exists, the new file gets a number; if-exists: replace overwrites it, if-exists: fail stops.
            Example: late = new-file("late.csv", if-exists: replace)
            Also: overwrite, create a file, make a table, export, report, new workbook"""),
        ("look-up", "new-message(…)", """A new message as a draft, in the folder drafts beside the selected file.
            Example: note = new-message(to: "ann@moss.example", subject: "Your booking", text: "Dear Ann, …")
            Also: write a message, mail merge, round letter, send a mail, e-mail"""),
        ("look-up", "open(…)", """Another file to read from; its path is relative to the selected file.
            Example: prices = open("prices.xlsx")
            Also: other workbook, second file, look up in another file, import, read another file"""),
        ("look-up", "count(…)", """The number of items of a kind; with where: of those that match.
            Example: say "{count(sheet where sheet.hidden)} sheets are hidden."
            Also: count rows, number of, how many, count if, count sheets, count records"""),
        ("look-up", "sum(…)", """The sum of a value of all items of a kind; with where: of those that match. Empty
            values are skipped.
            Example: say "{sum(record.nights in sheet("Orders") where record.paid is "yes")} nights are paid."
            Also: total, add up, sum if, sumifs, total of a column, add a column, subtotal"""),
        ("look-up", "average(…)", """The average of a value of all items of a kind; empty values are skipped.
            Example: say "{average(record.nights in sheet("Orders"))} nights"
            Also: mean, average if, average of a column"""),
        ("look-up", "smallest(…)", """The smallest number, the earliest date or the first text of all items of a kind.
            Example: say "{smallest(record.arrival in sheet("Orders"))}"
            Also: minimum, min, minifs, earliest, first date, least"""),
        ("look-up", "largest(…)", """The largest number, the latest date or the last text of all items of a kind.
            Example: say "{largest(record.arrival in sheet("Orders"))}"
            Also: maximum, max, maxifs, latest, last date, most, highest"""),
        ("look-up", "list(…)", """A list of a value of each item of a kind, or of the items themselves.
            Example: say "{list(sheet.name where sheet.hidden).joined(", ")}"
            Also: collect, filter, all values of a column, names of all sheets, array, which ones"""),
        ("look-up", "pairs(…)", """Stores a value for each key, to count or add up by name; otherwise: the
            value of a key without one. Write the key in brackets to read or set; keys and values are lists.
            Example: nights = pairs(otherwise: 0)
            Also: dictionary, map, hash, group by, totals by name, pivot, sum by category, count by, lookup table"""),
        ("look-up", "selection", """The selection of --at, or the whole file without one.
            Example: if selection.picked
            Also: selected cells, picked, current selection, marked"""),
        ("look-up", "today", """Today's date; now is the date and time.
            Example: say "{today.as-text("day month year")}"
            Also: today's date, current date, now, date stamp, timestamp, time now"""),
        ("look-up", "{ }", """Braces in text insert any expression; {newline}, {tab} and {no-break-space}
            insert those characters.
            Example: say "{sheet("Totals").name} is there."
            Also: join texts, concatenate, insert a value into a text, combine, string, template, placeholder"""),
    )
)  # fmt: skip
