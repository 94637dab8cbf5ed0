"""Expectations: what must, or must not, reach what, and over which way (J29)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import yaml

from ..forwarding.endpoints import EndpointError, resolve
from ..forwarding.path import Path, find_path
from ..forwarding.traffic import Traffic, TrafficError, read_traffic
from ..forwarding.view import Forwarding
from ..network.documents import Document
from ..step.legs import Branch

_KEYS = {
    "name", "from", "to", "service", "must", "over", "avoid", "survives", "instance", "paths",
}  # fmt: skip
SURVIVES = ("link", "device")
"""What may fail alone."""


class ExpectationError(ValueError):
    """The list of expectations cannot be used; the message says which one and why."""


@dataclass(frozen=True, slots=True)
class Expectation:
    """One entry of the list, about every sender with every receiver.

    `over` are devices that every way passes, `avoid` none; with `same_way` request and reply pass
    the same devices; `survives` are the kinds of single failures under which it has to hold.
    """

    name: str
    senders: tuple[str, ...]
    receivers: tuple[str, ...]
    traffic: Traffic
    works: bool = True
    over: tuple[str, ...] = ()
    avoid: tuple[str, ...] = ()
    same_way: bool = False
    survives: tuple[str, ...] = ()

    @property
    def pairs(self) -> list[tuple[str, str]]:
        """Who asks whom; nobody is asked about itself."""
        return [(a, b) for a in self.senders for b in self.receivers if a != b]


@dataclass(frozen=True, slots=True)
class Result(Document):
    """Whether an expectation holds, with the path that says so: the first that does not, if any."""

    expectation: Expectation
    holds: bool
    reason: str
    path: Path | None

    def as_nodes(self) -> dict[str, object]:
        return {
            "name": self.expectation.name,
            "holds": self.holds,
            "reason": self.reason,
            "path": self.path.as_nodes() if self.path is not None else None,
        }


def parse_expectations(text: str) -> list[Expectation]:
    """Reads a list as it is written, in YAML.

    Raises:
        ExpectationError: it is not YAML, and where, or has another shape.
    """
    try:
        document = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f"Line {mark.line + 1} of the expectations" if mark is not None else "The list"
        raise ExpectationError(f"{where} is not YAML. Check the indentation there.") from error
    return read_expectations([] if document is None else document)


def read_expectations(document: Any) -> list[Expectation]:
    """Reads the list as in the contract.

    Raises:
        ExpectationError: it has another shape.
    """
    if not isinstance(document, list):
        raise ExpectationError("Expectations are a list; each has a name, from, to and must.")
    return [_read(number, item) for number, item in enumerate(document, 1)]


def _read(number: int, item: Any) -> Expectation:
    if not isinstance(item, Mapping):
        raise ExpectationError(f"Expectation {number} is no entry with from and to.")
    name = str(item.get("name") or f"expectation {number}")
    at = f"Expectation {number} ({name})"
    unknown = sorted(str(key) for key in item if key not in _KEYS)
    if unknown:
        known = ", ".join(sorted(_KEYS))
        raise ExpectationError(f"{at} says {unknown[0]!r}, which is none of {known}.")
    must = item.get("must", "work")
    if must not in ("work", "not-work"):
        raise ExpectationError(f"{at} says must: {must!r}. It is work or not-work.")
    paths = item.get("paths")
    if paths not in (None, "equal"):
        raise ExpectationError(f"{at} says paths: {paths!r}. It is equal, or left out.")
    try:
        traffic = read_traffic({key: item.get(key) for key in ("service", "instance")})
    except TrafficError as error:
        raise ExpectationError(f"{at}: {error}") from error
    out = Expectation(
        name,
        _ends(item, "from", at),
        _ends(item, "to", at),
        traffic,
        must == "work",
        _names(item, "over", at),
        _names(item, "avoid", at),
        paths == "equal",
        _failures(item, at),
    )
    if not out.pairs:
        raise ExpectationError(f"{at} asks {out.senders[0]!r} about itself. Name two ends.")
    if not out.works and (out.over or out.avoid or out.same_way):
        raise ExpectationError(
            f"{at} must not work, so it passes nothing: take over, avoid and paths out."
        )
    return out


def _ends(item: Mapping[str, Any], key: str, at: str) -> tuple[str, ...]:
    value = item.get(key)
    listed = [value] if isinstance(value, str) else value
    if not isinstance(listed, list) or not listed or not all(isinstance(e, str) for e in listed):
        raise ExpectationError(
            f"{at} needs {key!r}: a device, address, prefix or interface, or a list of them."
        )
    return tuple(dict.fromkeys(listed))


def _names(item: Mapping[str, Any], key: str, at: str) -> tuple[str, ...]:
    value = item.get(key) or []
    if isinstance(value, str):
        value = [value]
    if not isinstance(value, list) or not all(isinstance(name, str) for name in value):
        raise ExpectationError(f"{at}: {key!r} is a list of devices.")
    return tuple(value)


def _failures(item: Mapping[str, Any], at: str) -> tuple[str, ...]:
    value = item.get("survives") or []
    listed = [value] if isinstance(value, str) else value
    if not isinstance(listed, list) or any(kind not in SURVIVES for kind in listed):
        raise ExpectationError(f"{at} says survives: {value!r}. It is link, device, or both.")
    return tuple(dict.fromkeys(listed))


def check(forwarding: Forwarding, expectations: list[Expectation]) -> list[Result]:
    """Every expectation against a survey as it is. One about an end that is not there does not
    hold; what it has to survive is for `whole.sweep` to try."""
    return [_check(forwarding, item) for item in expectations]


def ends_of(forwarding: Forwarding, item: Expectation) -> set[str]:
    """The devices that an expectation's ends stand for, as far as they are there."""
    out: set[str] = set()
    inside = item.traffic.instance
    for name in item.senders:
        try:
            found = resolve(forwarding, name, target=False, instance=inside)
        except EndpointError:
            continue
        out |= {found.device} if found.device is not None else set()
    for name in item.receivers:
        try:
            found = resolve(forwarding, name, target=True, instance=inside)
        except EndpointError:
            continue
        out |= {found.device} if found.device is not None else set()
        for address in found.addresses.values():
            out |= {owner.end.device for owner in forwarding.near.owners.get(address, ())}
    return out


