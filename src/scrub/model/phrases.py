"""The statements and look-ups of the language, as the catalog tells them: they belong to no kind."""

from __future__ import annotations

from scrub.model.declare import Docs

#: What each is, how it is written, and what a docstring would say of it.
PHRASES = tuple(
    (what, written, Docs(text))
    for what, written, text in (
        ("statement", "name = value", """Keeps a value under a name.
            Example: late = 0
            Also: variable, remember, store, assign, set a variable, let"""),
        ("statement", "if", """Does something only where a condition holds; else if and else for the other cases.
            Example: if sheet.hidden
            Also: if then, condition, when, otherwise, else, check, only if, case, then"""),
        ("statement", "each", """Visits every item of a kind, in document order; where picks some of them.
            Example: each sheet where sheet.hidden
            Also: loop, for each, iterate, go through, every, for, repeat for all"""),
        ("statement", "each … in", """Goes through the values of a list.
            Example: each hut in ["Larch", "Kite"]
            Also: loop over a list, for each value, iterate, go through names"""),
        ("statement", "sorted by", """The order in which a loop visits: numbers by size, texts by the alphabet, empty
            ones last; descending the other way round. What does not fit where when the loop begins is not visited.
            Example: each sheet sorted by sheet.name descending
            Also: sort, order by, in order, largest first, ascending, alphabetical, top ten, ranking"""),
        ("statement", "each … as", """Counts the turns of a loop over a list, from 1.
            Example: each hut in ["Larch", "Kite"] as n
            Also: index, loop counter, number of the turn, position, enumerate, running number"""),
        ("statement", "name(key) = value", """Keeps a value for a key, in pairs.
            Example: nights("Larch") = 3
            Also: dictionary, map, group by, totals by name, sum by, count by, assign to a key"""),
        ("statement", "times", """Does something so many times.
            Example: 3 times as n
            Also: loop, repeat, count, for i, number of times"""),
        ("statement", "while", """Does something as long as a condition holds.
            Example: while count(sheet where sheet.hidden) > 99
            Also: loop, until, repeat while, do while"""),
        ("statement", "in", """Makes another item the current one, on which actions then act.
            Example: in sheet("Totals")
            Also: with, go to, select, activate, act on, switch to"""),
        ("statement", "skip", """Goes to the next item of the loop.
            Example: skip
            Also: continue, next, pass over, ignore"""),
        ("statement", "leave loop", """Goes out of the loop.
            Example: leave loop
            Also: break, exit loop, stop looping"""),
        ("statement", "finish", """Ends the macro well; what was changed is saved.
            Example: finish "Nothing to do."
            Also: end, stop, exit, return, quit"""),
        ("statement", "fail", """Ends the macro as a failure: of this file nothing is saved.
            Example: fail "A price is missing."
            Also: error, abort, cancel, stop, raise, refuse"""),
        ("statement", "attempt", """Tries something, and takes it back and goes on where it fails; problem says why.
            Example: attempt
            Also: try, catch, on error, handle errors, ignore errors, rescue"""),
        ("statement", "say", """Tells the person something.
            Example: say "Done."
            Also: print, message, show a message, tell, alert, message box, output, display"""),
        ("statement", "log", """Writes a line into the record of the run; scrub changes shows it.
            Example: log "left {sheet.name} as it is"
            Also: note, record, write down, audit, list, report"""),
        ("statement", "run", """Runs another macro of the library on the current item.
            Example: run "Show every hidden sheet"
            Also: call, macro in a macro, sub, function, reuse, run another macro"""),
        ("statement", "give", """Ends the macro and gives a value to the macro that runs it: x = run("Full title").
            Example: give count(sheet where sheet.hidden)
            Also: return, return a value, function, result, hand back"""),
        ("look-up", "ask(…)", """Asks the person once, at the start; as: takes text, number, date, yes-no, colour,
            address, file, folder; from: takes a list to choose from.
            Example: who = ask("Pass on to", as: address)
            Also: ask the user, input, prompt, question, parameter, dialog, choose, enter a value"""),
        ("look-up", "secret(…)", """A password, from the person's key store, the environment, or asked for without echo.
            Example: code = secret("sheet-code")
            Also: password, code, key, credentials"""),
        ("look-up", "sheet(…)", """A sheet by its name; ask first with: exists, is missing.
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
        ("look-up", "copy-of(…)", """A new file made of another one, to be changed and filled in; it lies
            beside the picked one, or in the folder `to`.
            Example: letter = copy-of("letter.docx", name: "Letter for Ann Moss")
            Also: template, mail merge, letter for each, new file"""),
        ("look-up", "new-file(…)", """A new file with nothing in it, to be filled: .csv, .tsv, .xlsx or .txt; it lies
            beside the picked one, or in the folder `to`. Its one sheet has the name that is written here. If the file
            exists, the new one gets a number; if-exists: replace puts it in its place, if-exists: fail stops.
            Example: late = new-file("late.csv", if-exists: replace)
            Also: overwrite, create a file, make a table, export, report, new workbook"""),
        ("look-up", "new-message(…)", """A new message, as a draft; it lies in the folder drafts beside the picked file.
            Example: note = new-message(to: "ann@moss.example", subject: "Your booking", text: "Dear Ann, …")
            Also: write a message, mail merge, round letter, send a mail, e-mail"""),
        ("look-up", "open(…)", """Another file, to read from; relative to the picked one.
            Example: prices = open("prices.xlsx")
            Also: other workbook, second file, look up in another file, import, read another file"""),
        ("look-up", "count(…)", """How many items of a kind there are, with where: how many of them fit.
            Example: say "{count(sheet where sheet.hidden)} sheets are hidden."
            Also: count rows, number of, how many, count if, count sheets, count records"""),
        ("look-up", "sum(…)", """The values of all items of a kind added up, with where: of those that fit; empty
            ones are passed over.
            Example: say "{sum(record.nights in sheet("Orders") where record.paid is "yes")} nights are paid."
            Also: total, add up, sum if, sumifs, total of a column, add a column, subtotal"""),
        ("look-up", "average(…)", """The average of a value of all items of a kind; empty ones are passed over.
            Example: say "{average(record.nights in sheet("Orders"))} nights"
            Also: mean, average if, average of a column"""),
        ("look-up", "smallest(…)", """The smallest number, the earliest date or the first text of all items of a kind.
            Example: say "{smallest(record.arrival in sheet("Orders"))}"
            Also: minimum, min, minifs, earliest, first date, least"""),
        ("look-up", "largest(…)", """The largest number, the latest date or the last text of all items of a kind.
            Example: say "{largest(record.arrival in sheet("Orders"))}"
            Also: maximum, max, maxifs, latest, last date, most, highest"""),
        ("look-up", "list(…)", """A value of each item of a kind as a list, or the items themselves.
            Example: say "{list(sheet.name where sheet.hidden).joined(", ")}"
            Also: collect, filter, all values of a column, names of all sheets, array, which ones"""),
        ("look-up", "pairs(…)", """A value for each key, to be counted or added up by name; otherwise: what a key has
            that got none. Read and set with the key in brackets; keys and values are lists.
            Example: nights = pairs(otherwise: 0)
            Also: dictionary, map, hash, group by, totals by name, pivot, sum by category, count by, lookup table"""),
        ("look-up", "selection", """What the person picked with --at, or the whole when they picked nothing.
            Example: if selection.picked
            Also: selected cells, picked, current selection, marked"""),
        ("look-up", "today", """The date of today; now is the time.
            Example: say "{today.as-text("day month year")}"
            Also: today's date, current date, now, date stamp, timestamp, time now"""),
        ("look-up", "{ }", """A hole in a text, filled with any expression; {newline}, {tab} and {no-break-space}
            for those characters.
            Example: say "{sheet("Totals").name} is there."
            Also: join texts, concatenate, insert a value into a text, combine, string, template, placeholder"""),
    )
)  # fmt: skip
