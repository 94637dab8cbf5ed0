"""A Linux host or router, known by what iproute2 showed of it (JSON)."""

from __future__ import annotations

from ...network.addressing import Address, InterfaceAddress, Prefix
from ...network.edits import DataEdit, Edit
from ...network.facts import AddressFact, Interface, StaticRoute
from .base import Edits, Writer


class LinuxWriter(Writer):
    """Edits of the captured lists: what the device would show after the change."""

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, f"{source.path}", None, ["UP", "LOWER_UP"]),)

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        if old is None or old.source.path is None:
            return None
        out: list[Edit] = []
        place = old.source.device, old.source.file
        if old.address != new.address:
            path = f"{old.source.path}/local"
            out.append(DataEdit(*place, path, str(old.address), str(new.address)))
        if old.value.length != new.length:
            path = f"{old.source.path}/prefixlen"
            out.append(DataEdit(*place, path, old.value.length, new.length))
        return tuple(out)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        path = route.source.path
        if path is None or route.gateway is None:
            return None
        return (
            DataEdit(
                route.source.device,
                route.source.file,
                f"{path}/gateway",
                str(route.gateway),
                str(gateway),
            ),
        )

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        exits = (
            [exit]
            if exit is not None
            else [
                interface.name
                for interface in self.device.interfaces
                for fact in interface.addresses
                if fact.connected.contains(gateway)
            ]
        )
        if not exits:
            return None
        number = 6 if prefix.family == 6 else ""
        listed = [
            route.source
            for route in self.device.statics
            if route.prefix.family == prefix.family and route.source.path is not None
        ]
        file = (
            listed[0].file
            if listed
            else next(
                (name for name in sorted(self.files) if name.endswith(f"route{number}.json")), None
            )
        )
        if file is None:
            return None
        entry: dict[str, object] = {
            "dst": "default" if prefix.is_default else str(prefix),
            "gateway": str(gateway),
            "dev": exits[0],
            "flags": [],
        }
        return (DataEdit(self.device.chassis, file, "/99999", None, entry),)
