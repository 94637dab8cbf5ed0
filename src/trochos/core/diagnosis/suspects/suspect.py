"""What a suspect is, how much it is believed, and what all of them ask of a network."""

from __future__ import annotations

from dataclasses import dataclass

from ...network.addressing import Address, Prefix
from ...network.edits import Edit
from ...network.facts import Device, Source
from ...network.ospf import OspfProcess
from ...protocols.ospf.interfaces import ends_of
from ..finding import NEW_LINE, Finding
from ..remedies.bench import Bench

KINDS = {
    "filter-stops": "A filter stops the traffic of a complaint.",
    "reverse-path-stops": "A reverse-path check drops what comes another way than it goes.",
    "source-not-rewritten": "A source leaves with its inside address where others are rewritten.",
    "rewritten-source-unrouted": "A source is rewritten to an address that nobody sends back.",
    "hairpin-missing": "Client and server share a LAN, and the answer passes by who translates.",
    "answer-elsewhere": "The answer leaves by another router than the one that led the request in.",
    "forward-missing": "An outside address or port is led to nobody inside.",
    "forward-astray": "An outside address or port is led to where nobody answers.",
    "static-overrides": "A static route overrides a better one that leads to the target.",
    "static-astray": "A static route sends packets to a neighbour that does not lead there.",
    "rule-route-astray": "A route in a table that a rule leads to does not lead there.",
    "static-mistyped": "A static route is for what nobody has, and one like it is missing.",
    "route-missing": "A router lacks a route that a neighbour could provide.",
    "isis-told-to-nobody": "A router announces what others need into a level of IS-IS in which "
    "nobody hears it.",
    "protocol-missing": "A router does not run the protocol that those beside it speak.",
    "announcement-missing": "A router has a prefix and does not announce it.",
    "aggregate-missing": "A router announces its static routes and has none, where others like it "
    "have one for all that lies behind them.",
    "default-missing": "A router is told to announce a default route and has none.",
    "default-not-announced": "A router has a default route and does not announce it.",
    "instance-holds-link": "What a packet needs is connected in another routing instance of the "
    "device.",
    "leak-one-way": "A route leads from one routing instance into another, and none leads back.",
    "list-denies": "An entry of a list denies a route that others need.",
    "kept-out-of-table": "A map between a protocol and the table keeps out a route that others "
    "need.",
    "list-omits": "A list does not permit a route that others need.",
    "list-undefined": "A route map matches a list that nobody wrote.",
    "policy-refuses": "A BGP policy refuses a route that others need.",
    "own-as-refused": "A site of a system does not take what another site of it announces.",
    "filter-hides": "A filter keeps a route from the routers behind it.",
    "range-hides": "An area range or summary hides a prefix.",
    "mesh-hole": "Two BGP speakers of one system are not neighbours.",
    "next-hop-unknown-inside": "A BGP route is passed on with a next hop nobody inside can reach.",
}
TRAITS = {"route-missing": NEW_LINE}


# How much a suspect is believed before it is tried: lower is believed more.
SURE, LIKELY, PLAUSIBLE, POSSIBLE, WORKAROUND = range(5)


@dataclass(frozen=True, slots=True)
class Suspect:
    """A finding with remedies, and how much it is believed before they are tried."""

    finding: Finding
    weight: int


def missing_line(
    bench: Bench, device: Device, protocol: str, family: int, edits: tuple[Edit, ...]
) -> Source:
    """The line that should be there, as evidence."""
    edit = edits[-1]
    lines = getattr(edit, "add", None)
    text = lines[0] if lines else str(getattr(edit, "path", ""))
    source = device.routing.called(protocol, family)[-1].source
    return source._replace(line=None, text=text, missing=True, after=source.line, path=None)


def home_of(bench: Bench, target: Address) -> Prefix | None:
    for owner in bench.forwarding.near.owners.get(target, ()):
        interface = bench.tables.links.interface(owner.end)
        for fact in interface.addresses if interface is not None else ():
            if fact.address == target:
                mates = [
                    own.connected
                    for _, other in bench.beside(owner.end.device)
                    if not bench.devices[other.device].is_host
                    for far in [bench.tables.links.interface(other)]
                    for own in (far.addresses if far is not None else ())
                    if own.connected.contains(target)
                ]
                return mates[0] if mates else fact.connected
    return None


def areas_of(bench: Bench, device: Device, family: int) -> dict[int, int]:
    """The OSPF areas of a device, each with the number of its interfaces there."""
    out: dict[int, int] = {}
    for process in device.routing.of(OspfProcess):
        if process.family == family:
            for end in ends_of(device, process, bench.tables.links):
                if end.area is not None:
                    out[end.area.value] = out.get(end.area.value, 0) + 1
    return out
