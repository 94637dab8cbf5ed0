"""Expectations from what works now: hosts that are treated alike become one line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from .questions import Question, answers, hosts_of

if TYPE_CHECKING:
    from ..survey import Computed

MOST = 40
"""Hosts that one line lists; a group with more of them is several lines."""


@dataclass(frozen=True, slots=True)
class Suggested:
    """One expectation in the words of the list."""

    name: str
    senders: tuple[str, ...]
    receivers: tuple[str, ...]
    works: bool

    def entry(self) -> dict[str, object]:
        """As it stands in the list."""
        return {
            "name": self.name,
            "from": list(self.senders) if len(self.senders) > 1 else self.senders[0],
            "to": list(self.receivers) if len(self.receivers) > 1 else self.receivers[0],
            "must": "work" if self.works else "not-work",
        }


def suggest(survey: Computed) -> list[Suggested]:
    """What works between hosts now, and what is refused on purpose, in few lines.

    Two hosts are alike if every other host reaches, and is reached by, both the same way. What
    fails for another reason than a filter is nothing to be expected either way, and left out.
    """
    names = sorted(hosts_of(survey.reach))
    state = _states(survey, names)
    groups = _alike(names, state)
    out: list[Suggested] = []
    for group in groups:
        reached = [other for other in groups if _between(state, group, other) == "yes"]
        refused = [other for other in groups if _between(state, group, other) == "refused"]
        for listed, works in ((reached, True), (refused, False)):
            members = [name for other in listed for name in other]
            if not members or (len(group) == 1 and members == group):
                continue
            for senders in _parts(group):
                for receivers in _parts(members):
                    if len(senders) > 1 or senders != receivers:
                        out.append(_said(senders, receivers, works))
    return out


def _said(senders: list[str], receivers: list[str], works: bool) -> Suggested:
    verb = "reaches" if works else "does not reach"
    if len(senders) > 1:
        verb = "reach" if works else "do not reach"
    same = set(senders) == set(receivers)
    whom = "each other" if same else _few(receivers)
    return Suggested(f"{_few(senders)} {verb} {whom}", tuple(senders), tuple(receivers), works)


def _few(names: list[str]) -> str:
    if len(names) <= 3:
        return " and ".join(filter(None, (", ".join(names[:-1]), names[-1])))
    return f"{', '.join(names[:2])} and {len(names) - 2} more"


def _parts(names: list[str]) -> list[list[str]]:
    return [names[at : at + MOST] for at in range(0, len(names), MOST)]


def _states(survey: Computed, names: list[str]) -> dict[tuple[str, str], str]:
    """Per two hosts: `yes`, `refused`, or `no` for all else; the worst of their addresses."""
    order = {"yes": 0, "refused": 1, "no": 2}
    out: dict[tuple[str, str], str] = {}
    for question, answer in answers(survey.reach, names).items():
        said = "yes" if answer.ok is True else "refused" if answer.refused else "no"
        pair = _pair(question)
        if order[said] >= order[out.get(pair, "yes")]:
            out[pair] = said
    return out


def _pair(question: Question) -> tuple[str, str]:
    return question.sender, question.owner


def _alike(names: list[str], state: dict[tuple[str, str], str]) -> list[list[str]]:
    """Groups of hosts with equal answers from and to every host outside of them, and one answer
    among themselves."""
    groups: list[list[str]] = []
    for name in names:
        for group in groups:
            first = group[0]
            rest = [n for n in names if n not in (name, first)]
            among = {state.get((name, first)), state.get((first, name))}
            known = _inside(state, group)
            if (
                len(among) == 1
                and known in (None, next(iter(among)))
                and all(
                    state.get((name, n)) == state.get((first, n))
                    and state.get((n, name)) == state.get((n, first))
                    for n in rest
                )
            ):
                group.append(name)
                break
        else:
            groups.append([name])
    return groups


def _inside(state: dict[tuple[str, str], str], group: list[str]) -> str | None:
    return state.get((group[0], group[1])) if len(group) > 1 else None


def _between(state: dict[tuple[str, str], str], group: list[str], other: list[str]) -> str | None:
    """The one answer between two groups; None if there is none, as within a group of one."""
    if group is other:
        return _inside(state, group)
    return state.get((group[0], other[0]))
