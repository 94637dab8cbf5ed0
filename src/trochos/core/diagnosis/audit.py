"""Expectations: what must, or must not, reach what, and over which way (J29)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..forwarding.endpoints import EndpointError
from ..forwarding.path import Path, find_path
from ..forwarding.step import Forwarding
from ..forwarding.traffic import Traffic, TrafficError, read_traffic
from ..forwarding.walk import Branch

_KEYS = {"name", "from", "to", "service", "must", "over", "avoid"}
_SERVICE = re.compile(r"(icmp|tcp|udp)(?:/(\d{1,5}))?$")


class ExpectationError(ValueError):
    """The list of expectations cannot be used; the message says which one and why."""


@dataclass(frozen=True, slots=True)
class Expectation:
    """One line of the list: `over` are devices that every way passes, `avoid` none."""

    name: str
    sender: str
    receiver: str
    traffic: Traffic
    works: bool = True
    over: tuple[str, ...] = ()
    avoid: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Result:
    """Whether an expectation holds, with the path that says so."""

    expectation: Expectation
    holds: bool
    reason: str
    path: Path | None

    def as_json(self) -> dict[str, object]:
        return {
            "name": self.expectation.name,
            "holds": self.holds,
            "reason": self.reason,
            "path": self.path.as_json() if self.path is not None else None,
        }


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
    for key in ("from", "to"):
        if not isinstance(item.get(key), str):
            raise ExpectationError(f"{at} needs {key!r}: a device, address, prefix or interface.")
    must = item.get("must", "work")
    if must not in ("work", "not-work"):
        raise ExpectationError(f"{at} says must: {must!r}. It is work or not-work.")
    try:
        traffic = read_traffic({"service": item.get("service")})
    except TrafficError as error:
        raise ExpectationError(f"{at}: {error}") from error
    return Expectation(
        name,
        item["from"],
        item["to"],
        traffic,
        must == "work",
        _devices(item, "over", at),
        _devices(item, "avoid", at),
    )


def _devices(item: Mapping[str, Any], key: str, at: str) -> tuple[str, ...]:
    value = item.get(key) or []
    if isinstance(value, str):
        value = [value]
    if not isinstance(value, list) or not all(isinstance(name, str) for name in value):
        raise ExpectationError(f"{at}: {key!r} is a list of devices.")
    return tuple(value)


def check(forwarding: Forwarding, expectations: list[Expectation]) -> list[Result]:
    """Every expectation against a survey. One about an end that is not there does not hold."""
    return [_check(forwarding, item) for item in expectations]


def _check(forwarding: Forwarding, item: Expectation) -> Result:
    missing = [name for name in (*item.over, *item.avoid) if name not in forwarding.devices]
    if missing:
        return Result(item, False, f"The survey has no device called {missing[0]!r}.", None)
    try:
        path = find_path(forwarding, item.sender, item.receiver, item.traffic)
    except EndpointError as error:
        return Result(item, False, str(error), None)
    if not item.works:
        return Result(item, path.works == "no", path.sentence(), path)
    if path.works != "yes":
        return Result(item, False, path.sentence(), path)
    for leg, word in ((path.outbound, "request"), (path.back, "reply")):
        for branch in leg.branches if leg is not None else ():
            reason = _astray(branch, item, word)
            if reason is not None:
                return Result(item, False, reason, path)
    return Result(item, True, path.sentence(), path)


def _astray(branch: Branch, item: Expectation, word: str) -> str | None:
    """Why a way is not the one that is wanted; None if it is."""
    passed = [hop.device for hop in branch.hops]
    ways = ", ".join(passed)
    for name in item.over:
        if name not in passed:
            return f"It works, but the {word} does not pass {name}: it goes over {ways}."
    for name in item.avoid:
        if name in passed:
            return f"It works, but the {word} passes {name}: it goes over {ways}."
    return None
