"""Statements of macros as Python."""

from __future__ import annotations

import re

import scrub.language.python.values  # noqa: F401 - marks those for expressions
from scrub.language import tree
from scrub.language.node_table import NodeTable
from scrub.language.python.code import SUM, UNARY, WIDTH, called, laid_out, quoted
from scrub.language.python.inferred import Sort
from scrub.language.python.values import arguments, both, condition, heading, number, or_none, visited
from scrub.language.python.writing import Loop, Writing, cannot
from scrub.language.tree import Block, Expression
from scrub.language.walk import statements
from scrub.model.core.python_names import python_name

#: A line with how many blocks deeper it is.
Line = tuple[int, str]
Lines = list[Line]

STATEMENTS: NodeTable[Writing, Lines] = NodeTable()
writes = STATEMENTS.of


def block(on: Writing, body: Block, end: int = 0) -> Lines:
    """The statements of a block with their comments; `end` is the line that ends it."""
    found: Lines = []
    for node in body:
        first = node.extent.line
        found += _before(on, first, bool(found))
        lines = STATEMENTS[type(node)](on, node)
        comment = on.program.macro.comments.get(first)
        if comment and lines:
            on.told.add(first)
            lines = _commented(comment, lines)
        found += lines
    if end:
        found += _before(on, end, False)
    return found


def _commented(comment: str, lines: Lines) -> Lines:
    """The lines of a statement with the comment on its first line: behind it where there is room."""
    depth, text = lines[0]
    text_with = f"{text}  # {_plain(comment)}"
    if len(text_with) + 4 * depth + 24 <= 88:
        return [(depth, text_with), *lines[1:]]
    return [(depth, f"# {_plain(comment)}"), *lines]


def _before(on: Writing, line: int, follows: bool) -> Lines:
    """The blank lines and comments above a line that were not told yet."""
    found: Lines = []
    read = on.program.macro.read
    start = line
    while start - 1 in read and not read[start - 1].tokens and start - 1 not in on.told:
        start -= 1
    for each in range(start, line):
        on.told.add(each)
        comment = read[each].comment
        if comment:
            found.append((0, f"# {_plain(comment)}"))
        elif (follows or found) and (not found or found[-1][1]):
            found.append((0, ""))
    return found


def _plain(comment: str) -> str:
    return comment.lstrip("#").strip()


def deeper(lines: Lines) -> Lines:
    """The lines one block deeper; a block without statements says so."""
    lines = lines if any(text and not text.startswith("#") for _, text in lines) else [*lines, (0, "pass")]
    while lines and not lines[-1][1]:
        lines = lines[:-1]
    return [(depth + 1, text) for depth, text in lines]


# -- names and fields


@writes(tree.SetName)
def _setname(on: Writing, node: tree.SetName) -> Lines:
    name, value = on.names[node.word], node.value
    if isinstance(value, tree.Call) and value.word in ("ask", "secret"):
        return _asked(on, node.word, name)
    if not any(each.word == node.word for each in on.read):
        return _unread(on, value)
    if isinstance(value, tree.RunValue):
        return [(0, f"{_annotated(on, node.word, name)} = {_run(on, value.run)}")]
    if _may_be_missing(on, value):
        return [(0, f"{_annotated(on, node.word, name)} = {or_none(on, value).text}")]
    if isinstance(value, tree.Arithmetic) and _is_name(value.left, node.word) and value.operator in "+-":
        if on.inferred.numbers(value.left, value.right):
            return [(0, f"{name} {value.operator}= {number(on, value.right, SUM)}")]
    added = _appended(on, node)
    if added is not None:
        return [(0, f"{name}.append({on.text(added)})")]
    text = on.text(value)
    if on.means[node].pairs:
        text += ".copied()"
    if on.inferred.names[node.word].name == "Decimal" and on.inferred.sort(value).name == "int":
        decimal = on.script.use("decimal", "Decimal")
        text = called(decimal, text).text
    return [(0, f"{_annotated(on, node.word, name)} = {text}")]


