"""What the nodes of a macro mean, kept beside its tree: one text can mean two things, on two kinds of file."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from scrub.model.vocabulary import Action, Callee


class Meaning:
    """What the checker found out about one node; which of it is set depends on what the node is."""

    #: The place in the running frame: of a name, of an item that a block is about.
    slot: int = -1
    #: The place of the item that something acts on, or is looked for in.
    base: int = -1
    #: The methods that lead from there to the items.
    path: tuple[str, ...] = ()
    #: The Python names of the arguments, in the order in which they are written.
    bound: tuple[str, ...] = ()
    #: The choice that a bare word means.
    choice: Any = None
    #: Whether a name is certainly true no item, which could have been deleted.
    plain: bool = False
    #: The method that gives an item which another brings along.
    implied: str = ""
    #: A heading as macros compare it.
    heading: str = ""
    #: The headings that a loop over records asks for.
    headings: frozenset[str] | set[str] = frozenset()
    #: The look-up that is after a dot, as a node of its own.
    lookup: Any = None
    part: Callee | None = None
    finder: Callee | None = None
    action: Action | None = None
    #: Whether a macro asks if an item is there at all.
    may_be_missing: bool = False
    #: The path of a file that belongs to the macro.
    own_file: str = ""
    #: Whether a word before brackets is a name that keeps pairs, or may keep them.
    pairs: bool = False
    #: The place that counts the turns of a loop.
    counter: int = -1
    #: A pattern, compiled.
    pattern: Any = None
    #: Whether a loop visits items, not values.
    items: bool = False
    #: How many loops a `skip` goes outwards.
    depth: int = 0
    #: The macro that is run, and what it asks: its place for the answer, and ours.
    program: Any = None
    asked: tuple[tuple[int, int], ...] = ()


class Meanings(dict[object, Meaning]):
    """The meaning of each node of one macro."""

    def __missing__(self, node: object) -> Meaning:
        found = self[node] = Meaning()
        return found
