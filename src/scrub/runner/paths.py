"""Paths as they are made while a macro runs: what comes from data may lead nowhere but into the folder."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.paths import is_own
from scrub.language.tree import Expression
from scrub.model.core.files import FromData
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, shown
from scrub.runner.comparisons import Evaluate
from scrub.runner.compiling import Compiler
from scrub.runner.execution import Frame


def path_of(on: Compiler, node: Expression) -> Evaluate:
    """The closure of a path. What is in the macro may be any path; what comes from data may not climb."""
    if is_own(node, on.own_names):
        return on.evaluate(node)
    if isinstance(node, tree.Text):
        parts = [_piece(on, part) for part in node.parts]
        owned = [isinstance(part, str) or is_own(part, on.own_names) for part in node.parts]

        def made(frame: Frame) -> FromData:
            whole, own = "", None
            for part, is_ours in zip(parts, owned, strict=True):
                if own is None and not is_ours:
                    own = whole[: max(whole.rfind("/"), whole.rfind("\\")) + 1]
                whole += part if isinstance(part, str) else part(frame)
            return FromData(whole, own or "")

        return made
    value = on.evaluate(node)
    return lambda frame: ensure_inside(value(frame))


def _piece(on: Compiler, part: str | Expression) -> str | Evaluate:
    """A piece of a path; one of data may hold no separator."""
    if isinstance(part, str):
        return part
    value = on.evaluate(part)
    if is_own(part, on.own_names):
        return lambda frame: shown(value(frame))
    return lambda frame: ensure_name(shown(value(frame)))


def ensure_name(piece: str) -> str:
    """A piece of a path that comes from data. Raises `Failure` for one that could lead to another folder."""
    if any(mark in piece for mark in "/\\\0") or piece in (".", ".."):
        raise Failure(f'"{piece}" is part of a path and could lead to another folder. Make it a name: .as-file-name')
    return piece


def ensure_inside(path: Value) -> Value:
    """A path that comes from data as a whole. Raises `Failure` for one that leads to another folder."""
    if isinstance(path, str) and (".." in path.replace("\\", "/").split("/") or path.startswith(("/", "~"))):
        raise Failure(f'"{path}" comes from data and leads to another folder. Write the path in the macro')
    return FromData(path) if isinstance(path, str) else path