def _unread(on: Writing, value: Expression) -> Lines:
    """A value that nobody reads: what it does is done all the same."""
    if isinstance(value, tree.RunValue):
        return [(0, _run(on, value.run))]
    if isinstance(value, tree.Call) and value.word != "pairs" and not _may_be_missing(on, value):
        return [(0, on.text(value))]
    return [] if isinstance(value, tree.Constant) else [(0, f"_ = {on.text(value)}")]


def _asked(on: Writing, word: str, name: str) -> Lines:
    """An answer is an argument; one that is more than a text is read here."""
    question = next(each for each in on.program.questions if each.name == word)
    if question.type in ("colour", "address", "file", "folder") and not question.secret:
        read = f"{name} = {on.helper('answered', name, quoted(question.type)).text}"
        if question.default is None:
            return [(0, read)]
        return [(0, f"if {name} != {on.constant(question.default).text}:"), (1, read)]
    return []


def _annotated(on: Writing, word: str, name: str) -> str:
    """A name where it gets a value: what it holds is said once, unless a reader sees it."""
    sort = on.inferred.names.get(word, Sort("Any", False))
    asked = any(question.name == word for question in on.program.questions)
    if word in on.annotated or asked:
        return name
    on.annotated.add(word)
    plain = sort.sure and sort.name in ("int", "Decimal", "str", "bool", "date", "datetime", "pairs")
    if plain:
        return name
    if sort == Sort("list"):
        return f"{name}: list[{on.script.use('typing', 'Any')}]"
    if sort == Sort("item") and len(_kinds_of(on, word)) == 1:
        return name
    return f"{name}: {on.script.use('typing', 'Any')}"


def _kinds_of(on: Writing, word: str) -> set[str]:
    """The kinds of the items that a name ever holds; an empty word for what may be missing."""
    every = [node for node in statements(on.program.macro.body) if isinstance(node, tree.SetName) and node.word == word]
    return {"" if _may_be_missing(on, node.value) else _kind(on, node.value) for node in every}


def _kind(on: Writing, node: Expression) -> str:
    call = node.word if isinstance(node, tree.Call) else ""
    files = ("open", "new-file", "copy-of", "new-message")
    return "" if call in files or isinstance(node, tree.RunValue) else on.inferred.type(node).word


def _may_be_missing(on: Writing, node: Expression) -> bool:
    lookup = on.means[node].lookup if isinstance(node, tree.Dot) else node
    return isinstance(lookup, tree.Call) and on.means[lookup].may_be_missing and not on.means[lookup].pairs


def _is_name(node: Expression, word: str) -> bool:
    return isinstance(node, tree.Name) and node.word == word


def _appended(on: Writing, node: tree.SetName) -> Expression | None:
    """What a list is made longer by, where nothing else can see that list."""
    dot = node.value
    if on.attempts or not isinstance(dot, tree.Dot) or dot.word != "with" or not _is_name(dot.target, node.word):
        return None
    given = dot.arguments or ()
    if on.inferred.names[node.word] != Sort("list") or len(given) != 1 or given[0].name or given[0].exactly:
        return None
    for each in statements(on.program.macro.body):
        for expression in tree.children(each):
            if isinstance(expression, Expression) and _lends(expression, node.word):
                return None
    return given[0].value


def _lends(node: Expression, word: str) -> bool:
    """Whether an expression gives the very list of a name to something else."""
    if _is_name(node, word):
        return True
    if isinstance(node, tree.Dot) and _is_name(node.target, word):
        return any(_lends(argument.value, word) for argument in node.arguments or ())
    if isinstance(node, tree.Text | tree.Compare):
        return False
    return any(_lends(child, word) for child in tree.children(node) if isinstance(child, Expression))


