"""A macro whose changes somebody decides about: what is refused, proposed again and saved."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from scrub.model.core.host import Host
from scrub.model.core.problem import BadCall, Refused, counted
from scrub.runner.results import FileResult, Interrupted, Prepared, RunResult
from scrub.runner.reviewing import Key, Proposal

#: How often a macro runs again before it is given up: what is refused changes what is proposed next, and so on.
_PASSES = 5
#: Refused changes that the record of a run names.
_NOTED = 1_000

#: Prepares files together without the steps that are refused; gives what comes of it, and the proposals.
Prepares = Callable[[Sequence[str], frozenset[Key]], tuple[Prepared, list[Proposal]]]


class Review:
    """A macro whose changes are accepted or refused one by one. Nothing is saved before `commit`.

    Decide about each of `proposals` (`proposal.accepted = True`), then call `go_on`: what depends on what was refused
    is proposed again. When nothing is left to decide, `is_settled` is true, and `commit` saves.
    """

    def __init__(
        self,
        title: str,
        groups: Sequence[Sequence[str]],
        prepare: Prepares,
        commit: Callable[[Sequence[Prepared], Host | None], RunResult],
    ) -> None:
        """`groups` are the files that the macro works on together."""
        self.title = title
        self._groups, self._prepare, self._commit = list(groups), prepare, commit
        self._refused: list[set[Key]] = [set() for _ in groups]
        self._accepted: list[dict[frozenset[Key], Proposal]] = [{} for _ in groups]
        self._prepared: list[Prepared] = []
        self._passes = 1
        #: What is to be decided now.
        self.proposals: list[Proposal] = []
        #: What was accepted and is refused.
        self.accepted: list[Proposal] = []
        self.refused: list[Proposal] = []
        #: What was accepted and does not happen, because of what was refused.
        self.dropped: list[Proposal] = []
        #: The run that came of it; None before.
        self.result: RunResult | None = None
        self._of: dict[int, int] = {}
        for number, group in enumerate(self._groups):
            prepared, proposals = prepare(group, frozenset())
            self._prepared.append(prepared)
            self._propose(number, [] if _problem(prepared) else proposals)

    @property
    def files(self) -> list[FileResult]:
        """What would come of each file now."""
        return [file for prepared in self._prepared for file in prepared.files]

    @property
    def is_settled(self) -> bool:
        """Whether everything is decided."""
        return not self.proposals

    @property
    def saves(self) -> bool:
        """Whether anything would be saved or sent."""
        return any(prepared.effects or prepared.sends for prepared in self._prepared)

    def _propose(self, number: int, proposals: Iterable[Proposal]) -> None:
        for proposal in proposals:
            self._of[id(proposal)] = number
            self.proposals.append(proposal)

    def go_on(self) -> list[Proposal]:
        """Runs the macro again without what was refused, where anything was; gives what is to be decided next.

        Raises `BadCall` if something is not decided, and `Refused` if the macro cannot go on without what was refused,
        or if its changes are different ones each time.
        """
        open_ones = sum(proposal.accepted is None for proposal in self.proposals)
        if open_ones:
            raise BadCall(f"{counted(open_ones, 'proposal')} not decided. Set: proposal.accepted = True or False")
        again: set[int] = set()
        for proposal in self.proposals:
            number = self._of[id(proposal)]
            if proposal.accepted:
                self._accepted[number][proposal.keys] = proposal
                self.accepted.append(proposal)
            else:
                again.add(number)
                self._refused[number] |= proposal.keys
                self.refused.append(proposal)
        self.proposals = []
        if again and self._passes >= _PASSES:
            raise Refused("These changes keep moving. Nothing was saved.")
        self._passes += bool(again)
        for number in sorted(again):
            self._run_again(number)
        return self.proposals

    def _run_again(self, number: int) -> None:
        prepared, proposals = self._prepare(self._groups[number], frozenset(self._refused[number]))
        problem = _problem(prepared)
        if problem is not None:
            raise Refused(f"Without these changes the macro cannot go on: {problem}. Nothing was saved.")
        self._prepared[number] = prepared
        accepted = self._accepted[number]
        there = {key for proposal in proposals for key in proposal.keys}
        self._propose(number, (each for each in proposals if not _is_known(accepted, each)))
        for keys, proposal in list(accepted.items()):
            if not keys & there and proposal not in self.dropped:
                self.dropped.append(proposal)
        asked = {key for proposal in self.proposals for key in proposal.keys}
        self.accepted = [each for each in self.accepted if not each.keys & asked and each not in self.dropped]

    def commit(self) -> RunResult:
        """Saves what was accepted, as a run that can be undone; its record tells what was refused.

        Raises `BadCall` while something is not decided and at the second call, and `Interrupted` as `run` does.
        """
        if self.result is not None:
            raise BadCall("these changes were saved already. Review the macro again")
        if self.proposals:
            raise BadCall("not everything is decided. Call: review.go_on()")
        for number, prepared in enumerate(self._prepared):
            lines = list(self._refused_lines(number))
            prepared.files[0].log += lines[:_NOTED]
            prepared.files[0].refused = len(lines)
        try:
            self.result = self._commit(self._prepared, None)
        except Interrupted as end:
            self.result = end.result
            raise
        return self.result

    def _refused_lines(self, number: int) -> Iterator[str]:
        for proposal in self.refused:
            if self._of[id(proposal)] != number:
                continue
            for change in proposal.changes:
                yield f"refused {change.place}: {change} (line {proposal.line})"
            for path in proposal.creates:
                yield f"refused {path} (line {proposal.line})"


def _is_known(accepted: dict[frozenset[Key], Proposal], proposal: Proposal) -> bool:
    known = accepted.get(proposal.keys)
    return known is not None and known.proof == proposal.proof


def _problem(prepared: Prepared) -> object:
    return next((file.problem for file in prepared.files if file.problem is not None), None)
