"""The whole script: what it imports, a function for each macro, and a small command line."""

from __future__ import annotations

from decimal import Decimal

from scrub.language import tree
from scrub.language.program import Program
from scrub.language.python.code import WIDTH, called, laid_out, quoted
from scrub.language.python.statements import lines_of
from scrub.language.python.writing import Script, Writing
from scrub.model.core.host import Question
from scrub.model.core.python_names import operation_name, python_name
from scrub.model.vocabulary import Vocabulary

#: The helpers that are not operations.
_HELPERS = frozenset(
    "added amount answered asked_of at_least at_most average_of contains divided empty ends_with in_order_by "
    "largest_of less matches more negative now one_of path path_from_data same shown smallest_of starts_with taken "
    "times total_of values_in whole yes".split()
)
#: The annotations of answers.
_ANSWERS = {"number": ("decimal", "Decimal"), "date": ("datetime", "date")}


def as_python(program: Program, vocabulary: Vocabulary) -> str:
    """A macro as a Python script with the same result. Raises `BadCall` for a macro that has no form in Python."""
    macro = program.macro
    script = Script(vocabulary, _HELPERS | {operation_name(word) for _, word in vocabulary.operations})
    _written(program, script, macro.for_all)
    # What is needed is known now: names of the macro give way to that only.
    script = Script(vocabulary, frozenset(script.imports.get("scrub.words", ())))
    called_so = _written(program, script, macro.for_all)
    into = f", into={quoted(macro.into)}" if macro.into else ""
    script.imports.setdefault("", set()).update(("sys", "scrub"))
    lines = [*_imports(script), ""]
    for function in script.functions:
        lines += ["", *function, ""]
    lines += ["", 'if __name__ == "__main__":', f"    sys.exit(scrub.main({called_so}{into}))"]
    return "\n".join(lines) + "\n"


def _imports(script: Script) -> list[str]:
    """What it imports: the standard library, then Scrub."""
    found = ["from __future__ import annotations", "", "import sys"]
    for module in sorted(set(script.imports) - {"", "scrub.words"}):
        found.append(f"from {module} import {', '.join(sorted(script.imports[module], key=_import_order))}")
    found += ["", "import scrub"]
    words = ", ".join(sorted(script.imports.get("scrub.words", ())))
    if words:
        line = f"from scrub.words import {words}"
        found += [line] if len(line) <= WIDTH else ["from scrub.words import (", *_in_lines(words), ")"]
    return found


def _import_order(name: str) -> tuple[bool, str]:
    """Classes before functions, as the usual tools sort them."""
    return (not name[:1].isupper(), name)


def _in_lines(words: str) -> list[str]:
    return [f"    {word}," for word in words.split(", ")]


def _written(program: Program, script: Script, all_files: bool = False) -> str:
    """Writes a macro as a function; gives its name. One for several kinds is one function where it means the same on
    each of them.
    """
    kinds = program.macro.runs_on if all_files else [kind for kind in program.macro.runs_on if kind != "nothing"]
    variants = list(program.variants.items())
    if len(variants) < 2:
        return _function(program, script, kinds, all_files)
    names = {kind: Script(script.vocabulary, script.helpers) for kind, _ in variants}
    texts = {kind: "\n".join(_trial(variant, names[kind])) for kind, variant in variants}
    if len(set(texts.values())) == 1:
        return _function(variants[0][1], script, [kind for kind, _ in variants], False)
    inner = {kind: _function(variant, script, [kind], False, kind) for kind, variant in variants}
    return _dispatch(program, script, inner)


def _dispatch(program: Program, script: Script, inner: dict[str, str]) -> str:
    """Writes the function that calls the one for the kind of its file; gives its name."""
    name = script.function_name(program.title)
    on = Writing(program, script, lambda node: "")
    first = _first(on, program, list(inner), False)
    names = [on.names.get(question.name) or python_name(question.name) for question in program.questions]
    given = [*first, *(["*", *(_argument(on, question) for question in program.questions)] if names else [])]
    gives = script.use("typing", "Any") if program.gives is not None else "None"
    lines = [*laid_out(f"def {name}({', '.join(given)}) -> {gives}:", 0), *_docstring(program)]
    for place, (kind, function) in enumerate(inner.items()):
        test = f"isinstance(file, scrub.{script.vocabulary.kinds[kind].cls.__name__})"
        lines.append(f"    {'elif' if place else 'if'} {test}:")
        call = called(function, "file", *(f"{each}={each}" for each in names)).text
        lines += laid_out(f"return {call}" if program.gives is not None else call, 2)
    script.functions.append(lines)
    return name