@writes(tree.SetPair)
def _setpair(on: Writing, node: tree.SetPair) -> Lines:
    target, value = on.text(node.target), node.value
    if isinstance(value, tree.Arithmetic) and value.operator in "+-" and isinstance(value.left, tree.Call):
        if on.text(value.left) == target and on.inferred.numbers(value.left, value.right):
            return [(0, f"{target} {value.operator}= {number(on, value.right, SUM)}")]
    return [(0, f"{target} = {on.given(value)}")]


@writes(tree.SetField)
def _setfield(on: Writing, node: tree.SetField) -> Lines:
    dot, value = node.target, on.given(node.value)
    target = on.text(dot.target, UNARY)
    place = f"[{heading(dot)}]" if on.inferred.is_heading(dot) else f".{python_name(dot.word)}"
    return [(0, f"{target}{place} = {value}")]


@writes(tree.Do)
def _do(on: Writing, node: tree.Do) -> Lines:
    means = on.means[node]
    assert means.action is not None
    given = arguments(on, means.action, means.bound, node.arguments)
    return [(0, called(f"{on.items[means.base]}.{python_name(node.word)}", *given).text)]


# -- blocks


@writes(tree.If)
def _if(on: Writing, node: tree.If) -> Lines:
    test, body = node.branches[-1]
    inner = _lone_if(on, body) if not node.otherwise else None
    branches = list(node.branches)
    while inner is not None:
        test = tree.Both(node.place, "and", test, inner.branches[0][0])
        body = inner.branches[0][1]
        branches[-1] = test, body
        inner = _lone_if(on, body)
    found: Lines = []
    lines = node.extent.end_line
    for place, (test, body) in enumerate(branches):
        last = 0 if node.otherwise else lines
        end = branches[place + 1][0].extent.line if place + 1 < len(branches) else last
        head = f"{'elif' if found else 'if'} {condition(on, test).text}:"
        found += [(0, head), *deeper(block(on, body, end))]
    if node.otherwise:
        found += [(0, "else:"), *deeper(block(on, node.otherwise, lines))]
    return found


@writes(tree.In)
def _in(on: Writing, node: tree.In) -> Lines:
    slot, end = on.means[node].slot, node.extent.end_line
    if slot < 0:
        return [(0, on.text(node.item)), *block(on, node.body, end)]
    kind = on.inferred.type(node.item).word
    known = _known_item(on, node.item)
    if known:
        on.kinds.setdefault(known, kind)
        with on.item(slot, known):
            return block(on, node.body, end)
    only = node.body[0] if len(node.body) == 1 else None
    if isinstance(only, tree.Do) and on.means[only].base == slot and _uses(on, only, slot) == 1:
        on.kinds[item := on.text(node.item, UNARY)] = kind
        with on.item(slot, item):
            return block(on, node.body, end)
    name = on.new_item(kind, kind)
    item = on.text(node.item)
    with on.item(slot, name):
        lines = block(on, node.body, end)
    return [(0, f"{name} = {item}" if _mentions(lines, name) else item), *lines]


def _mentions(lines: Lines, name: str) -> bool:
    """Whether a name is used in some lines."""
    return any(re.search(rf"(?<![.\w]){name}\b(?!=[^=])", text) for _, text in lines)


def _known_item(on: Writing, node: Expression) -> str:
    """The name of an item that has one, and keeps it inside the block."""
    if not isinstance(node, tree.Name) or on.means[node].implied:
        return ""
    if on.means[node].slot in on.items:
        return on.items[on.means[node].slot]
    return on.names.get(node.word, "")


def _uses(on: Writing, node: tree.Node, slot: int) -> int:
    """How often an item is meant inside."""
    means = on.means
    here = 0
    if isinstance(node, tree.Name):
        here = means[node].slot == slot
    elif isinstance(node, tree.Call | tree.Do | tree.Count | tree.Gather | tree.Each):
        here = means[node].base == slot
    return here + sum(_uses(on, child, slot) for child in tree.children(node))


