"""Remedies of hosts: the gateway that stands on the host's own link."""

from __future__ import annotations

from ...network.addressing import Address, Prefix
from ...network.edits import Remedy
from ...network.facts import AddressFact, StaticRoute
from .addresses import take_up
from .bench import Bench
from .statics import ways_out


def gateway(bench: Bench, device: str, route: StaticRoute) -> list[Remedy]:
    """Another gateway for a host's route."""
    out = []
    for router, address in ways_out(bench, device, route.prefix.family):
        if address == route.gateway:
            continue
        edits = bench.writer(device).move_static(route, address)
        if edits is not None:
            out.append(Remedy(f"On {device}: use {router} ({address}) as gateway.", edits))
    moved = take_up(bench, device, route.gateway)
    if moved is not None:
        # The router's address is the odd one if others here have what this host looks for.
        usual, others = _usual(bench, route.gateway), _usual(bench, moved[1])
        if usual > others:
            why = f"{usual} other routers have that place in the subnets of their hosts."
            out = [moved[0]._replace(basis=why), *out]
        else:
            out = [*out, moved[0]]
    return out


def _usual(bench: Bench, address: Address | None) -> int:
    """How many routers have an address with the same place in its subnet on links to hosts."""
    if address is None:
        return 0
    hosts = {d.name for d in bench.network.devices if d.is_host}
    count = 0
    for segment in bench.network.segments:
        if not any(end.device in hosts for end in segment.ends):
            continue
        for end in segment.ends:
            interface = bench.tables.links.interface(end)
            if end.device in hosts or interface is None:
                continue
            for fact in interface.addresses:
                if fact.address.family != address.family or fact.address == address:
                    continue
                size = (32 if address.family == 4 else 128) - fact.value.length
                mask = (1 << min(size, 8)) - 1
                count += fact.address.value & mask == address.value & mask
    return count


def missing(bench: Bench, device: str, fact: AddressFact, family: int) -> list[Remedy]:
    """A gateway for a host that has none."""
    out = []
    for router, address in ways_out(bench, device, family):
        edits = bench.writer(device).static(Prefix(family, 0, 0), address)
        if edits is not None:
            out.append(Remedy(f"On {device}: use {router} ({address}) as gateway.", edits))
    return out
