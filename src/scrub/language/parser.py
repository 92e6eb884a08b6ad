"""Tokens to a tree. A slip ends its line, not the reading: all problems are found at once."""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import advice, tree
from scrub.language.cursor import DEEPEST, Slip, place_of
from scrub.language.expressions import ExpressionReader
from scrub.language.header import read_header
from scrub.language.lexer import END, NEWLINE, TEXT, WORD, Token, counts, lex, split_lines
from scrub.language.tree import Argument, Block, Expression, Statement
from scrub.language.words import BLOCKS, FREE, HEADER, KEYWORDS, STATEMENTS
from scrub.model.core.problem import Problem


def parse(text: str, name: str) -> tuple[tree.Macro, list[Problem]]:
    """The tree of a macro and what is wrong with it. `name` is how problems call the text."""
    lines = split_lines(text.removeprefix("\ufeff"))
    problems: list[Problem] = []
    macro = tree.Macro(name, lines)
    body_at = read_header(macro, lines, problems)
    # The comments between the head and the first statement belong to the body.
    macro.body_at = min(body_at, max((place.line for place in macro.places.values()), default=0))
    macro.body = _Parser(lex(lines, macro.body_at, problems, macro.read), problems).whole()
    return macro, problems


def parse_lines(tokens: list[Token], problems: list[Problem]) -> Block:
    """The statements of a part of a body."""
    return _Parser(tokens, problems).whole()