@writes(tree.Attempt)
def _attempt(on: Writing, node: tree.Attempt) -> Lines:
    read = {each.word for each in on.read}
    kept = sorted(on.names[word] for word in _set_in(node.body) & on.means[node].before & read)
    found: Lines = []
    on.tries += 1
    tail = f"_{on.tries}" if on.tries > 1 else ""
    before, tried = f"before{tail}", f"tried{tail}"
    if kept:
        found.append((0, f"{before} = {', '.join(kept)}"))
    on.attempts += 1
    found += [(0, f"with scrub.attempt() as {tried}:"), *deeper(block(on, node.body))]
    on.attempts -= 1
    handler = block(on, node.handler, node.extent.end_line)
    first: Lines = [(0, f"{', '.join(kept)} = {before}")] if kept else []
    if "problem" in read:
        first.append((0, f"{on.names['problem']} = {tried}.problem"))
    if first or handler:
        found += [(0, f"if {tried}.failed:"), *deeper(first + handler)]
    return found


def _set_in(body: Block) -> set[str]:
    """The names that get a value inside."""
    found: set[str] = set()
    for node in statements(body):
        if isinstance(node, tree.SetName):
            found.add(node.word)
        elif isinstance(node, tree.Each):
            found |= {word for word in (node.counter, node.word) if word}
        elif isinstance(node, tree.Times) and node.alias:
            found.add(node.alias)
    return found


# -- loops


@writes(tree.Each)
def _each(on: Writing, node: tree.Each) -> Lines:
    means = on.means[node]
    if means.items:
        name = on.new_item(node.alias or node.word, node.word)
        items = visited(on, node.word, node.inside, means.base)
        if _may_be_broken(on, node):
            items += ".readable()"
    else:
        assert node.inside is not None
        name = on.names[node.word]
        items = _values(on, node)
        on.annotated.add(node.word)
        on.kinds.setdefault(name, "")
    with on.item(means.slot, name):
        return _loop(on, name, lambda: _each_lines(on, node, name, items))


def _may_be_broken(on: Writing, node: tree.Each) -> bool:
    """Whether a loop opens files and leaves out those that cannot be opened: it tries something with each."""
    apart = any(node.word in kind.holds and node.word not in kind.enters for kind in on.vocabulary.kinds.values())
    return apart and not node.orders and any(isinstance(each, tree.Attempt) for each in node.body)


def _values(on: Writing, node: tree.Each) -> str:
    """The values of a list, which a loop goes through as they are when it begins."""
    assert node.inside is not None
    text = on.text(node.inside).removesuffix(".keys()")
    if on.inferred.sort(node.inside).name != "list" and not _is_picked(on, node.inside):
        return (
            text
            if on.inferred.sort(node.inside.target if isinstance(node.inside, tree.Dot) else node.inside).name
            == "pairs"
            else on.helper("values_in", text).text
        )
    changed = isinstance(node.inside, tree.Name) and node.inside.word in _set_in(node.body)
    return f"list({text})" if changed else text


def _is_picked(on: Writing, node: Expression) -> bool:
    return isinstance(node, tree.Name) and on.means[node].slot == on.program.picked_slot


def _each_lines(on: Writing, node: tree.Each, name: str, items: str) -> Lines:
    where, body = node.where, node.body
    test = condition(on, where) if where is not None else None
    end = node.extent.end_line
    if node.orders:
        found = f"({name} for {name} in {items} if {test.text})" if test is not None else items
        items, test = _ordered(on, node, name, found), None
    elif node.counter is not None and test is not None:
        items, test = f"({name} for {name} in {items} if {test.text})", None
    names = name
    if node.counter is not None:
        items, names = f"enumerate({items}, 1)", f"{on.names[node.counter]}, {name}"
    inner = _lone_if(on, body) if test is not None else None
    if test is None:
        lines = deeper(block(on, body, end))
    else:
        while inner is not None:
            (other, body), end = inner.branches[0], inner.extent.end_line
            test, inner = both(test, condition(on, other)), _lone_if(on, body)
        lines = deeper([(0, f"if {test.text}:"), *deeper(block(on, body, end))])
    return [(0, f"for {', '.join(_unused(on, each, lines) for each in names.split(', '))} in {items}:"), *lines]


