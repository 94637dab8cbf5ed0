"""OpenConfig data that a simulated device holds: asked by paths, changed by Set.

gNMI specification, sections 2.2.2 (paths), 3.3 (Get) and 3.4 (Set: all of it or nothing). It lays
values over each other with code of its own and not with that of `gather`: a device that shared its
reader's mistakes would show none of them.
"""

from __future__ import annotations

import copy
from collections.abc import Iterable
from typing import Any

Step = tuple[str, dict[str, str]]


class PathRefused(Exception):
    """A path or a value that the tree cannot take; the message is what the device says."""


def bare(name: str) -> str:
    """A member's or an identity's name without its module."""
    return name.rpartition(":")[2]


def _member(held: dict[str, Any], name: str) -> str | None:
    return next((key for key in held if bare(key) == bare(name)), None)


def _same_entry(entry: Any, keys: dict[str, str]) -> bool:
    if not isinstance(entry, dict):
        return False
    for key, value in keys.items():
        mine = _member(entry, key)
        if mine is None or bare(_text(entry[mine])) != bare(value):
            return False
    return True


def _text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _keys(entry: dict[str, Any]) -> dict[str, str]:
    """What tells a list's entry apart: in these models its only leaves beside containers."""
    return {k: _text(v) for k, v in entry.items() if not isinstance(v, dict | list)}


def without(value: Any, name: str) -> Any:
    """A copy without the containers of a name (`config` or `state`) at any depth."""
    if isinstance(value, dict):
        return {k: without(v, name) for k, v in value.items() if bare(k) != name}
    if isinstance(value, list):
        return [without(item, name) for item in value]
    return value


class Tree:
    """The data of one device."""

    def __init__(self, root: dict[str, Any]) -> None:
        self.root = root

    def get(self, steps: Iterable[Step]) -> Any | None:
        """What stands at a path; None if nothing does."""
        here: Any = self.root
        for name, keys in steps:
            key = _member(here, name) if isinstance(here, dict) else None
            if key is None:
                return None
            here = here[key]
            if keys:
                if not isinstance(here, list):
                    raise PathRefused(f"{name} has no keys.")
                here = next((entry for entry in here if _same_entry(entry, keys)), None)
        return here

    def set(
        self,
        delete: Iterable[list[Step]],
        replace: Iterable[tuple[list[Step], Any]],
        update: Iterable[tuple[list[Step], Any]],
    ) -> None:
        """One transaction: deletes, then replaces, then updates.

        Raises:
            PathRefused: a part cannot be made; then nothing is.
        """
        before = copy.deepcopy(self.root)
        try:
            for steps in delete:
                self._delete(steps)
            for steps, value in replace:
                self._delete(steps)
                self._update(steps, value)
            for steps, value in update:
                self._update(steps, value)
        except (PathRefused, AttributeError, TypeError, KeyError) as error:
            self.root = before
            if isinstance(error, PathRefused):
                raise
            raise PathRefused("A value has another shape than what stands there.") from error

    def _delete(self, steps: list[Step]) -> None:
        if not steps:
            self.root = {}
            return
        held = self.get(steps[:-1])
        name, keys = steps[-1]
        key = _member(held, name) if isinstance(held, dict) else None
        if not isinstance(held, dict) or key is None:
            return  # a delete of what is not there is no error (section 3.4.6)
        if not keys:
            del held[key]
            return
        held[key] = [entry for entry in held[key] if not _same_entry(entry, keys)]
        if not held[key]:
            del held[key]

    def _update(self, steps: list[Step], value: Any) -> None:
        here: Any = self.root
        for number, (name, keys) in enumerate(steps):
            last = number == len(steps) - 1
            key = _member(here, name)
            if last and not keys:
                here[key or name] = merged(here.get(key or name), value)
                return
            if key is None:
                key = name
                here[key] = [] if keys else {}
            here = here[key]
            if keys:
                if not isinstance(here, list):
                    raise PathRefused(f"{name} has no keys.")
                entry = next((e for e in here if _same_entry(e, keys)), None)
                if entry is None:
                    entry = dict(keys)
                    here.append(entry)
                here = entry
        if not isinstance(value, dict):
            raise PathRefused("The value is no object.")
        for name, inner in value.items():
            key = _member(here, name) or name
            here[key] = merged(here.get(key), inner)


def merged(held: Any, value: Any) -> Any:
    """A value laid over what stands there: containers and lists are merged, leaves replaced."""
    if isinstance(value, dict) and isinstance(held, dict):
        for name, inner in value.items():
            key = _member(held, name) or name
            held[key] = merged(held.get(key), inner)
        return held
    if isinstance(value, list) and isinstance(held, list):
        for item in value:
            if not isinstance(item, dict):
                if item not in held:
                    held.append(item)
                continue
            mate = next((e for e in held if _same_entry(e, _keys(item))), None)
            if mate is None:
                held.append(copy.deepcopy(item))
            else:
                merged(mate, item)
        return held
    return copy.deepcopy(value)
