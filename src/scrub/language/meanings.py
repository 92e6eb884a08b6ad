"""What the nodes of a macro mean, kept beside its tree: one text can mean two things, on two kinds of file."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, overload

from scrub.language import tree

if TYPE_CHECKING:
    from scrub.model.vocabulary import Action, Callee


class NameMeaning:
    """What a bare word means."""

    #: The place in the running frame.
    slot: int = -1
    #: The choice that it means.
    choice: object = None
    #: Whether it is certainly true no item, which could have been deleted.
    plain: bool = False
    #: The method that gives an item which another brings along.
    implied: str = ""


class DotMeaning:
    """What follows a dot: a field, a heading, an operation, a part, or a look-up."""

    #: The Python names of the arguments, in the order in which they are written.
    bound: tuple[str, ...] = ()
    #: A heading as macros compare it.
    heading: str = ""
    #: The look-up as a node of its own.
    lookup: tree.Call | None = None
    part: Callee | None = None


class CallMeaning:
    """What a word before brackets means."""

    #: The place of the pairs, where it is a name that keeps some.
    slot: int = -1
    #: Whether it is a name that keeps pairs, or may keep them.
    pairs: bool = False
    #: The place of the item that something is looked for in, or that acts.
    base: int = -1
    #: The methods that lead from there to the items.
    path: tuple[str, ...] = ()
    #: The Python names of the arguments, in the order in which they are written.
    bound: tuple[str, ...] = ()
    finder: Callee | None = None
    action: Action | None = None
    #: Whether a macro asks if an item is there at all.
    may_be_missing: bool = False
    #: The path of a file that belongs to the macro.
    own_file: str = ""


class ItemsMeaning:
    """Where the items are that are counted, gathered or visited, and where each is kept meanwhile."""

    #: The place in the running frame of the item, or the value, that it is about.
    slot: int = -1
    #: The place of the item in which they are.
    base: int = -1
    #: The methods that lead from there to the items.
    path: tuple[str, ...] = ()
    #: The headings that are asked of records.
    headings: frozenset[str] | set[str] = frozenset()


class LoopMeaning(ItemsMeaning):
    """What a loop visits."""

    #: Whether it visits items, not values.
    items: bool = False
    #: The place that counts its turns.
    counter: int = -1


class CompareMeaning:
    """What a comparison means."""

    #: A pattern, compiled.
    pattern: object = None


class SetNameMeaning:
    """Where a value is kept."""

    slot: int = -1
    #: Whether it is pairs that another name keeps.
    pairs: bool = False


class DoMeaning:
    """What acts on what."""

    #: The place of the item that acts.
    base: int = -1
    action: Action | None = None
    #: The Python names of the arguments, in the order in which they are written.
    bound: tuple[str, ...] = ()


class PlaceMeaning:
    """The place in the running frame of what a block is about."""

    slot: int = -1


class AttemptMeaning(PlaceMeaning):
    """The place of what went wrong in an attempt, and the names that have a value before it."""

    before: frozenset[str] = frozenset()


class SkipMeaning:
    """How many loops a `skip` goes outwards."""

    depth: int = 0


class RunMeaning:
    """The macro that is run, and what it asks."""

    #: The place of the item that it runs on.
    base: int = -1
    program: Any = None
    #: For each question its place for the answer, and ours.
    asked: tuple[tuple[int, int], ...] = ()


_MEANINGS: dict[type[tree.Node], type] = {
    tree.Name: NameMeaning,
    tree.Dot: DotMeaning,
    tree.Call: CallMeaning,
    tree.Count: ItemsMeaning,
    tree.Gather: ItemsMeaning,
    tree.Each: LoopMeaning,
    tree.Compare: CompareMeaning,
    tree.SetName: SetNameMeaning,
    tree.Do: DoMeaning,
    tree.In: PlaceMeaning,
    tree.Times: PlaceMeaning,
    tree.Attempt: AttemptMeaning,
    tree.Skip: SkipMeaning,
    tree.RunMacro: RunMeaning,
}


class Meanings:
    """The meaning of each node of one macro; that of a node that has none yet is empty."""

    def __init__(self) -> None:
        self._known: dict[tree.Node, object] = {}

    @overload
    def __getitem__(self, node: tree.Name) -> NameMeaning: ...
    @overload
    def __getitem__(self, node: tree.Dot) -> DotMeaning: ...
    @overload
    def __getitem__(self, node: tree.Call) -> CallMeaning: ...
    @overload
    def __getitem__(self, node: tree.Count | tree.Gather) -> ItemsMeaning: ...
    @overload
    def __getitem__(self, node: tree.Each) -> LoopMeaning: ...
    @overload
    def __getitem__(self, node: tree.Compare) -> CompareMeaning: ...
    @overload
    def __getitem__(self, node: tree.SetName) -> SetNameMeaning: ...
    @overload
    def __getitem__(self, node: tree.Do) -> DoMeaning: ...
    @overload
    def __getitem__(self, node: tree.In | tree.Times) -> PlaceMeaning: ...
    @overload
    def __getitem__(self, node: tree.Attempt) -> AttemptMeaning: ...
    @overload
    def __getitem__(self, node: tree.Skip) -> SkipMeaning: ...
    @overload
    def __getitem__(self, node: tree.RunMacro) -> RunMeaning: ...
    def __getitem__(self, node: tree.Node) -> object:
        result = self._known.get(node)
        if result is None:
            result = self._known[node] = _MEANINGS[type(node)]()
        return result
