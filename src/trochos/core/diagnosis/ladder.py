"""From the host outward, rung by rung: its own address, its gateway, each router, the target.

Every rung is a conversation of its own, there and back, so that a fault shows on the first
rung it touches.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..forwarding.endpoints import resolve
from ..forwarding.names import NameAnswer
from ..forwarding.path import Path, Traffic, find_path
from ..forwarding.view import Forwarding
from ..network.addressing import Address, parse_address
from ..network.documents import Document
from ..network.facts import End
from ..network.translation import DESTINATION
from ..step.sources import usable_addresses
from ..step.verdicts import DELIVERED


@dataclass(frozen=True, slots=True)
class Rung:
    """One step outward: `verdict` is `delivered` if it holds both ways."""

    what: str
    target: str
    verdict: str
    reason: str

    @property
    def holds(self) -> bool:
        return self.verdict == DELIVERED

    def as_json(self) -> dict[str, object]:
        return {
            "what": self.what,
            "target": self.target,
            "verdict": self.verdict,
            "reason": self.reason,
        }


@dataclass(frozen=True, slots=True)
class Ladder(Document):
    """All rungs between a device and a target, nearest first."""

    rungs: tuple[Rung, ...]

    @property
    def first_failing(self) -> int | None:
        """The position of the first rung that does not hold."""
        return next((n for n, rung in enumerate(self.rungs) if not rung.holds), None)

    def as_nodes(self) -> dict[str, object]:
        """The `ladder` document of the contract."""
        return {
            "rungs": [rung.as_json() for rung in self.rungs],
            "first_failing": self.first_failing,
        }


def climb(
    forwarding: Forwarding, host: str, receiver: str, traffic: Traffic | None = None
) -> Ladder:
    """The ladder from a device to a target.

    Raises:
        EndpointError: an end is not in the survey, or the ends share no family.
    """
    whole = find_path(forwarding, host, receiver, traffic)
    device = whole.sender
    rungs = [_own(forwarding, device, whole)]
    if whole.name is not None:
        rungs += _name(forwarding, device, whole.name)
        if not whole.name.addresses:
            return Ladder(tuple(rungs))
    seen: set[Address] = {whole.target}
    for number, (what, address) in enumerate(_stations(forwarding, whole)):
        if address in seen:
            continue
        seen.add(address)
        rungs.append(_asked(forwarding, device, what if number else "gateway", address, traffic))
    rungs.append(_said("target", str(whole.target), whole))
    return Ladder(tuple(rungs))


def _name(forwarding: Forwarding, device: str, name: NameAnswer) -> list[Rung]:
    """The resolvers that were asked, and what became of the name."""
    out: list[Rung] = []
    asked = [text for text, _ in forwarding.devices[device].services.resolvers or ()]
    if not name.by.startswith("the hosts file of"):
        dns = Traffic(protocol="udp", port=53)
        for text in asked:
            address = parse_address(text)
            if address is not None:
                out.append(_asked(forwarding, device, "resolver", address, dns))
    reason = name.reason or f"It stands for {', '.join(map(str, name.addresses))}, by {name.by}."
    return [*out, Rung("name", name.name, name.verdict or DELIVERED, reason)]


def _own(forwarding: Forwarding, device: str, path: Path) -> Rung:
    """The device's own address: there, its own alone, and in use."""
    facts = forwarding.devices[device]
    label = "IPv4" if path.family == 4 else "IPv6"
    held = [f for _, f in usable_addresses(facts, path.family) if not f.address.is_link_local]
    if not held or path.source is None:
        return Rung("own address", device, "no-source", f"{device} has no {label} address in use.")
    near = forwarding.near
    others = [
        other
        for other in near.owner_devices(path.source)
        # The same address in another routing instance is in nobody's way.
        if other != device and not (near.has_instances and not near.meet(device, other))
    ]
    shown = next((str(f.value) for f in held if f.address == path.source), str(path.source))
    if others:
        reason = f"{others[0]} has the address {path.source} as well, so replies may go there."
        return Rung("own address", shown, "wrong-host", reason)
    return Rung("own address", shown, DELIVERED, f"{device} has {shown}.")


def _stations(forwarding: Forwarding, path: Path) -> list[tuple[str, Address]]:
    """The addresses on the way out: of each router first the near side, then the far one."""
    out: list[tuple[str, Address]] = []
    hops = path.outbound.decisive.hops
    for number, hop in enumerate(hops):
        if any(item.what == DESTINATION for item in hop.rewritten):
            break  # what lies behind is not asked by its own address
        if hop.next_hop is not None and not hop.next_hop.is_link_local:
            following = hops[number + 1].device if number + 1 < len(hops) else None
            out.append((f"near side of {following}" if following else "next hop", hop.next_hop))
        if number == 0 or hop.out is None:
            continue
        interface = forwarding.near.interface(End(hop.device, hop.out))
        far = next(
            (
                f.address
                for f in (interface.addresses if interface is not None else ())
                if f.address.family == path.family and not f.address.is_link_local
            ),
            None,
        )
        if far is not None:
            # The far side of a router comes before whatever lies behind it.
            at = len(out) - (hop.next_hop is not None and not hop.next_hop.is_link_local)
            out.insert(at, (f"far side of {hop.device}", far))
    return out


def _asked(
    forwarding: Forwarding, device: str, what: str, address: Address, traffic: Traffic | None
) -> Rung:
    source = traffic.source if traffic is not None else None
    asked = traffic if what == "resolver" else Traffic(source=source)
    path = find_path(forwarding, device, str(address), asked)
    nobody = resolve(forwarding, str(address), target=True, asker=device).device is None
    # Whoever could not be read may have what nobody else has.
    if nobody and path.outbound.verdict != "unknown":
        return Rung(what, str(address), "next-hop-silent", f"Nobody in the survey has {address}.")
    return _said(what, str(address), path)


def _said(what: str, target: str, path: Path) -> Rung:
    verdict = path.outbound.verdict
    if verdict == DELIVERED and path.back is not None:
        verdict = path.back.verdict
    if verdict == DELIVERED and path.works != "yes":
        verdict = "unknown"
    return Rung(what, target, verdict, path.sentence())