def _unused(on: Writing, name: str, lines: Lines) -> str:
    """The name of what a loop sets, with a line before it if nothing in the loop uses it."""
    read = any(on.names.get(each.word) == name for each in on.read)
    return name if read or _mentions(lines, name) else f"_{name}"


def _lone_if(on: Writing, body: Block) -> tree.If | None:
    """A condition that is all there is in a loop, without a comment of its own."""
    only = body[0] if len(body) == 1 else None
    lone = isinstance(only, tree.If) and len(only.branches) == 1 and not only.otherwise
    if not isinstance(only, tree.If) or not lone:
        return None
    read = on.program.macro.read
    first = only.extent.line
    return None if read[first].comment or (first - 1 in read and not read[first - 1].tokens) else only


def _ordered(on: Writing, node: tree.Each, name: str, items: str) -> str:
    """The items in an order; the keys are functions, which take what loops around set as defaults."""
    keys, downwards = [], []
    for place, order in enumerate(node.orders, 1):
        text = on.text(order.by)
        bound = on.bound(text, name)
        keys.append(f"lambda {name}, {bound}: {text}" if bound else f"lambda {name}: {text}")
        downwards += [str(place)] if order.descending else []
    tail = [f"descending=[{', '.join(downwards)}]"] if downwards else []
    return on.helper("in_order_by", items, *keys, *tail).text


def _loop(on: Writing, name: str, write: object) -> Lines:
    """A loop; one that is left for an outer one says so by a name."""
    assert callable(write)
    loop = Loop(name)
    on.loops.append(loop)
    on.bound_loops.append(name)
    lines: Lines = write()
    on.bound_loops.pop()
    on.loops.pop()
    for flag, how in loop.after:
        if how == "continue":
            lines.insert(0, (0, f"{flag} = False"))
        lines += [(0, f"if {flag}:"), (1, how)]
    return lines


@writes(tree.Times)
def _times(on: Writing, node: tree.Times) -> Lines:
    sort = on.inferred.sort(node.times)
    count = on.value(node.times) if sort == Sort("int") else on.helper("whole", on.text(node.times))
    name = on.names[node.alias] if node.alias else "_"
    plus = f"{int(count.text) + 1}" if count.text.isdigit() else f"{count.within(SUM)} + 1"
    counted = f"1, {plus}" if node.alias else count.text

    def write() -> Lines:
        lines = deeper(block(on, node.body, node.extent.end_line))
        return [(0, f"for {_unused(on, name, lines) if node.alias else name} in range({counted}):"), *lines]

    return _loop(on, name, write)


@writes(tree.While)
def _while(on: Writing, node: tree.While) -> Lines:
    head = f"while {condition(on, node.condition).text}:"
    return _loop(on, "_", lambda: [(0, head), *deeper(block(on, node.body, node.extent.end_line))])


@writes(tree.Skip)
def _skip(on: Writing, node: tree.Skip) -> Lines:
    depth = on.means[node].depth
    if not depth:
        return [(0, "continue")]
    target = on.loops[-1 - depth]
    if not target.flag:
        target.flag = f"next_{target.item}"
    for place in range(1, depth + 1):
        left = on.loops[-place]
        how = "continue" if place == depth else "break"
        if (target.flag, how) not in left.after:
            left.after.append((target.flag, how))
    return [(0, f"{target.flag} = True"), (0, "break")]


