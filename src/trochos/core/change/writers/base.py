"""What every writer can be asked to say."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import ClassVar, TypeVar

from ...network.addressing import Address, InterfaceAddress, Prefix
from ...network.edits import DataEdit, Edit
from ...network.facts import AddressFact, Device, Interface, Source, StaticRoute, Tunnel
from ...network.policy import PrefixRule
from ...network.routing import Process, Redistribution

Edits = tuple[Edit, ...]


class Part:
    """One protocol in one language: what every protocol may be asked to say.

    This one says nothing; a language's parts override what it can say.
    """

    protocol: ClassVar[str] = ""

    def __init__(self, writer: Writer) -> None:
        self.writer, self.device = writer, writer.device

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        """Sets, or with None unsets, a setting of one interface."""
        return None

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        """Sets something of the process itself."""
        return None

    def take_over(self, family: int, other: Device) -> Edits | None:
        """Takes the routes of another routing instance of the device over."""
        return None

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        """Makes the protocol run on an interface."""
        return None

    def speak(self, family: int, interface: Interface, source: Source) -> Edits | None:
        """Makes one interface speak, where the line `source` makes all of them passive."""
        return None

    def router_id(self, family: int, value: Address) -> Edits | None:
        return None

    def announce(self, prefix: Prefix) -> Edits | None:
        """Announces a prefix that the table holds."""
        return None

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        return None

    def default_route(self, family: int) -> Edits | None:
        """Announces a default route."""
        return None


S = TypeVar("S", bound=Part)


class Writer:
    """One device's language: what is said of interfaces, static routes and lists, and a part for
    each protocol. The languages override what they can say."""

    sources_by_interface = True
    """Whether a BGP source may be named by its interface."""

    def __init__(
        self, device: Device, files: Mapping[str, str], parts: Iterable[type[Part]] = ()
    ) -> None:
        self.device, self.files = device, files
        self._parts = {kind.protocol: kind(self) for kind in parts}

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
        ttl: int | None = None,
    ) -> Edits | None:
        """Gives a tunnel other ends, another mode, key or hop limit, where its description
        stands."""
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
        if ttl is not None:
            path = f"{source.path}/ttl"
            out.append(DataEdit(source.device, source.file, path, tunnel.ttl, ttl))
        return tuple(out)

    # -- what languages override -----------------------------------------------------

    def swap(self, source: Source, line: str) -> Edits | None:
        """Another line in the place of one."""
        return None

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

    def leak(self, prefix: Prefix, exit: str, instance: str) -> Edits | None:
        """A static route to what is connected on an interface of another routing instance."""
        return None

    def discard(self, prefix: Prefix, like: StaticRoute) -> Edits | None:
        """A static route that discards, as another one does."""
        return None

    def drop_static(self, route: StaticRoute) -> Edits | None:
        return self.drop(route.source)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        """The same static route through another gateway."""
        gone = self.drop_static(route)
        new = self.static(route.prefix, gateway, route.distance)
        return None if gone is None or new is None else (*gone, *new)

    # -- routing instances -----------------------------------------------------------

    def interface_into(self, interface: Interface, instance: str) -> Edits | None:
        """Puts an interface into another routing instance of the device ("": the main one)."""
        return None

    def static_into(self, route: StaticRoute, instance: str) -> Edits | None:
        """The same static route in another routing instance."""
        return None

    def process_into(self, process: Process, instance: str) -> Edits | None:
        """The same process in another routing instance."""
        return None

    # -- routing protocols -------------------------------------------------------------

    def of(self, protocol: str) -> Part:
        """What this language can say of a protocol."""
        return self._parts.get(protocol) or Part(self)

    def speaks(self, kind: type[S]) -> S:
        """What this language can say of a protocol that has things of its own to say, such as
        `speaks(OspfPart)`."""
        part = self._parts.get(kind.protocol)
        return part if isinstance(part, kind) else kind(self)

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        """Puts an entry into a prefix or access list, in the place of `old` if given."""
        return None
