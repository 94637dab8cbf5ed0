"""What every writer can be asked to say."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from ...network.addressing import Address, InterfaceAddress, Prefix
from ...network.edits import DataEdit, Edit
from ...network.facts import AddressFact, Device, Interface, Source, StaticRoute, Tunnel
from ...network.policy import PrefixRule
from ...network.routing import BgpNeighbour, Redistribution, VirtualLink

Edits = tuple[Edit, ...]


class Peer(NamedTuple):
    """What is said of a BGP neighbour that is made anew."""

    address: Address
    number: int
    source: Interface | None = None
    """Where to talk from, if not from where the route leads."""
    password: str | None = None
    multihop: int | None = None
    next_hop_self: bool = False


class Writer:
    """Says nothing about protocols; the languages override what they can say."""

    sources_by_interface = True
    """Whether a BGP source may be named by its interface."""

    def __init__(self, device: Device, files: Mapping[str, str]) -> None:
        self.device, self.files = device, files

    # -- any language ------------------------------------------------------------

    def drop(self, source: Source) -> Edits | None:
        """Takes one line or value out."""
        if source.path is not None and source.line is not None:
            return (DataEdit(source.device, source.file, source.path),)
        return None

    def permit_instead(self, source: Source) -> Edits | None:
        """An entry that denies made one that permits."""
        return None

    def mtu(self, interface: Interface, value: int) -> Edits | None:
        """Sets the MTU where it was captured or configured."""
        source = interface.mtu_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, source.path, interface.mtu, value),)

    def tunnel(
        self,
        tunnel: Tunnel,
        local: Address | None = None,
        remote: Address | None = None,
        mode: str | None = None,
        key: str | None = None,
    ) -> Edits | None:
        """Gives a tunnel other ends, another mode or key, where its description stands."""
        source = tunnel.source
        if source.path is None:
            return None
        out: list[Edit] = []
        for leaf, old, new in (
            ("local", tunnel.local, local),
            ("remote", tunnel.remote, remote),
            ("mode", tunnel.mode, mode),
            ("key", tunnel.key, key),
        ):
            if new is None:
                continue
            held = None if old is None else str(old)
            paths = [f"{source.path}/{leaf}"]
            if source.path.endswith("/info_data"):
                # As a system shows its links: the kind stands beside the data, a key in each way.
                above = source.path.removesuffix("/info_data")
                shown = {"mode": [f"{above}/info_kind"]}
                shown["key"] = [f"{source.path}/{way}key" for way in "io"]
                paths = shown.get(leaf, paths)
            out += [DataEdit(source.device, source.file, p, held, str(new)) for p in paths]
        return tuple(out)

    # -- what languages override -----------------------------------------------------

    def enable(self, interface: Interface) -> Edits | None:
        return None

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        return None

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        return None

    def drop_static(self, route: StaticRoute) -> Edits | None:
        return self.drop(route.source)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        """The same static route through another gateway."""
        gone = self.drop_static(route)
        new = self.static(route.prefix, gateway, route.distance)
        return None if gone is None or new is None else (*gone, *new)

    def interface_setting(
        self, protocol: str, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        """Sets, or with None unsets, a protocol's setting of one interface."""
        return None

    def cover(
        self,
        protocol: str,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int,
        number: int | None = None,
    ) -> Edits | None:
        """Makes a protocol run on an interface."""
        return None

    def router_id(self, protocol: str, family: int, value: Address) -> Edits | None:
        return None

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        return None

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        """Lists an OSPF neighbour on a link without multicast."""
        return None

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        """An OSPF virtual link in the place of what is said of it, if anything is."""
        return None

    def redistribute(
        self, protocol: str, family: int, what: str, like: Redistribution | None
    ) -> Edits | None:
        return None

    def default_route(self, protocol: str, family: int) -> Edits | None:
        """Announces a default route."""
        return None

    def system_number(self, number: int) -> Edits | None:
        """Gives EIGRP another autonomous system number."""
        return None

    def rip_version(self, value: int) -> Edits | None:
        return None

    def weights(self, values: tuple[int, ...] | None) -> Edits | None:
        return None

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        """Sets or unsets something of a BGP neighbour, in one address family or for all. `peer`
        is what the configuration calls it: an address, an interface or a group."""
        return None

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        """All that is said of one BGP neighbour said of another address."""
        return None

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        return None

    def add_neighbour_at(
        self, interface: str, number: int, families: tuple[int, ...]
    ) -> Edits | None:
        """Whoever is at the other end of an interface made a BGP neighbour."""
        return None

    def confederation_member(self, number: int) -> Edits | None:
        """Makes another member system of the own confederation known."""
        return None

    def start_bgp(
        self, number: int, peers: tuple[Peer, ...], networks: tuple[Prefix, ...], lax: bool
    ) -> Edits | None:
        """A BGP process that is not there yet; `lax`: it requires no external policy."""
        return None

    def bgp_network(self, prefix: Prefix) -> Edits | None:
        return None

    def no_external_policy(self) -> Edits | None:
        return None

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        """Puts an entry into a prefix or access list, in the place of `old` if given."""
        return None
