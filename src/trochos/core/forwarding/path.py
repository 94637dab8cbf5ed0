"""One complaint, both legs: the answer to "does A reach B, and where does it break?"."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ..network.addressing import FAMILY_NAMES, Address, parse_address
from ..network.documents import Document
from ..network.facts import Source, Unmodelled
from ..network.translation import DESTINATION
from ..step.filters import Flow
from ..step.legs import Branch, Hop, Leg, passed_by
from ..step.packet import Packet
from ..step.sources import usable_addresses
from ..step.unsaid import ends_unsent, source_for
from ..step.verdicts import DELIVERED, both_ways, onward
from ..step.walk import walk
from .endpoints import Endpoint, EndpointError, main_address, resolve
from .names import NameAnswer, look_up, may_be_name
from .profile import Profile, profile
from .replies import answers
from .traffic import Traffic
from .view import Forwarding

_ORDER = {"no": 0, "unknown": 1, "partly": 2, "yes": 3}


@dataclass(slots=True)
class Path(Document):
    """Both legs between two addresses of one family, and the answer that follows."""

    sender: str
    source: Address | None
    receiver: str | None
    target: Address
    outbound: Leg
    back: Leg | None
    works: str
    note: str | None = None
    caveats: list[tuple[Unmodelled, str]] = field(default_factory=list)
    also: Path | None = None
    name: NameAnswer | None = None
    """How a name in the complaint was looked up."""
    sizes: tuple[Profile | None, Profile | None] = (None, None)
    """The sizes along both legs, where they arrive."""
    failing_sources: tuple[Address, ...] = ()
    """Where it works: other addresses of the sender from which it does not."""

    @property
    def led(self) -> tuple[str, str] | None:
        """(who takes the request, who leads it there), where that is another than who was asked."""
        for branch in self.outbound.branches:
            for hop in branch.hops:
                if branch.verdict == DELIVERED and branch.last.device != self.receiver:
                    if any(item.what == DESTINATION for item in hop.rewritten):
                        return branch.last.device, hop.device
        return None

    @property
    def family(self) -> int:
        return self.target.family

    def as_nodes(self) -> dict[str, object]:
        out: dict[str, object] = {
            "from": {"device": self.sender, "address": _text(self.source)},
            "to": {"device": self.receiver, "address": self._to()},
            "family": FAMILY_NAMES[self.family],
            "works": self.works,
            "outbound": self.outbound.as_json(),
            "return": self.back.as_json() if self.back else None,
            "caveats": [
                {
                    "device": item.source.device,
                    "file": item.source.file,
                    "line": item.source.line,
                    "text": item.source.shown,
                    "why": why,
                }
                for item, why in self.caveats
            ],
            "largest": self._largest(),
            "sizes": {
                "outbound": self.sizes[0].as_json() if self.sizes[0] else None,
                "return": self.sizes[1].as_json() if self.sizes[1] else None,
            },
            "sentence": self.sentence(),
            "failing_sources": [str(address) for address in self.failing_sources],
        }
        if self.name is not None:
            out["name"] = self.name.as_json()
        if self.also is not None:
            out["also"] = self.also.as_nodes()
        return out

    def _to(self) -> str | None:
        return None if self.name is not None and not self.name.addresses else str(self.target)

    def sentence(self) -> str:
        """The answer in one sentence a person would say."""
        if self.name is not None and not self.name.addresses:
            if self.works == "unknown":
                return f"Whether the name is known cannot be said: {self.name.reason}"
            return f"The name does not resolve: {self.name.reason}"
        to = self.receiver or str(self.target)
        if self.led is not None:
            to = f"{self.led[0]}, to which {self.led[1]} leads {self.target}"
        if self.outbound.state == "yes" and self.back is None:
            return f"The request ends at {self.outbound.branches[0].last.device}."
        if self.works == "yes" and self.failing_sources:
            others = ", ".join(map(str, self.failing_sources[:3]))
            more = len(self.failing_sources) - 3
            return (
                f"It works from {self.source}, and not from {self.sender}'s other "
                f"address{'es' if len(self.failing_sources) > 1 else ''} {others}"
                + (f" and {more} more" if more > 0 else "")
                + f": {self.sender} reaches {to} and the reply to the first comes back."
            )
        if self.works == "yes":
            return f"It works: {self.sender} reaches {to}, and the reply comes back."
        if self.outbound.state == "unknown":
            return (
                f"Whether the request gets there cannot be said: {_clause(self.outbound.decisive)}"
            )
        if self.outbound.state == "yes" and self.back is not None and self.back.state == "unknown":
            return (
                f"The request arrives at {to}; whether the reply comes back cannot be said: "
                f"{_clause(self.back.decisive)}"
            )
        if self.outbound.state == "partly":
            return f"Only some flows get there: {_clause(self.outbound.decisive)}"
        if self.outbound.state != "yes":
            return f"The request does not get there: {_clause(self.outbound.decisive)}"
        assert self.back is not None
        if self.back.state == "partly":
            return f"The request arrives, but only some replies do: {_clause(self.back.decisive)}"
        where = self.back.decisive.last.device
        if where == (self.led[0] if self.led is not None else to):
            return (
                f"The request arrives at {to}, and the reply never leaves: "
                f"{_clause(self.back.decisive)}"
            )
        return f"The request arrives at {to}, and the reply dies: {_clause(self.back.decisive)}"

    def _largest(self) -> dict[str, object] | None:
        """The largest packet that passes whole on every listed branch of the outbound leg."""
        sizes = self.sizes[0]
        if sizes is None or sizes.whole is None or sizes.limit is None:
            return None
        by = {"device": sizes.limit.device, "interface": sizes.limit.interface}
        return {"bytes": sizes.whole, "limited_by": by}


def _text(address: Address | None) -> str | None:
    return None if address is None else str(address)


def _clause(branch: Branch) -> str:
    return onward(branch.reason)


def find_path(
    forwarding: Forwarding,
    sender: str,
    receiver: str,
    traffic: Traffic | None = None,
    owner: str | None = None,
) -> Path:
    """Answers one complaint. `owner` is the holder of the receiver's address that is meant, where
    it was asked before.

    If both ends have IPv4 and IPv6 both are tried; the worse one is the answer and the
    other stands under `also`.

    Raises:
        EndpointError: an end is not in the survey, or the ends share no family.
    """
    traffic = traffic or Traffic()
    start = resolve(forwarding, sender, target=False, instance=traffic.instance)
    answer = None
    try:
        end = resolve(forwarding, receiver, target=True, asker=start.device)
    except EndpointError:
        answer = _by_name(forwarding, start, receiver)
        if answer is None:
            raise
        if not answer.addresses:
            return _unnamed(forwarding, start, answer)
        end = _named_end(forwarding, receiver, answer, start.device)
    if owner is not None and owner != end.device:
        end = Endpoint(end.text, owner, end.addresses, end.explicit)
    forced = _forced_source(forwarding, start, traffic)
    families = [
        family
        for family in (4, 6)
        if family in end.addresses
        and (forced is None or forced.family == family)
        and (start.explicit is False or family in start.addresses or forced is not None)
    ]
    if start.explicit is False and len(families) == 2:
        families = [family for family in families if family in start.addresses] or families
    if not families:
        raise EndpointError(
            f"{start.text} and {end.text} have no address family in common, so there is nothing "
            "to follow. Name an address of each."
        )
    paths = [_one(forwarding, start, end, family, forced, traffic) for family in families]
    paths.sort(key=lambda path: _ORDER[path.works])
    if len(paths) == 2:
        paths[0].also = paths[1]
    paths[0].name = answer
    return paths[0]


SOURCES = 8
"""How many other addresses of a sender are tried beside the one that it chooses."""


def with_other_sources(forwarding: Forwarding, path: Path, traffic: Traffic | None = None) -> Path:
    """The path, with what the sender's other addresses would meet where it works and nobody
    said which address to use."""
    traffic = traffic or Traffic()
    if path.works != "yes" or traffic.source is not None or path.source is None:
        return path
    others = [
        fact.address
        for _, fact in usable_addresses(forwarding.devices[path.sender], path.family)
        if fact.address != path.source and not fact.address.is_link_local
    ]
    failing = []
    for address in others[:SOURCES]:
        asked = replace(traffic, source=str(address))
        if find_path(forwarding, path.sender, str(path.target), asked).works == "no":
            failing.append(address)
    path.failing_sources = tuple(failing)
    return path


def _by_name(forwarding: Forwarding, start: Endpoint, name: str) -> NameAnswer | None:
    """What the sender makes of a name; None if this cannot be one, or nothing is known."""
    assert start.device is not None
    services = forwarding.devices[start.device].services
    if not may_be_name(name) or (services.names is None and services.resolvers is None):
        return None

    def reaches(host: str, resolver: Address) -> str:
        asked = Traffic(protocol="udp", port=53)
        try:
            return find_path(forwarding, host, str(resolver), asked).works
        except EndpointError:
            return "no"

    return look_up(forwarding.devices, start.device, name, reaches)


def _unnamed(forwarding: Forwarding, start: Endpoint, answer: NameAnswer) -> Path:
    """The answer where the name already fails: nothing was sent to anybody."""
    assert start.device is not None and answer.verdict is not None
    hop = Hop(start.device, None, None, reason=answer.reason)
    leg = Leg([Branch([hop], answer.verdict, answer.reason)], 1)
    source = main_address(forwarding.devices[start.device], 4)
    works = "unknown" if answer.verdict == "unknown" else "no"
    path = Path(start.device, source, None, Address(4, 0), leg, None, works)
    path.name = answer
    return path


def _named_end(
    forwarding: Forwarding, name: str, answer: NameAnswer, asker: str | None
) -> Endpoint:
    addresses = {address.family: address for address in reversed(answer.addresses)}
    owners = [
        resolve(forwarding, str(address), target=True, asker=asker).device
        for address in addresses.values()
    ]
    return Endpoint(name, next((o for o in owners if o is not None), None), addresses, True)


def _forced_source(forwarding: Forwarding, start: Endpoint, traffic: Traffic) -> Address | None:
    assert start.device is not None
    if traffic.source:
        address = parse_address(traffic.source)
        if address is None:
            raise EndpointError(f"The source {traffic.source!r} is not an address.")
        device = forwarding.devices[start.device]
        own = [fact.address for _, fact in usable_addresses(device, address.family)]
        if address not in own:
            listed = ", ".join(str(a) for a in own if not a.is_link_local) or "none"
            raise EndpointError(f"{start.device} has no address {address} in use. It has {listed}.")
        return address
    if start.explicit and start.addresses:
        return next(iter(start.addresses.values()))
    return None


def _one(
    forwarding: Forwarding,
    start: Endpoint,
    end: Endpoint,
    family: int,
    forced: Address | None,
    traffic: Traffic,
) -> Path:
    assert start.device is not None
    target = end.addresses[family]
    sender = start.device
    flow = Flow(traffic.protocol, traffic.port)
    chosen = source = forced or source_for(forwarding, sender, target, flow)
    device = forwarding.devices[sender]
    if source is None:
        # With no route the device would choose none; its main address shows the way back.
        source = main_address(device, family)
    wanted = frozenset((end.device,)) if end.device else frozenset()
    if forwarding.near.is_anycast(target):
        wanted = frozenset(forwarding.near.owner_devices(target))
    packet = Packet(target, source, traffic.size, traffic.dont_fragment, flow)
    if chosen is None and ends_unsent(forwarding, sender, target, flow):
        # Rules are asked before there is a source: one that is filled in here is not theirs.
        outbound = walk(forwarding, sender, replace(packet, source=None), wanted)
    else:
        outbound = walk(forwarding, sender, packet, wanted)
    if source is None:
        reason = f"{sender} has no {'IPv4' if family == 4 else 'IPv6'} address to send from."
        outbound = Leg([Branch([_sender_hop(sender)], "no-source", reason)], 1)
    back: Leg | None = None
    if end.device is not None and source is not None:
        # Where the request does not arrive, the reply is followed as if it had.
        everyone = frozenset(d.name for d in forwarding.tables.network.devices)
        passed = passed_by(outbound) if outbound.state in ("yes", "partly") else everyone
        legs = answers(forwarding, outbound, packet, end.device, passed, (DELIVERED,))
        if legs:
            back = min(legs.values(), key=lambda leg: _ORDER[leg.state])
        if back is not None and outbound.state == "unknown" and forwarding.may_rewrite:
            # To which address it would be answered is not known either.
            back = back if back.state != "no" else None
    states = [outbound.state] + ([back.state] if back is not None else [])
    if end.device is None and outbound.state == "yes":
        states.append("unknown")
    path = Path(sender, source, end.device, target, outbound, back, both_ways(states))
    path.sizes = (
        profile(forwarding, outbound, source, family) if outbound.state == "yes" else None,
        profile(forwarding, back, target, family) if back and back.state == "yes" else None,
    )
    listener, port = end.device, traffic.port
    for branch in outbound.branches:
        if branch.verdict == DELIVERED and branch.packet is not None:
            listener, port = branch.last.device, branch.packet.ends.port
            break
    silent = listener is not None and forwarding.devices[listener].services.sockets is None
    if port is not None and listener is not None and silent:
        # The way is computed; who listens was not gathered, and the answer must say so.
        facts = forwarding.devices[listener]
        service = f"{traffic.protocol} {port}"
        source_of = Source(listener, facts.main_file or "", None, service)
        why = f"whether {listener} listens on {service} is not known: nobody gathered it"
        path.caveats.append((Unmodelled(source_of, why), why))
    seen: set[Unmodelled] = set()
    for leg in (outbound, back):
        for item in leg.caveats if leg else ():
            if item not in seen:
                seen.add(item)
                path.caveats.append((item, item.why))
    return path


def _sender_hop(sender: str) -> Hop:
    return Hop(sender, None, None, reason="no source address")


__all__ = ["Path", "Traffic", "find_path", "source_for"]
