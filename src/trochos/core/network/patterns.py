"""Regular expressions of AS-path and community lists, matched in time linear in the text.

A survey comes from outside, and a backtracking matcher can be kept busy for years by a
short pattern. So the pattern becomes a set of states that are followed all at once. The
dialect is that of routers: characters, `.`, sets, groups, alternatives, `*`, `+`, `?`,
`^`, `$`, and `_` for any border between two numbers.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

_BORDER = frozenset(" ,{}()")
_LONGEST = 200


class PatternError(ValueError):
    """The text is not a pattern that is understood here; the message says why."""


@dataclass(slots=True, eq=False)
class _State:
    """Consumes a character (`accepts`) or asks for a place (`at`), then goes on."""

    accepts: frozenset[str] | None = None
    excludes: bool = False
    at: str | None = None
    onward: list[_State] = field(default_factory=list)


class _Parser:
    """Builds states from the right: each part is given what comes after it."""

    def __init__(self, text: str) -> None:
        self.text, self.place = text, 0

    def peek(self) -> str:
        return self.text[self.place] if self.place < len(self.text) else ""

    def take(self) -> str:
        found = self.peek()
        self.place += 1
        return found

    def choice(self) -> tuple[_State, _State]:
        """Alternatives, as (first state, last state)."""
        start, end = _State(at=""), _State(at="")
        while True:
            first, last = self.sequence()
            start.onward.append(first)
            last.onward.append(end)
            if self.peek() != "|":
                return start, end
            self.take()

    def sequence(self) -> tuple[_State, _State]:
        start = end = _State(at="")
        while self.peek() not in ("", "|", ")"):
            first, last = self.repeated()
            end.onward.append(first)
            end = last
        return start, end

    def repeated(self) -> tuple[_State, _State]:
        first, last = self.part()
        while self.peek() and self.peek() in "*+?":
            sign = self.take()
            start, end = _State(at=""), _State(at="")
            start.onward.append(first)
            last.onward.append(end)
            if sign in "*?":
                start.onward.append(end)
            if sign in "*+":
                last.onward.append(first)
            first, last = start, end
        if self.peek() == "{":
            raise PatternError("counted repetitions are not computed")
        return first, last

    def part(self) -> tuple[_State, _State]:
        sign = self.take()
        if sign == "(":
            inside = self.choice()
            if self.take() != ")":
                raise PatternError("a bracket is not closed")
            return inside
        if sign in "*+?":
            raise PatternError(f"{sign!r} repeats nothing")
        if sign in "^$_":
            state = _State(at=sign)
        elif sign == ".":
            state = _State(frozenset(), excludes=True)
        elif sign == "[":
            state = self.set()
        else:
            if sign == "\\":
                sign = self.take()
                if not sign or sign.isalnum():
                    raise PatternError("this escape is not computed")
            state = _State(frozenset(sign))
        return state, state

    def set(self) -> _State:
        excludes = self.peek() == "^"
        if excludes:
            self.take()
        members: set[str] = set()
        while self.peek() != "]" or not members:
            sign = self.take()
            if not sign:
                raise PatternError("a set is not closed")
            if self.peek() == "-" and self.text[self.place + 1 : self.place + 2] not in ("", "]"):
                self.take()
                last = self.take()
                members |= {chr(code) for code in range(ord(sign), min(ord(last), 0x17F) + 1)}
            else:
                members.add(sign)
        self.take()
        return _State(frozenset(members), excludes)


class Pattern:
    """A pattern ready to be looked for."""

    def __init__(self, text: str) -> None:
        """Raises PatternError if the text is not understood."""
        if len(text) > _LONGEST:
            raise PatternError(f"it is longer than {_LONGEST} characters")
        parser = _Parser(text)
        self._start, self._end = parser.choice()
        if parser.peek():
            raise PatternError("a bracket is closed that was never opened")

    def found_in(self, text: str) -> bool:
        """True if the pattern matches anywhere in the text."""
        current: set[_State] = set()
        for place in range(len(text) + 1):
            before = text[place - 1] if place else ""
            after = text[place] if place < len(text) else ""
            current = self._spread({*current, self._start}, before, after)
            if self._end in current:
                return True
            following: set[_State] = set()
            for state in current:
                if state.accepts is not None and after:
                    if (after in state.accepts) != state.excludes:
                        following.update(state.onward)
                elif state.at == "_" and after in _BORDER and after:
                    following.update(state.onward)
            current = following
        return False

    @staticmethod
    def _spread(states: set[_State], before: str, after: str) -> set[_State]:
        """Everything that can be reached without consuming a character."""
        out: set[_State] = set()
        stack = list(states)
        while stack:
            state = stack.pop()
            if state in out:
                continue
            out.add(state)
            if state.accepts is not None:
                continue
            passes = (
                state.at == ""
                or (state.at in ("^", "_") and not before)
                or (state.at in ("$", "_") and not after)
            )
            if passes:
                stack.extend(state.onward)
        return out


@lru_cache(maxsize=4096)
def pattern(text: str) -> Pattern:
    """The pattern of a text; see `Pattern`."""
    return Pattern(text)
