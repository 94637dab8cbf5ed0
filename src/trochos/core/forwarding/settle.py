"""Tables and forwarding together, where protocols run over tunnels.

Whether neighbours hear each other through a tunnel depends on the outer way, the outer way
on the tables, and those on what neighbours say. So tables are computed as if every tunnel
carried; ends whose outer packets do not arrive are deaf from then on, and tables are computed
again. An end never recovers, so this stops; one that was torn down by its own news would come
and go for ever on real routers, and is remembered in `torn`.
"""

from __future__ import annotations

from ..network.facts import Device, End, Interface, Network
from ..network.ospf import OspfProcess
from ..network.protocols import has_areas
from ..protocols.shared import with_holders
from ..protocols.tables import Tables, compute_tables
from ..step.legs import Leg
from .view import Forwarding


def settle(network: Network, before: Tables | None = None) -> tuple[Tables, Forwarding]:
    """The tables of a network and its forwarding view.

    Args:
        network: the facts.
        before: the tables of the network of which this is a changed copy; see `compute_tables`.
    """
    network = with_holders(network)
    tunnels = [
        End(device.name, interface.name)
        for device in network.devices
        if device.routing.runs
        for interface in device.interfaces
        if interface.tunnel is not None and interface.enabled and _may_carry(device, interface)
    ]
    deaf: frozenset[End] = frozenset()
    torn: dict[End, str] = {}
    unheard: set[End] = set()
    """Ends whose packets arrive and are not taken there: no news of theirs is to blame."""
    # A tunnel that is torn stays so, and there are so many and no more: this ends.
    while True:
        tables = compute_tables(network, deaf, before)
        forwarding = Forwarding(tables, torn=dict(torn))
        for end in tunnels:
            if end in deaf:
                continue
            fates = forwarding.through(end)
            if any(fate.to is None for fate in fates):
                leg = forwarding.under.get(end)
                if isinstance(leg, Leg) and leg.state == "yes":
                    unheard.add(end)
                else:
                    torn[end] = fates[0].reason
        if torn.keys() | unheard == deaf:
            break
        deaf = frozenset(torn.keys() | unheard)
    for device in network.devices:
        for interface in device.interfaces:
            if interface.tunnel is not None:
                # Walked here once: later questions, which may come at the same time from
                # several threads, only look the answer up.
                forwarding.through(End(device.name, interface.name))
    return tables, forwarding


def _may_carry(device: Device, interface: Interface) -> bool:
    """False if certainly no protocol listens on an interface: OSPF alone runs, elsewhere.

    Whether such a tunnel carries changes no table, so it is not worth a second computation.
    """
    routing = device.routing
    if any(not has_areas(p.protocol) for p in routing.processes) or not interface.addresses:
        return True
    return any(
        interface.name in process.interfaces
        or any(
            statement.prefix is None
            or any(statement.prefix.contains(fact.address) for fact in interface.addresses)
            for statement in process.networks
        )
        for process in routing.of(OspfProcess)
    )