@writes(tree.Leave)
def _leave(on: Writing, node: tree.Leave) -> Lines:
    return [(0, "break")]


# -- what is told, and the end


@writes(tree.Say)
def _say(on: Writing, node: tree.Say) -> Lines:
    return [(0, called(f"scrub.{node.word}", on.text(node.text)).text)]


@writes(tree.Fail)
def _fail(on: Writing, node: tree.Fail) -> Lines:
    text = on.text(node.text)
    text = text if on.inferred.sort(node.text) == Sort("str") else on.helper("shown", text).text
    return [(0, f"raise scrub.Failure({text})")]


@writes(tree.Finish)
def _finish(on: Writing, node: tree.Finish) -> Lines:
    said: Lines = [] if node.text is None else [(0, f"scrub.say({on.text(node.text)})")]
    return [*said, (0, "return None" if on.program.gives is not None else "return")]


@writes(tree.Give)
def _give(on: Writing, node: tree.Give) -> Lines:
    return [(0, f"return {on.text(node.value)}")]


def _run(on: Writing, node: tree.RunMacro) -> str:
    """Another macro as a function of the same script."""
    means = on.means[node]
    inner = means.program
    given = [on.items[means.base]] if means.base >= 0 else []
    questions = {question.name: question for question in inner.questions}
    for argument in node.arguments:
        question = questions[argument.name or ""]
        value = on.text(argument.value)
        text = on.inferred.sort(argument.value)
        if question.choices or (text.name in ("str", "Any") and question.type != "text" and not question.secret):
            more = [quoted(question.type)] if question.type != "text" or question.choices else []
            more += [f"({', '.join(on.constant(each).text for each in question.choices)},)"] if question.choices else []
            value = on.helper("answered", value, *more).text
        given.append(f"{python_name(question.name)}={value}")
    names = {
        slot: question.name for question, slot in zip(on.program.questions, on.program.question_slots, strict=True)
    }
    inside = {slot: each.name for each, slot in zip(inner.questions, inner.question_slots, strict=True)}
    for own, outer in means.asked:
        given.append(f"{python_name(inside[own])}={on.names.get(names[outer]) or python_name(names[outer])}")
    return called(on.others(node), *given).text


@writes(tree.RunMacro)
def _runmacro(on: Writing, node: tree.RunMacro) -> Lines:
    return [(0, _run(on, node))]


@writes(tree.Stray)
def _stray(on: Writing, node: tree.Stray) -> Lines:
    raise cannot("a line that does nothing")


@writes(tree.Broken)
def _broken(on: Writing, node: tree.Broken) -> Lines:
    raise cannot("a line that cannot be read")


def lines_of(on: Writing, depth: int) -> list[str]:
    """The body of a function."""
    found = block(on, on.program.macro.body, len(on.program.macro.lines) + 1)
    while found and found[-1][1] in ("return", ""):
        found.pop()
    return [line for inner, text in _short(found, depth) for line in (laid_out(text, inner + depth) if text else [""])]


def _short(lines: Lines, depth: int) -> Lines:
    """The lines, with a name that gets one of two values in a single line where there is room."""
    found: Lines = []
    for place, line in enumerate(lines):
        found.append(line)
        goes_on = place + 1 < len(lines) and lines[place + 1][0] >= line[0]
        if len(found) < 4 or found[-2][1] != "else:" or goes_on:
            continue
        (level, head), (_, one), _, (_, other) = found[-4:]
        name, _, value = one.partition(" = ")
        test = head.removeprefix("if ").removesuffix(":")
        text = f"{name} = {value} if {test} else {other.partition(' = ')[2]}"
        alone = [each for each, _ in found[-4:]] == [level, level + 1, level, level + 1] and head.startswith("if ")
        same = name.isidentifier() and other.startswith(f"{name} = ")
        if alone and same and 4 * (level + depth) + len(text) <= WIDTH:
            found[-4:] = [(level, text)]
    return found