class _Parser(ExpressionReader):
    """Reads statements and blocks."""

    # -- blocks

    def whole(self) -> Block:
        """The whole body; an `end` too many is a problem."""
        body: Block = []
        while True:
            body += self.block()
            token = self.token
            if token.type == END:
                return body
            if token.is_word("end"):
                self.note('this "end" has no block. Delete it', token)
            else:
                self.note('this "else" has no "if". Look for an extra "end" above it', token)
            self.skip_line()

    def block(self) -> Block:
        """Statements up to the `end`, `else` or `if it fails` that is not theirs."""
        body: Block = []
        while self.token.type != END:
            if self.token.type == NEWLINE:
                self.take()
                continue
            if self.token.is_word("end", "else") or self.at_handler():
                return body
            first = self.at
            try:
                self.nesting = self.operators = 0
                body.append(self.spanned(self.statement(), first))
            except Slip as slip:
                self.problems.append(slip.problem)
                self.skip_line()
                broken = tree.Broken(place_of(self.tokens[first]), tuple(self.tokens[first : self.at]))
                body.append(self.spanned(broken, first))
        return body

    def at_handler(self) -> bool:
        return self.token.is_word("if") and self.following().is_word("it") and self.following(2).is_word("fails")

    def head(self, read: Callable[[], Expression]) -> Expression:
        """An expression that ends the opening line of a block; a slip in it does not lose the block."""
        first = self.at
        try:
            self.nesting = self.operators = 0
            expression = read()
            self.end_line()
        except Slip as slip:
            self.problems.append(slip.problem)
            bad = tree.Bad(place_of(self.token))
            self.skip_line()
            expression = self.spanned(bad, first)
        return expression

    def body(self, opener: Token, closing: bool = True) -> Block:
        """The statements of a block, and its `end`."""
        self.open.append(opener)
        if len(self.open) > DEEPEST:
            self.note(
                f"more than {DEEPEST} nested blocks. Move an inner part to a macro of its own",
                opener,
            )
            self.at = len(self.tokens) - 1
            self.given_up = True
        body = self.block()
        self.open.pop()
        if closing:
            self.close(opener)
        return body

    def close(self, opener: Token) -> None:
        if self.given_up:
            return
        named = self.following()
        if self.token.is_word("end") and named.is_word(*BLOCKS) and named.text != opener.text:
            if any(outer.is_word(named.text) for outer in self.open):
                self.note(
                    f'this "{opener.text}" has no "end": line {named.line} ends the "{named.text}" around it. Add end '
                    "after its last line",
                    opener,
                )
                return
        end = self.take_word("end")
        if end is None:
            if self.token.type == END:
                self.note(f'this "{opener.text}" has no "end". Add end after its last line', opener, "open-block")
            return
        if self.token.is_word(opener.text):
            self.take()
        elif self.token.is_word(*BLOCKS):
            named = self.take()
            if named.text != opener.text:
                self.note(
                    f'this ends the "{opener.text}" of line {opener.line}, not a "{named.text}". Add the missing "end" '
                    f"above, or write: end {opener.text}",
                    named,
                )
        try:
            self.end_line()
        except Slip as slip:
            self.problems.append(slip.problem)
            self.skip_line()

    # -- statements

    def statement(self) -> Statement:
        token = self.token
        rest = self.rest_of_line()
        if counts(rest):
            return self.times_statement()
        if token.type != WORD:
            if token.type == TEXT:
                raise self.slip("a line must start with a word. To show text: say " + token.text[:30])
            raise self.slip(f'a line cannot start with "{token.text}"')
        if self.following().is_sign("="):
            if token.text in (KEYWORDS - FREE) | {"times", "loop"}:
                raise self.slip(f'"{token.text}" is a word of the language and cannot be a name. Choose another')
            return self.set_name()
        ahead = [each.text for each in self.tokens[self.at + 1 : self.at + 3]]
        if ahead in (["+", "+"], ["-", "-"]) and self.tokens[self.at + 3].type in (NEWLINE, END):
            sign = ahead[0]
            what = f"{token.text} = {token.text} {sign} 1"
            raise self.spanning(f"write: {what}", token, self.following(2), what)
        if self.following().is_sign("+=", "-=", "*=", "/="):
            sign = self.following().text[0]
            message = f"write: {token.text} = {token.text} {sign} …"
            raise self.slip(message, self.following(), f"= {token.text} {sign}")
        everyday = advice.statement(rest)
        if everyday:
            return self.as_meant(everyday, rest)
        reader = getattr(self, f"{token.text}_statement", None) if token.text in STATEMENTS else None
        if reader is not None:
            result: Statement = reader(self.take())
            return result
        after = self.following()
        if token.text in HEADER and after.type not in (NEWLINE, END) and not after.is_sign(".", "(", "="):
            raise self.slip(f'"{token.text}" belongs at the top, above the first statement')
        if token.text in KEYWORDS - FREE:
            raise self.slip(f'a line cannot start with "{token.text}". Join it to the line above')
        if self.following().is_sign(".", "("):
            return self.path_statement()
        return self.action_statement()

    def set_name(self) -> Statement:
        name = self.take()
        self.take()
        value = self.expression()
        self.end_line()
        return tree.SetName(place_of(name), name.text, value)

    def path_statement(self) -> Statement:
        """A line that starts with `word.` or `word(`: a field to set, or an action with brackets."""
        first = self.token
        target = self.postfix()
        if self.take_sign("="):
            value = self.expression()
            self.end_line()
            if isinstance(target, tree.Dot) and target.arguments is None:
                return tree.SetField(target.place, target, value)
            if isinstance(target, tree.Call) and target.word in ("cell", "cells"):
                raise self.slip(f"to set its value, write: {target.word}(…).value = …", first)
            if isinstance(target, tree.Call):
                return tree.SetPair(target.place, target, value)
            raise self.slip('only a name or a field can come before "="', first)
        if isinstance(target, tree.Call):
            self.end_line()
            return tree.Do(target.place, target.word, target.arguments)
        if isinstance(target, tree.Dot):
            if not self.at_line_end() and self.token.is_word("is"):
                raise self.slip('to set a field, write: =   ("is" compares)')
            if target.arguments is None and (self.token.type == TEXT or self.following().is_sign(":")):
                # What follows is meant as the values of an action.
                arguments = tuple(self.arguments(lambda: self.at_line_end()))
                target = tree.Dot(target.place, target.target, target.word, arguments)
            self.end_line()
            return tree.Stray(place_of(first), target)
        raise self.slip("this line does nothing", first)

    def action_statement(self) -> Statement:
        word = self.take()
        arguments: list[Argument] = []
        if not self.at_line_end():
            arguments = self.arguments(lambda: self.at_line_end())
        self.end_line()
        return tree.Do(place_of(word), word.text, tuple(arguments))

    def if_statement(self, opener: Token) -> Statement:
        branches = [(self.head(self.expression), self.body(opener, closing=False))]
        otherwise: Block = []
        while (token := self.take_word("else")) is not None:
            if self.take_word("if"):
                branches.append((self.head(self.expression), self.body(opener, closing=False)))
            else:
                try:
                    if self.token.is_word("where", "is", "when"):
                        raise self.slip("to ask again, write: else if")
                    self.end_line()
                except Slip as slip:
                    self.problems.append(slip.problem)
                    self.skip_line()
                otherwise = self.body(token, closing=False)
                if self.token.is_word("else"):
                    self.note('after "else", only "end" can follow', self.token)
        self.close(opener)
        return tree.If(place_of(opener), branches, otherwise)

    def each_statement(self, opener: Token) -> Statement:
        alias: str | None = None
        inside: Expression | None = None
        where: Expression | None = None
        orders: list[tree.Order] = []
        counter: str | None = None
        word = opener

        def read() -> Expression:
            nonlocal word, alias, inside, where, counter
            word = self.name_word("after each, name the items: each sheet")
            if self.take_word("as"):
                alias = self.name_word('after "as", write a name').text
            if self.take_word("in"):
                inside = self.expression()
                counter = self.counter()
            if self.take_word("where"):
                where = self.expression()
            if self.token.is_word("sorted"):
                orders.extend(self.orders())
            counter = counter or self.counter()
            return tree.Bad(place_of(word))

        told = len(self.problems)
        head = self.head(read)
        if len(self.problems) > told and where is None:
            where = head  # what cannot be read may well be the condition
        body = self.body(opener)
        return tree.Each(place_of(word), word.text, alias, inside, where, tuple(orders), counter, body)

    def counter(self) -> str | None:
        """The name after a list that counts the turns."""
        return self.name_word('after "as", write a name').text if self.take_word("as") else None

    def orders(self) -> list[tree.Order]:
        """`sorted by record.hut, record.nights descending`."""
        self.take()
        if not self.take_word("by"):
            raise self.slip("write: sorted by …")
        result: list[tree.Order] = []
        while not result or self.take_sign(","):
            by = self.expression()
            result.append(tree.Order(by, self.take_word("descending") is not None))
            self.take_word("ascending")
        return result

    def rest_of_line(self) -> list[Token]:
        """The tokens from here to the end of the statement."""
        end = self.at
        while self.tokens[end].type not in (NEWLINE, END):
            end += 1
        return list(self.tokens[self.at : end])

    def as_meant(self, message: str, tokens: list[Token]) -> Statement:
        """A line in the manner of another language: told, and read as what it means where that opens a block."""
        first = self.token
        last, replacement = advice.replaced(tokens)
        self.problems.append(self.spanning(message, first, last, replacement).problem)
        if first.is_word("for", "foreach", "repeat", "do"):
            self.take()
            self.take_word("until")
            if counts(self.rest_of_line()):
                return self.times_statement()
            if self.token.is_word("while"):
                return self.while_statement(self.take())
            self.take_word("each")
            if self.token.type != WORD:
                self.skip_line()
                return tree.Times(place_of(first), tree.Bad(place_of(first)), None, self.body(first))
            if self.token.type == WORD and self.following().is_sign("="):
                name = self.take()
                self.skip_line()
                place = place_of(name)
                return tree.Times(place, tree.Bad(place), name.text, self.body(first))
            return self.each_statement(first)
        self.skip_line()
        if first.is_word("unless", "when", "try", "sub", "function", "def"):
            return tree.If(place_of(first), [], self.body(first))
        return tree.If(place_of(first), [], [])

    def times_statement(self) -> Statement:
        first = self.token
        opener = Token(WORD, "times", first.line, first.column, first.length)
        alias: str | None = None

        def read() -> Expression:
            nonlocal alias
            expression = self.expression()
            if not self.take_word("times"):
                raise self.unexpected()
            if self.take_word("as"):
                alias = self.name_word('after "as", write a name').text
            return expression

        count = self.head(read)
        return tree.Times(place_of(opener), count, alias, self.body(opener))

    def while_statement(self, opener: Token) -> Statement:
        condition = self.head(self.expression)
        return tree.While(place_of(opener), condition, self.body(opener))

    def in_statement(self, opener: Token) -> Statement:
        item = self.head(self.expression)
        return tree.In(place_of(opener), item, self.body(opener))

    def attempt_statement(self, opener: Token) -> Statement:
        self.end_line()
        body = self.body(opener, closing=False)
        handler: Block = []
        if self.at_handler():
            for _ in range(3):
                self.take()
            self.end_line()
            handler = self.body(opener, closing=False)
        else:
            self.note('an "attempt" needs this line: if it fails', opener)
        self.close(opener)
        return tree.Attempt(place_of(opener), body, handler)

    def skip_statement(self, word: Token) -> Statement:
        kind = None if self.at_line_end() else self.name_word("after skip, write a kind of item or nothing").text
        self.end_line()
        return tree.Skip(place_of(word), kind)

    def leave_statement(self, word: Token) -> Statement:
        if not self.take_word("loop"):
            raise self.slip("write: leave loop")
        self.end_line()
        return tree.Leave(place_of(word))

    def finish_statement(self, word: Token) -> Statement:
        text = None if self.at_line_end() else self.expression()
        self.end_line()
        return tree.Finish(place_of(word), text)

    def fail_statement(self, word: Token) -> Statement:
        return tree.Fail(place_of(word), self.wanted_text(word))

    def say_statement(self, word: Token) -> Statement:
        return tree.Say(place_of(word), word.text, self.wanted_text(word))

    log_statement = say_statement

    def wanted_text(self, word: Token) -> Expression:
        if self.at_line_end():
            raise self.slip(f'the text is missing: {word.text} "…"', word)
        text = self.expression()
        self.end_line()
        return text

    def give_statement(self, word: Token) -> Statement:
        if self.at_line_end():
            raise self.slip("the value is missing: give …   To end without a value: finish", word)
        value = self.expression()
        self.end_line()
        return tree.Give(place_of(word), value)

    def run_statement(self, word: Token) -> Statement:
        macro = self.run_macro(self.at_line_end)
        self.end_line()
        return macro