def _check(forwarding: Forwarding, item: Expectation) -> Result:
    missing = [name for name in (*item.over, *item.avoid) if name not in forwarding.devices]
    if missing:
        return Result(item, False, f"The survey has no device called {missing[0]!r}.", None)
    pairs = item.pairs
    last: Result | None = None
    for sender, receiver in pairs:
        last = _pair(forwarding, item, sender, receiver)
        if not last.holds:
            return last
    assert last is not None
    if len(pairs) == 1:
        return last
    state = "work" if item.works else "do not work"
    return Result(item, True, f"All {len(pairs)} conversations {state}.", last.path)


def _pair(forwarding: Forwarding, item: Expectation, sender: str, receiver: str) -> Result:
    try:
        path = find_path(forwarding, sender, receiver, item.traffic)
    except EndpointError as error:
        return Result(item, False, str(error), None)
    says = path.sentence()
    if not item.works:
        return Result(item, path.works == "no", says, path)
    if path.works != "yes":
        return Result(item, False, says, path)
    for held in (path, path.also):
        reason = _way(held, item) if held is not None else None
        if reason is not None:
            return Result(item, False, f"{sender} to {receiver}: {reason}", path)
    return Result(item, True, says, path)


def _way(path: Path, item: Expectation) -> str | None:
    """Why the ways of a path that works are not those that are wanted; None if they are."""
    passed: dict[str, str] = {}
    for leg, word in ((path.outbound, "request"), (path.back, "reply")):
        for branch in leg.branches if leg is not None else ():
            reason = _astray(branch, item, word)
            if reason is not None:
                return reason
            names = _passed(branch)
            passed.setdefault(", ".join(sorted(set(names))), f"{word} over {', '.join(names)}")
    if item.same_way and len(passed) > 1:
        return f"it works, but not over the same devices: {'; '.join(passed.values())}."
    return None


def _passed(branch: Branch) -> list[str]:
    """The devices of a way; their routing instances are part of them."""
    return list(dict.fromkeys(hop.device.partition("/")[0] for hop in branch.hops))


def _astray(branch: Branch, item: Expectation, word: str) -> str | None:
    passed = _passed(branch)
    ways = ", ".join(passed)
    for name in item.over:
        if name not in passed:
            return f"it works, but the {word} does not pass {name}: it goes over {ways}."
    for name in item.avoid:
        if name in passed:
            return f"it works, but the {word} passes {name}: it goes over {ways}."
    return None
