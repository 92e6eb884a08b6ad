"""Conditions of validations and of conditional formats (OpenDocument 1.3, part 3, 19.600, 20.355), as the attributes
and formulas that other workbooks have for them (ISO/IEC 29500-1, 18.3.1.10, 18.3.1.33), and back.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from scrub.formats.opensheets.formulas import expression, open_expression
from scrub.formats.workbook.formulas.syntax import translated
from scrub.model.core.area import address_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_SORTS = {
    "cell-content-is-whole-number": "whole", "cell-content-is-decimal-number": "decimal",
    "cell-content-is-date": "date", "cell-content-is-time": "time", "cell-content-is-text": "custom",
}  # fmt: skip
_TYPES = {type_: word for word, type_ in _SORTS.items() if type_ != "custom"}
_OPERATORS = {
    "=": "equal", "!=": "notEqual", "<>": "notEqual", "<": "lessThan", ">": "greaterThan", "<=": "lessThanOrEqual",
    ">=": "greaterThanOrEqual",
}  # fmt: skip
_SIGNS = {word: sign for sign, word in reversed(_OPERATORS.items())}
_COMPARED = lazy_pattern(r"(<=|>=|!=|<>|=|<|>)\s*(.*)", re.DOTALL)


class Condition(NamedTuple):
    """A condition: its type, its operator, and its formulas without their equals signs."""

    type: str
    operator: str | None
    formulas: tuple[str, ...]


def arguments_of(text: str) -> list[str]:
    """The arguments between the parentheses of a call, as they are written."""
    found, depth, quote, bracket, current = [], 0, False, 0, ""
    for letter in text:
        if letter == '"' and not bracket:
            quote = not quote
        elif not quote:
            bracket += (letter == "[") - (letter == "]")
            depth += (letter in "({") - (letter in ")}")
        if letter in ";," and not quote and not depth and not bracket:
            found.append(current.strip())
            current = ""
        else:
            current += letter
    return [*found, current.strip()] if current.strip() or found else []


def _call(text: str) -> tuple[str, str] | None:
    match = re.fullmatch(r"\s*([\w-]+)\((.*)\)\s*", text, re.DOTALL)
    return (match[1], match[2]) if match is not None else None


def validation_of(written: str) -> Condition:
    """The condition of a validation."""
    text = re.sub(r"^[A-Za-z_][\w.-]*:(?!=)", "", written.strip())
    type_ = "custom"
    first, mark, rest = _and(text)
    sort = _call(first)
    if sort is not None and sort[0] in _SORTS:
        type_ = _SORTS[sort[0]]
        if not mark:
            return Condition(type_, None, ())
        text = rest
    call = _call(text)
    if call is not None:
        word, inside = call
        arguments = arguments_of(inside)
        if word == "cell-content-is-in-list":
            return Condition("list", None, (_listed(arguments),))
        if word == "is-true-formula":
            return Condition("custom", None, (expression(inside),))
        for prefix, operator in (("is-between", "between"), ("is-not-between", "notBetween")):
            if word in (f"cell-content-{prefix}", f"cell-content-text-length-{prefix}"):
                length = "text-length" in word
                return Condition("textLength" if length else type_, operator, tuple(map(expression, arguments)))
    for word, of in (("cell-content-text-length()", "textLength"), ("cell-content()", type_)):
        if text.startswith(word):
            match = _COMPARED.fullmatch(text[len(word) :].strip())
            if match is not None:
                return Condition(of, _OPERATORS[match[1]], (expression(match[2]),))
    return Condition("custom", None, (expression(text),))


def _and(text: str) -> tuple[str, str, str]:
    """What is before the first `and` between two conditions, and after it."""
    match = re.match(r"(\s*cell-content-is-[a-z-]+\(\))\s+and\s+(.*)", text, re.DOTALL)
    if match is None:
        return text, "", ""
    return match[1], "and", match[2]


def _listed(arguments: Sequence[str]) -> str:
    """The choices of a list, or the range that has them."""
    if all(each.startswith('"') and each.endswith('"') and len(each) > 1 for each in arguments):
        return '"' + ",".join(each[1:-1] for each in arguments) + '"'
    return expression(arguments[0]) if len(arguments) == 1 else ",".join(map(expression, arguments))


def written_validation(condition: Condition) -> str:
    """A condition as a validation has it, without the prefix of its grammar."""
    formulas = [each if each.startswith('"') and condition.type == "list" else open_expression(each)
                for each in condition.formulas]  # fmt: skip
    if condition.type == "list":
        first = formulas[0]
        if first.startswith('"'):
            first = ";".join(f'"{each}"' for each in first[1:-1].split(","))
        return f"cell-content-is-in-list({first})"
    if condition.type == "custom":
        return f"is-true-formula({formulas[0]})"
    subject = "cell-content-text-length" if condition.type == "textLength" else "cell-content"
    operator = condition.operator or "between"
    if not formulas:
        return f"{_TYPES[condition.type]}()"
    if operator in ("between", "notBetween") and len(formulas) > 1:
        word = "is-between" if operator == "between" else "is-not-between"
        said = f"{subject}-{word}({formulas[0]},{formulas[1]})"
    else:
        said = f"{subject}(){_SIGNS[operator]}{formulas[0]}"
    return said if condition.type == "textLength" else f"{_TYPES[condition.type]}() and {said}"


# -- conditional formats

_TEXTS = {
    "contains-text": "containsText", "not-contains-text": "notContainsText", "begins-with": "beginsWith",
    "ends-with": "endsWith",
}  # fmt: skip
_TEXTS_BACK = {type_: word for word, type_ in _TEXTS.items()}
_PLAIN = {
    "duplicate": "duplicateValues", "unique": "uniqueValues", "above-average": "aboveAverage",
    "is-error": "containsErrors", "is-no-error": "notContainsErrors",
}  # fmt: skip


class Highlight(NamedTuple):
    """The condition of a conditional format: the attributes of its rule, and its formulas."""

    attributes: dict[str, str]
    formulas: tuple[str, ...]


def highlight_of(written: str) -> Highlight:
    """A condition as an attribute of newer programs has it, or of a style (20.355)."""
    text = re.sub(r"^[A-Za-z_][\w.-]*:(?!=)", "", written.strip())
    match = _COMPARED.fullmatch(text)
    if match is not None:
        return Highlight({"type": "cellIs", "operator": _OPERATORS[match[1]]}, (expression(match[2]),))
    if text.startswith("cell-content()"):
        return highlight_of(text[len("cell-content()") :])
    call = _call(text)
    if call is not None:
        word, inside = call
        arguments = arguments_of(inside)
        if word in ("formula-is", "is-true-formula"):
            return Highlight({"type": "expression"}, (expression(inside),))
        if word.removeprefix("cell-content-is-") in ("between", "not-between"):
            between = "notBetween" if "not-between" in word else "between"
            return Highlight({"type": "cellIs", "operator": between}, tuple(map(expression, arguments)))
        if word in _TEXTS and arguments:
            said = arguments[0]
            said = said[1:-1].replace('""', '"') if said.startswith('"') else said
            return Highlight({"type": _TEXTS[word], "text": said}, ())
        if word in ("top-elements", "bottom-elements", "top-percent", "bottom-percent"):
            of = {"type": "top10", "rank": arguments[0] if arguments else "10"}
            return Highlight({**of, **({"bottom": "1"} if "bottom" in word else {})}, ())
    return Highlight({"type": _PLAIN.get(text, "other")}, ())


def written_highlight(attributes: dict[str, str], formulas: Sequence[str]) -> str | None:
    """A condition as newer programs have it; None for one that has no counterpart."""
    type_ = attributes.get("type", "")
    if type_ == "cellIs":
        operator = attributes.get("operator", "equal")
        written = [open_expression(each) for each in formulas]
        if operator in ("between", "notBetween"):
            return f"{'between' if operator == 'between' else 'not-between'}({written[0]},{written[1]})"
        return f"{_SIGNS[operator].replace('<>', '!=')}{written[0]}"
    if type_ == "expression":
        return f"formula-is({open_expression(formulas[0])})"
    if type_ in _TEXTS_BACK:
        said = attributes.get("text", "").replace('"', '""')
        return f'{_TEXTS_BACK[type_]}("{said}")'
    return {of: word for word, of in _PLAIN.items()}.get(type_)


def based(formulas: Sequence[str], was: tuple[int, int] | None, now: tuple[int, int]) -> tuple[str, ...]:
    """Formulas that were written for one cell, as they read for another."""
    if was is None or was == now:
        return tuple(formulas)
    down, right = now[0] - was[0], now[1] - was[1]
    return tuple(each if each.startswith('"') else translated(each, down, right) for each in formulas)


def cell_name(place: tuple[int, int]) -> str:
    """The address of a cell."""
    return address_of(*place)
