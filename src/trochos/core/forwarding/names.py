"""A complaint by name: how the host that complains would find the address (J8).

The hosts file comes first, then the resolvers in order: one that cannot be reached is passed
over, the first that answers decides. What a resolver answers is known where its own hosts file
was gathered, which small resolvers serve to others.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from ..network.addressing import Address, parse_address
from ..network.facts import Device, Source
from ..network.filters import HostName

_NAME = re.compile(r"[A-Za-z][\w-]*(\.[\w-]+)*\.?$")

Reaches = Callable[[str, Address], str]
"""(host, resolver) -> yes, no, partly or unknown."""


@dataclass(frozen=True, slots=True)
class NameAnswer:
    """What a name came to: addresses, or `verdict` (`name-unknown`, `unknown`) and why."""

    name: str
    addresses: tuple[Address, ...] = ()
    by: str = ""
    """The hosts file or the resolver that decided, in words."""
    evidence: tuple[Source, ...] = ()
    verdict: str | None = None
    reason: str = ""

    def as_json(self) -> dict[str, object]:
        return {
            "asked": self.name,
            "addresses": [str(address) for address in self.addresses],
            "by": self.by,
            "reason": self.reason,
            "evidence": [source.as_json() for source in self.evidence],
        }


def may_be_name(text: str) -> bool:
    """True for what could be a host's name."""
    return _NAME.fullmatch(text) is not None


def _held(names: tuple[HostName, ...], wanted: list[str]) -> list[HostName]:
    for name in wanted:
        found = [item for item in names if item.name == name]
        if found:
            return found
    return []


def look_up(devices: dict[str, Device], host: str, name: str, reaches: Reaches) -> NameAnswer:
    """What a host makes of a name."""
    services = devices[host].services
    plain = name.rstrip(".").lower()
    wanted = [plain]
    if not name.endswith("."):
        wanted += [f"{plain}.{suffix.lower()}" for suffix in services.search]
    found = _held(services.names or (), wanted)
    if found:
        return _answer(name, found, f"the hosts file of {host}")
    if services.resolvers is None:
        reason = f"how {host} looks up names was not gathered, so {name} stands for nothing known."
        return NameAnswer(name, verdict="unknown", reason=reason)
    if not services.resolvers:
        reason = f"{host} has no resolver, and its hosts file does not hold {name}."
        return NameAnswer(name, verdict="name-unknown", reason=reason)
    silent: list[str] = []
    lines: list[Source] = []
    for text, source in services.resolvers:
        lines.append(source)
        address = parse_address(text)
        assert address is not None
        server = next(
            (d for d in devices.values() if any(i.has(address) for i in d.interfaces)), None
        )
        state = reaches(host, address)
        if state == "no" or server is None:
            silent.append(text)
            if server is None and state != "no":
                reason = f"{host} asks the resolver {text}, which is not in the survey."
                return NameAnswer(name, (), text, tuple(lines), "unknown", reason)
            continue
        by = f"the resolver {server.name} ({text})"
        if server.services.names is None:
            reason = f"{host} asks {by}, and what that answers was not gathered."
            return NameAnswer(name, (), by, tuple(lines), "unknown", reason)
        found = _held(server.services.names, wanted)
        if found:
            return _answer(name, found, by)
        reason = f"{by} answers {host} that there is no {name}."
        return NameAnswer(name, (), by, tuple(lines), "name-unknown", reason)
    reason = f"{host} cannot look up {name}: it does not reach its resolver {', '.join(silent)}."
    return NameAnswer(name, (), ", ".join(silent), tuple(lines), "name-unknown", reason)


def _answer(name: str, found: list[HostName], by: str) -> NameAnswer:
    addresses = [parse_address(item.address) for item in found]
    sources = tuple(item.source for item in found)
    return NameAnswer(name, tuple(a for a in addresses if a is not None), by, sources)
