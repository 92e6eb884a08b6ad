"""Loops that only set what is under headings, to values that are known before the loop: whoever contains the records
may do all of it at once.
"""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import tree
from scrub.model.core.predicate import Setting, is_known
from scrub.model.core.series import Series
from scrub.runner.compiling import Compiler
from scrub.runner.execution import Frame
from scrub.runner.pushdown import Sieves, places_set

#: Does the work of a loop, and tells how many turns that were; None where it was not done.
AtOnce = Callable[[Frame, object], "int | None"]


def at_once(on: Compiler, node: tree.Each) -> AtOnce | None:
    """What does the work of a loop at once, where that can be; None for any other loop."""
    means = on.means[node]
    plain = means.items and not node.orders and means.counter < 0 and on.wrapper is None
    if not plain or not all(isinstance(each, tree.SetField) for each in node.body):
        return None
    sieves = Sieves(on.means, means.slot, frozenset(places_set(node.body, on.means)))
    makes = [_setting(sieves, each) for each in node.body if isinstance(each, tree.SetField)]
    known = [make for make in makes if make is not None]
    sifts = None if node.where is None else sieves.sifts(node.where)
    if len(known) != len(makes) or not makes or (node.where is not None and sifts is None):
        return None

    def do(frame: Frame, items: object) -> int | None:
        if not isinstance(items, Series):
            return None
        predicate = None if sifts is None else sifts(frame)
        if predicate is not None and not is_known(predicate):
            return None
        settings = [make(frame) for make in known]
        put = {setting.heading for setting in settings}
        if len(put) != len(settings) or any(setting.source in put for setting in settings):
            return None  # one depends on another
        return items.set_all(predicate, settings)

    return do


def _setting(sieves: Sieves, node: tree.SetField) -> Callable[[Frame], Setting] | None:
    """What gives a value that is set, or the heading under which it is."""
    heading, source, value = sieves.heading(node.target), sieves.heading(node.value), sieves.value(node.value)
    if not heading:
        return None
    if source:
        return lambda frame: Setting(heading, None, source)
    return None if value is None else lambda frame: Setting(heading, value(frame))
