"""Expressions: tokens to the tree of a value, with the advice for everyday slips."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal

from scrub.language import advice, tree
from scrub.language.cursor import DEEPEST, MOST_OPERATORS, Cursor, Slip, place_of
from scrub.language.lexer import DATE, END, NUMBER, TEXT, WORD, Token
from scrub.language.tree import Argument, Expression, Place
from scrub.language.words import FREE, GATHERS, KEYWORDS, STATEMENTS
from scrub.model.core.amounts import UNITS
from scrub.model.core.problem import Problem
from scrub.model.core.types import DATE as DATE_TYPE
from scrub.model.core.types import NOTHING, TIME, YES_NO, Type
from scrub.model.core.types import NUMBER as NUMBER_TYPE
from scrub.model.core.types import TEXT as TEXT_TYPE

#: Characters that a text cannot show plainly, written as holes.
MARKS = {"newline": "\n", "tab": "\t", "no-break-space": "\u00a0"}
#: What is filled in when a page is printed, written as holes; they are in headers and footers only.
PRINTED = frozenset(("page-number", "page-count", "sheet-name", "file-name", "print-date", "print-time"))

_OPPOSITE_FORMS = {
    "contain": "contains",
    "start": "starts with",
    "end": "ends with",
    "match": "matches",
    "exist": "exists",
}
#: The same comparisons, denied.
_NEGATED = {right: f"does not {word}" + " with" * right.endswith(" with") for word, right in _OPPOSITE_FORMS.items()}
_NOT = {"<": ">=", ">": "<=", "<=": ">", ">=": "<", "is": "is not"}


class ExpressionReader(Cursor):
    """Reads expressions from tokens."""

    def name_word(self, message: str) -> Token:
        if self.token.type != WORD or self.token.text in KEYWORDS:
            raise self.slip(message)
        return self.take()

    def expression(self) -> Expression:
        self.nesting += 1
        if self.nesting > DEEPEST:
            raise self.slip("too many nested brackets. Give part of it a name in a line above")
        first = self.at
        found = self.either()
        self.nesting -= 1
        return self.spanned(found, first)

    def operator(self, token: Token | None) -> Token | None:
        """Counts an operator, so that no statement grows deeper than it can be read."""
        if token is not None:
            self.operators += 1
            if self.operators > MOST_OPERATORS:
                raise self.slip(
                    f"more than {MOST_OPERATORS} operators in one line. Give part of it a name in a line above", token
                )
        return token

    def either(self) -> Expression:
        left = self.all()
        while (token := self.operator(self.take_word("or"))) is not None:
            left = tree.Both(place_of(token), "or", left, self.all())
        return left

    def all(self) -> Expression:
        left = self.negation()
        while (token := self.operator(self.take_word("and"))) is not None:
            left = tree.Both(place_of(token), "and", left, self.negation())
        return left

    def negation(self) -> Expression:
        negations: list[Token] = []
        while (token := self.operator(self.take_word("not"))) is not None:
            negations.append(token)
        expression = self.comparison()
        for token in reversed(negations):
            expression = tree.Not(place_of(token), expression)
        return expression

    def comparison(self) -> Expression:
        first = self.at
        left = self.sum()
        expression = self.spanned(self.one_comparison(left), first)
        if expression is not left and self.comparison_word() is not None and not self.at_line_end():
            raise self.slip('comparisons cannot be chained. Join two with "and": a < b and b < c')
        return expression

    def comparison_word(self) -> Token | None:
        token = self.token
        if token.is_sign("<", "<=", ">", ">=") or token.is_word(
            "is", "contains", "matches", "exists", "starts", "ends", "does"
        ):
            return token
        return None

    def one_comparison(self, left: Expression) -> Expression:
        token = self.comparison_word()
        if token is None:
            return left
        self.take()
        place = place_of(token)
        if token.type != WORD:
            return tree.Compare(place, token.text, False, False, left, self.sum())
        operator, negated = token.text, False
        if operator == "does":
            if not self.take_word("not"):
                raise self.slip("write: does not contain")
            negated = True
            base = self.token
            if base.type != WORD or base.text not in _OPPOSITE_FORMS:
                raise self.slip('after "does not", write contain, start with, end with, match or exist')
            self.take()
            operator = _OPPOSITE_FORMS[base.text].split()[0]
        if operator in ("starts", "ends"):
            if not self.take_word("with"):
                raise self.slip(f"write: {operator} with")
            operator = f"{operator} with"
        elif operator == "is":
            operator, negated = self.after_is()
            if operator == "is" and self.take_word("between"):
                return self.between(place, negated, left)
        if operator in ("is empty", "exists"):
            return tree.Compare(place, operator, negated, False, left, None)
        exactly = self.take_word("exactly") is not None
        return tree.Compare(place, operator, negated, exactly, left, self.sum())

    def after_is(self) -> tuple[str, bool]:
        negated = self.take_word("not") is not None
        if self.take_word("in"):
            return "is in", negated
        if self.take_word("empty"):
            return "is empty", negated
        if self.take_word("missing"):
            return "exists", not negated
        second = self._second_comparison()
        if second:
            right = second if not negated else _NEGATED.get(second, _NOT.get(second, second))
            last = self.following(len(second.split()) - 1) if len(second.split()) > 1 else self.token
            raise self.spanning(f"write only: {right}", self.tokens[self.at - (2 if negated else 1)], last, right)
        for wrong, right in (
            ("equal", "is"),
            ("greater", ">"),
            ("less", "<"),
            ("more", ">"),
            ("before", "<"),
            ("after", ">"),
        ):
            if self.token.is_word(wrong) and not self.following().is_sign("."):
                if self.following().is_word("than", "to") or self.following().type in (NUMBER, DATE):
                    told = self.following() if self.following().is_word("than", "to") else self.token
                    before = self.tokens[self.at - (2 if negated else 1)]
                    right = _NOT.get(right, right) if negated else right
                    raise self.spanning(f"to compare, write: {right}", before, told, right)
        return "is", negated

    def _second_comparison(self) -> str:
        """The comparison that is written after "is", which is one already; nothing for a value. "starts" and "ends" can
        be names.
        """
        token, following = self.token, self.following()
        if token.is_sign("<", ">", "<=", ">=") or token.is_word("contains", "matches", "exists"):
            return token.text
        if token.is_word("starts", "ends") and following.is_word("with"):
            return f"{token.text} with"
        return "does not" if token.is_word("does") and following.is_word("not") else ""

    def sum(self) -> Expression:
        left = self.product()
        while (token := self.operator(self.take_sign("+", "-"))) is not None:
            left = tree.Arithmetic(place_of(token), token.text, left, self.product())
        return left

    def product(self) -> Expression:
        self.no_written_date()
        left = self.signed()
        while (token := self.operator(self.take_sign("*", "/"))) is not None:
            left = tree.Arithmetic(place_of(token), token.text, left, self.signed())
        return left

    def no_written_date(self) -> None:
        """Tells `1/2/2026`, which would be two divisions."""
        one, two, three = self.token, self.following(2), self.following(4)
        slashes = self.following(1).is_sign("/") and self.following(3).is_sign("/")
        if slashes and one.type == two.type == three.type == NUMBER and 4 in (len(one.text), len(three.text)):
            raise self.slip("write a date as year-month-day, such as 2026-02-01")

    def signed(self) -> Expression:
        signs: list[Token] = []
        while (token := self.operator(self.take_sign("-"))) is not None:
            signs.append(token)
        expression = self.postfix()
        for token in reversed(signs):
            expression = tree.Negative(place_of(token), expression)
        return expression

    def postfix(self) -> Expression:
        first = self.at
        expression = self.spanned(self.primary(), first)
        while (dot := self.operator(self.take_sign("."))) is not None:
            word = self.token
            if word.type == TEXT and all(isinstance(part, str) for part in word.parts):
                self.take()
                expression = tree.Dot(place_of(word), expression, "".join(str(part) for part in word.parts), None, True)
                self.spanned(expression, first)
                continue
            if word.type != WORD:
                raise self.slip("after a dot, write a field or an operation", word if not self.at_line_end() else dot)
            self.take()
            arguments = None
            if self.token.is_sign("("):
                arguments = tuple(self.bracketed(word))
            expression = self.spanned(tree.Dot(place_of(word), expression, word.text, arguments), first)
        return expression

    def arguments(self, at_close: Callable[[], bool]) -> list[Argument]:
        result: list[Argument] = []
        while True:
            token = self.token
            if token.type == WORD and self.following().is_sign(":"):
                self.take()
                self.take()
                # A word of the language that is alone is one of those to choose from: if-exists: fail
                choice = self.token
                alone = choice.type == WORD and choice.text in STATEMENTS - FREE and self.following().type != WORD
                if alone and (self.following().is_sign(",") or self.following().is_sign(")")):
                    value: Expression = tree.Name(place_of(self.take()), choice.text)
                else:
                    value = self.expression()
                result.append(Argument(token.text, value, place_of(token)))
            else:
                if result:
                    raise self.slip('only the first argument can omit its name. For example: replace "old", by: "new"')
                exactly = self.take_word("exactly") is not None
                result.append(Argument(None, self.expression(), place_of(token), exactly))
            if at_close():
                return result
            if not self.take_sign(","):
                raise self.unexpected()

    def bracketed(self, opener: Token) -> list[Argument]:
        bracket = self.take()
        if self.take_sign(")"):
            return []
        arguments = self.arguments(lambda: self.token.is_sign(")") or self.at_line_end())
        if not self.take_sign(")"):
            raise self.slip("a closing bracket is missing. Add ) after the last value", bracket)
        return arguments

    def primary(self) -> Expression:
        token = self.token
        place = place_of(token)
        if token.type == NUMBER:
            return self.amount()
        if token.type == TEXT:
            self.take()
            return self.text(token)
        if token.type == DATE:
            self.take()
            return _moment(token, self)
        if token.is_sign("["):
            return self.values()
        if token.is_sign("("):
            self.take()
            inner = self.expression()
            if not self.take_sign(")"):
                raise (
                    self.unexpected() if not self.at_line_end() else self.slip("a closing bracket is missing", token)
                )
            return inner
        if token.type == WORD:
            return self.word()
        if self.at_line_end():
            before = self.tokens[self.at - 1] if self.at else token
            raise self.slip(f'something is missing after "{before.text}"', before)
        if token.is_sign("=", "=="):
            raise self.unexpected()
        if token.is_sign("+"):
            raise self.slip("a number needs no plus sign. Delete it")
        if token.is_sign("+=", "-=", "*=", "/="):
            raise self.unexpected()
        raise Slip(Problem(f'expected a value here, found "{token.text}"', *place))

    def amount(self) -> Expression:
        token = self.take()
        percent = token.text.endswith("%")
        number = Decimal(token.text.removesuffix("%"))
        if len(number.as_tuple().digits) > 28:
            raise self.slip("a number can have up to 28 digits", token)
        if self.token.type == WORD and self.token.text in UNITS:
            amount, unit = UNITS[self.take().text]
            return tree.Constant(place_of(token), amount(number, unit), Type(amount.word))
        return tree.Constant(place_of(token), number.scaleb(-2) if percent else number, NUMBER_TYPE)

    def text(self, token: Token) -> Expression:
        parts: list[str | Expression] = []
        for part in token.parts:
            if isinstance(part, str):
                parts.append(part)
                continue
            if part[0].type == WORD and part[0].text in MARKS and part[1].type == END:
                parts.append(MARKS[part[0].text])
                continue
            if part[0].type == WORD and part[0].text in PRINTED and part[1].type == END:
                parts.append(tree.PrintMark(place_of(part[0]), part[0].text))
                continue
            inner = ExpressionReader(part, self.problems, self.nesting)
            if inner.token.type == END:
                continue  # an empty hole: the lexer told
            parts.append(inner.expression())
            if inner.token.type != END:
                raise inner.unexpected()
        if all(isinstance(part, str) for part in parts):
            return tree.Constant(place_of(token), "".join(str(part) for part in parts), TEXT_TYPE)
        return tree.Text(place_of(token), tuple(parts))

    def values(self) -> Expression:
        bracket = self.take()
        items: list[Expression] = []
        while not self.take_sign("]"):
            if self.at_line_end():
                raise self.slip("the list has no end. Add ] after the last value", bracket)
            items.append(self.expression())
            if not self.token.is_sign("]") and not self.take_sign(","):
                if self.at_line_end():
                    raise self.slip("the list has no end. Add ] after the last value", bracket)
                raise self.slip("a comma is missing between the values of the list")
        return tree.ListOf(place_of(bracket), tuple(items))

    def word(self) -> Expression:
        token = self.take()
        place = place_of(token)
        everyday = advice.value(token, self.token)
        if everyday:
            raise self.slip(everyday, token, advice.value_meant(token))
        if token.text in ("yes", "no"):
            return tree.Constant(place, token.text == "yes", YES_NO)
        if token.text == "nothing":
            return tree.Constant(place, None, NOTHING)
        if token.text in ("today", "now"):
            return tree.Moment(place, token.text)
        if token.text == "count" and self.token.is_sign("("):
            return self.count(token)
        if token.text in GATHERS and self.token.is_sign("("):
            return self.gather(token)
        if token.text == "run" and self.token.is_sign("("):
            return self.run_value(token)
        if token.text in KEYWORDS - FREE:
            raise self.slip(f'"{token.text}" is a word of the language; expected a value here', token)
        if self.token.is_sign("("):
            return tree.Call(place, token.text, tuple(self.bracketed(token)))
        if self.token.type == TEXT:
            raise self.unexpected()
        return tree.Name(place, token.text)

    def run_macro(self, at_close: Callable[[], bool]) -> tree.RunMacro:
        """The title of another macro, and the answers for it."""
        title = self.token
        if title.type != TEXT or any(not isinstance(part, str) for part in title.parts):
            raise self.slip('after run, write the full title of a macro in quotes: run "Seal every sheet"')
        self.take()
        arguments: list[Argument] = []
        if self.take_sign(","):
            arguments = self.arguments(at_close)
            if arguments[0].name is None:
                raise self.slip('an answer for the macro needs its name: run "…", name: value', title)
        return tree.RunMacro(place_of(title), "".join(str(part) for part in title.parts), tuple(arguments))

    def run_value(self, token: Token) -> Expression:
        bracket = self.take()
        macro = self.run_macro(lambda: self.token.is_sign(")") or self.at_line_end())
        self.closed(bracket)
        return tree.RunValue(place_of(token), macro)

    def closed(self, bracket: Token) -> None:
        """Takes the bracket that closes another one."""
        if not self.take_sign(")"):
            raise (
                self.slip("a closing bracket is missing. Add )", bracket) if self.at_line_end() else self.unexpected()
            )

    def gather(self, token: Token) -> Expression:
        bracket = self.take()
        value = self.expression()
        inside = self.expression() if self.take_word("in") else None
        where = self.expression() if self.take_word("where") else None
        self.closed(bracket)
        return tree.Gather(place_of(token), token.text, value, inside, where)

    def between(self, place: Place, negated: bool, value: Expression) -> Expression:
        low = self.sum()
        if not self.take_word("and"):
            raise self.slip("write both ends: is between 1 and 5")
        return tree.Between(place, negated, value, low, self.sum())

    def count(self, token: Token) -> Expression:
        bracket = self.take()
        word = self.name_word("count what? Write: count(sheet) or count(sheet where sheet.hidden)")
        inside = self.expression() if self.take_word("in") else None
        where = self.expression() if self.take_word("where") else None
        if not self.take_sign(")"):
            if self.at_line_end():
                raise self.slip("a closing bracket is missing. Add )", bracket)
            raise self.slip("write: count(sheet where …). For a list, write: names.count")
        return tree.Count(place_of(word), word.text, inside, where)


def _moment(token: Token, reader: ExpressionReader) -> Expression:
    try:
        if "T" in token.text:
            return tree.Constant(place_of(token), datetime.fromisoformat(token.text), TIME)
        return tree.Constant(place_of(token), date.fromisoformat(token.text), DATE_TYPE)
    except ValueError:
        raise reader.slip(f'"{token.text}" is not a calendar date', token) from None