def _trial(program: Program, script: Script) -> list[str]:
    """A function as it would be on some kind of file, to be compared with others."""
    on = Writing(program, script, lambda node: _written(node_program(program, node), script))
    _enter(on, "file", "file", program)
    return [*lines_of(on, 1), *(line for function in script.functions for line in function)]


def _enter(on: Writing, name: str, kind: str, program: Program) -> None:
    """Lets the first argument be the file."""
    on.items[program.start_slot] = name
    on.live.append(name)
    on.kinds[name] = kind


def node_program(program: Program, node: tree.RunMacro) -> Program:
    """The macro that a statement runs."""
    inner: Program = program.means[node].program
    return inner


def _function(program: Program, script: Script, kinds: list[str], all_files: bool, kind: str = "") -> str:
    """Writes one function; gives its name."""
    name = script.known.get((program.text, "|".join(kinds)))
    if name is not None:
        return name
    title = f"{program.title} on {kind}" if kind else program.title
    name = script.known[program.text, "|".join(kinds)] = script.function_name(title)
    on = Writing(program, script, lambda node: _written(node_program(program, node), script))
    first = _first(on, program, kinds, all_files)
    questions = [_argument(on, question) for question in program.questions]
    given = [*first, *(["*", *questions] if questions else [])]
    gives = script.use("typing", "Any") if program.gives is not None else "None"
    body = lines_of(on, 1)
    if program.selection_slot >= 0:
        root = program.macro.runs_on[0] if program.macro.runs_on else ""
        chosen = script.vocabulary.kinds[root].selection if root in script.vocabulary.kinds else ""
        hint = f": scrub.{script.vocabulary.kinds[chosen].cls.__name__}" if chosen else ""
        body = [f"    selection{hint} = scrub.selection()", *body]
    lines = [*laid_out(f"def {name}({', '.join(given)}) -> {gives}:", 0), *_docstring(program), *body]
    script.functions.append(lines)
    return name


def _first(on: Writing, program: Program, kinds: list[str], all_files: bool) -> list[str]:
    """The first argument: the file, the item, or all files."""
    known = on.vocabulary.kinds
    hint = " | ".join(f"scrub.{known[kind].cls.__name__}" for kind in kinds)
    if all_files:
        on.items[program.picked_slot] = "picked"
        on.live.append("picked")
        return [f"picked: list[{hint}]"]
    if not kinds:
        return []
    word = program.macro.called.get(kinds[0], kinds[0]) if len(kinds) == 1 else "file"
    name = on.new_item(word, kinds[0])
    _enter(on, name, kinds[0], program)
    return [f"{name}: {hint}"]


def _argument(on: Writing, question: Question) -> str:
    """A question as an argument, with its prompt."""
    name = on.names.get(question.name) or python_name(question.name)
    if question.secret:
        hint = "scrub.NewSecret" if question.twice else "scrub.Secret"
    elif question.choices and all(isinstance(each, str) for each in question.choices):
        literal = on.script.use("typing", "Literal")
        hint = f"{literal}[{', '.join(quoted(str(each)) for each in question.choices)}]"
    elif question.choices and all(isinstance(each, Decimal) for each in question.choices):
        hint = on.script.use("decimal", "Decimal")
    elif question.type == "yes-no":
        hint = "bool"
    else:
        module, hint = _ANSWERS.get(question.type, ("", "str"))
        hint = on.script.use(module, hint) if module else hint
    annotated = on.script.use("typing", "Annotated")
    default = ""
    if question.default is not None:
        value = on.constant(question.default).text
        default = (
            f" = {called('Decimal', value).text}"
            if hint == "Decimal" and value.lstrip("-").isdigit()
            else f" = {value}"
        )
    return f"{name}: {annotated}[{hint}, {quoted(question.prompt)}]{default}"


def _docstring(program: Program) -> list[str]:
    """The title, and what the macro is about."""
    macro = program.macro
    texts = [_plain(macro.title.rstrip(".") + "."), *map(_plain, macro.about)]
    if len(texts) == 1:
        return [f'    """{texts[0]}"""']
    lines = [f'    """{texts[0]}', ""]
    for text in texts[1:]:
        lines += laid_out(text, 1)
    return [*lines, '    """']


def _plain(text: str) -> str:
    """A text for a docstring."""
    return text.replace("\\", "\\\\").replace('"""', "'''").replace('"', "'" if text.endswith('"') else '"')
