"""FRR's configuration language (the text its daemons print)."""

from __future__ import annotations

import re

from ...network.addressing import Address, InterfaceAddress, Prefix, dotted
from ...network.edits import Edit, TextEdit
from ...network.facts import AddressFact, Interface, Source
from ...network.policy import PrefixRule
from ...network.routing import (
    BgpNeighbour,
    EigrpProcess,
    NetworkStatement,
    OspfProcess,
    Redistribution,
    RipProcess,
    VirtualLink,
)
from ..text import Section, sections, slot, squeeze
from .base import Edits, Peer, Writer

_OSPF = {
    "area": "area {}",
    "hello": "hello-interval {}",
    "dead": "dead-interval {}",
    "network type": "network {}",
    "priority": "priority {}",
    "cost": "cost {}",
    "passive": "passive",
    "ignore MTU": "mtu-ignore",
    "key": "authentication-key {}",
    "instance": "instance-id {}",
}
_AUTHENTICATION = {
    "none": "authentication null",
    "simple": "authentication",
    "message-digest": "authentication message-digest",
}
_RIP = {
    "authentication": "authentication mode {}",
    "key": "authentication string {}",
    "key chain": "authentication key-chain {}",
    "send": "send version {}",
    "receive": "receive version {}",
}
_NEIGHBOUR = {
    "remote AS": "remote-as {}",
    "source": "update-source {}",
    "password": "password {}",
    "multihop": "ebgp-multihop {}",
    "shutdown": "shutdown",
    "passive": "passive",
    "active": "activate",
    "next hop self": "next-hop-self",
    "maximum": "maximum-prefix {}",
    "policy in": "route-map {} in",
    "policy out": "route-map {} out",
    "client": "route-reflector-client",
    "own AS": "allowas-in {}",
    "role": "local-role {}",
}


class FrrWriter(Writer):
    """Edits of one FRR text."""

    @property
    def file(self) -> str:
        return self.device.main_file or "frr.conf"

    def _edit(
        self,
        context: tuple[str, ...],
        remove: tuple[str, ...] = (),
        add: tuple[str, ...] = (),
        file: str | None = None,
    ) -> Edits:
        # What a line replaces is named, so that the change can be followed and taken back.
        opening = context[-1] if context else ""
        replaced = [
            row
            for row in self._rows(context, file)
            for line in add
            if row not in remove and row != line and (held := slot(opening, line)) is not None
            if slot(opening, row) == held
        ]
        remove = (*remove, *dict.fromkeys(replaced))
        return (TextEdit(self.device.name, file or self.file, context, remove, add),)

    def _context(self, source: Source) -> tuple[tuple[str, ...], str] | None:
        """The section a line stands in, and the line itself."""
        text = self.files.get(source.file)
        if text is None or source.line is None:
            return None
        rows = text.split("\n")
        at = source.line - 1
        if at >= len(rows):
            return None

        def search(here: Section, trail: tuple[str, ...]) -> tuple[str, ...] | None:
            if at in here.body or at == here.start:
                return trail if at in here.body else trail[:-1]
            for inner in here.inner:
                if inner.start <= at < max(inner.end, inner.start + 1):
                    found = search(inner, (*trail, inner.opening))
                    if found is not None:
                        return found
            return None

        trail = search(sections(rows), ())
        return None if trail is None else (trail, squeeze(rows[at]))

    def drop(self, source: Source) -> Edits | None:
        if source.default or source.missing:
            return None
        if source.path is not None:
            return super().drop(source)
        found = self._context(source)
        return None if found is None else self._edit(found[0], (found[1],), (), source.file)

    def swap(self, source: Source, line: str) -> Edits | None:
        """Another line in the place of one."""
        found = self._context(source)
        if found is None:
            return None
        return self._edit(found[0], (found[1],), (line,), source.file)

    def permit_instead(self, source: Source) -> Edits | None:
        if source.path is not None or " deny " not in source.text:
            return None
        return self.swap(source, squeeze(source.text).replace(" deny ", " permit ", 1))

    # -- interfaces ----------------------------------------------------------------

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None or source.path is not None:
            return None
        return self.drop(source)

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        word = "ip" if new.address.family == 4 else "ipv6"
        line = f"{word} address {new}"
        if old is None:
            source = interface.source
            file = source.file if source is not None and source.path is None else None
            return self._edit((f"interface {interface.name}",), (), (line,), file)
        if old.source.path is not None:
            return None
        return self.swap(old.source, line)

    # -- static routes ----------------------------------------------------------------

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        word = "ip" if prefix.family == 4 else "ipv6"
        tail = f" {distance}" if distance != 1 else ""
        others = [s.source.file for s in self.device.statics if s.source.path is None]
        file = others[0] if others else None
        return self._edit((), (), (f"{word} route {prefix} {gateway}{tail}",), file)

    # -- OSPF, RIP, EIGRP ---------------------------------------------------------------

    def _process(
        self, protocol: str, family: int
    ) -> OspfProcess | RipProcess | EigrpProcess | None:
        routing = self.device.routing
        listed: list[OspfProcess | RipProcess | EigrpProcess] = []
        if protocol == "ospf":
            listed += routing.ospf
        elif protocol == "rip":
            listed += routing.rip
        elif protocol == "eigrp":
            listed += routing.eigrp
        return next((p for p in listed if p.family == family), None)

    def _router(self, protocol: str, family: int) -> tuple[str, str]:
        """The opening line of a protocol's section and its file."""
        process = self._process(protocol, family)
        if process is not None:
            return squeeze(process.source.text), process.source.file
        word = {"ospf": "ospf" if family == 4 else "ospf6", "rip": "rip"}.get(protocol, protocol)
        return f"router {word}", self.file

    def interface_setting(
        self, protocol: str, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        line = self._setting_line(protocol, family, what, value)
        if line is None:
            return None
        context = (f"interface {interface}",)
        file = self._router(protocol, family)[1]
        if value is not None:
            return self._edit(context, (), (line,), file)
        standing = [row for row in self._rows(context, file) if (row + " ").startswith(line + " ")]
        return self._edit(context, tuple(standing), (), file) if standing else None

    def _rows(self, context: tuple[str, ...], file: str | None) -> list[str]:
        rows = self.files.get(file or self.file, "").split("\n")
        here = [sections(rows)]
        for opening in context:
            here = [inner for item in here for inner in item.inner if inner.opening == opening]
        return [squeeze(rows[n]) for item in here for n in item.body]

    def _setting_line(self, protocol: str, family: int, what: str, value: str | None) -> str | None:
        """The line that sets it; without a value the words such lines begin with."""
        shown = "" if value is None else value
        if protocol == "ospf":
            stem = "ip ospf" if family == 4 else "ipv6 ospf6"
            if what == "authentication":
                rest = "authentication" if value is None else _AUTHENTICATION.get(value)
                return f"{stem} {rest}" if rest and family == 4 else None
            if what.startswith("digest"):
                line = f"{stem} message-digest-key {what.split()[1]}"
                return line if value is None else f"{line} md5 {value}"
            pattern = _OSPF.get(what)
        elif protocol == "rip":
            stem, pattern = "ip rip", _RIP.get(what)
        elif protocol == "eigrp":
            process = self._process("eigrp", family)
            number = getattr(process, "number", 0)
            if what == "authentication":
                return f"ip authentication mode eigrp {number} {shown}".strip()
            if what == "key chain":
                return f"ip authentication key-chain eigrp {number} {shown}".strip()
            return None
        else:
            return None
        return None if pattern is None else f"{stem} {pattern.format(shown)}".strip()

    def cover(
        self,
        protocol: str,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int,
        number: int | None = None,
    ) -> Edits | None:
        opening, file = self._router(protocol, family)
        if opening == "router eigrp" and number is not None:
            opening = f"router eigrp {number}"
        if protocol == "ospf":
            process = self._process("ospf", family)
            on_interfaces = family == 6 or (
                isinstance(process, OspfProcess)
                and not process.networks
                and any(item.area for item in process.interfaces.values())
            )
            if on_interfaces:
                word = "ip ospf" if family == 4 else "ipv6 ospf6"
                shown_area = str(area)
                if isinstance(process, OspfProcess) and any(
                    "." in item.area.source.text.split()[-1]
                    for item in process.interfaces.values()
                    if item.area is not None
                ):
                    shown_area = ".".join(str(area >> shift & 255) for shift in (24, 16, 8, 0))
                line = f"{word} area {shown_area}"
                return self._edit((f"interface {interface.name}",), (), (line,), file)
            return self._edit((opening,), (), (f"network {prefix} area {area}",), file)
        statements = self._statements(protocol, family)
        named = sum(1 if s.interface is not None else -1 for s in statements)
        # As this router writes its others: most name prefixes, some name interfaces.
        shown = interface.name if family == 6 or (protocol == "rip" and named > 0) else str(prefix)
        return self._edit((opening,), (), (f"network {shown}",), file)

    def _statements(self, protocol: str, family: int) -> list[NetworkStatement]:
        found = [p for p in getattr(self.device.routing, protocol) if p.family == family]
        return [statement for process in found for statement in process.networks]

    def router_id(self, protocol: str, family: int, value: Address) -> Edits | None:
        if protocol == "bgp":
            process = self.device.routing.bgp
            if process is None:
                return None
            line = f"bgp router-id {value}"
            return self._edit((squeeze(process.source.text),), (), (line,), process.source.file)
        opening, file = self._router(protocol, family)
        word = {"ospf": "ospf router-id" if family == 4 else "ospf6 router-id"}.get(
            protocol, "eigrp router-id"
        )
        return self._edit((opening,), (), (f"{word} {value}",), file)

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        process = self._process("ospf", family)
        if not isinstance(process, OspfProcess):
            return None
        opening = squeeze(process.source.text)
        held = process.areas.get(area)
        remove: tuple[str, ...] = ()
        if held is not None and held.kind_source is not None:
            remove = (squeeze(held.kind_source.text),)
        add: tuple[str, ...] = ()
        if kind != "normal":
            add = (f"area {area} {kind}" + ("" if summaries else " no-summary"),)
        return self._edit((opening,), remove, add, process.source.file)

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        opening, file = self._router("ospf", 4)
        return self._edit((opening,), (), (f"neighbor {address}",), file)

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        opening, file = self._router("ospf", family)
        end = dotted(link.neighbour)
        rows = [row.split() for row in self._rows((opening,), file) if row.startswith("area ")]
        held = [" ".join(row) for row in rows if row[2:4] == ["virtual-link", end]]
        names = (str(link.area), dotted(link.area))
        area = next((row[1] for row in rows if row[1] in names), names[0])
        stem = f"area {area} virtual-link {end}"
        timers = [
            f" {name}-interval {value.value}"
            for name, value in (("hello", link.hello), ("dead", link.dead))
            if value is not None
        ]
        lines = []
        if link.authentication is not None:
            lines.append(f"{stem} {_AUTHENTICATION[link.authentication.value]}")
        if link.key is not None:
            lines.append(f"{stem} authentication-key {link.key.value}")
        lines += [f"{stem} message-digest-key {id_} md5 {word.value}" for id_, word in link.digests]
        if timers or not lines:
            lines.insert(0, stem + "".join(timers))
        # What both sides say stays as it stands.
        gone = tuple(row for row in held if row not in lines)
        return self._edit((opening,), gone, tuple(row for row in lines if row not in held), file)

    def redistribute(
        self, protocol: str, family: int, what: str, like: Redistribution | None
    ) -> Edits | None:
        line = f"redistribute {what}"
        if like is not None:
            if like.metric is not None:
                line += f" metric {like.metric}"
            if like.metric_type is not None and protocol == "ospf":
                line += f" metric-type {like.metric_type}"
            if like.route_map is not None:
                line += f" route-map {like.route_map}"
        if protocol == "bgp":
            return self._family_line(family, line)
        opening, file = self._router(protocol, family)
        return self._edit((opening,), (), (line,), file)

    def default_route(self, protocol: str, family: int) -> Edits | None:
        if protocol not in ("ospf", "rip"):
            return None
        opening, file = self._router(protocol, family)
        return self._edit((opening,), (), ("default-information originate",), file)

    def system_number(self, number: int) -> Edits | None:
        process = self._process("eigrp", 4)
        if not isinstance(process, EigrpProcess):
            return None
        old = squeeze(process.source.text)
        rows = tuple(self._rows((old,), process.source.file))
        new = f"router eigrp {number}"
        out: list[Edit] = [
            TextEdit(self.device.name, process.source.file, (), (old,), ()),
            TextEdit(self.device.name, process.source.file, (new,), (), rows),
        ]
        for interface in self.device.interfaces:
            context = (f"interface {interface.name}",)
            held = self._rows(context, process.source.file)
            lines = [row for row in held if f" eigrp {process.number}" in row]
            if lines:
                moved = [
                    row.replace(f" eigrp {process.number}", f" eigrp {number}") for row in lines
                ]
                out.append(
                    TextEdit(
                        self.device.name, process.source.file, context, tuple(lines), tuple(moved)
                    )
                )
        return tuple(out)

    def rip_version(self, value: int) -> Edits | None:
        opening, file = self._router("rip", 4)
        return self._edit((opening,), (), (f"version {value}",), file)

    def weights(self, values: tuple[int, ...] | None) -> Edits | None:
        process = self._process("eigrp", 4)
        if not isinstance(process, EigrpProcess):
            return None
        opening = squeeze(process.source.text)
        if values is None:
            return self.drop(process.weights_source) if process.weights_source else None
        line = "metric weights " + " ".join(str(k) for k in values[:5])
        return self._edit((opening,), (), (line,), process.source.file)

    # -- BGP -----------------------------------------------------------------------------

    def _bgp(self) -> tuple[str, str] | None:
        process = self.device.routing.bgp
        return None if process is None else (squeeze(process.source.text), process.source.file)

    def _family_line(self, family: int, line: str) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        context = (found[0], f"address-family ipv{family} unicast")
        return self._edit(context, (), (line,), found[1])

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        found, pattern = self._bgp(), _NEIGHBOUR.get(what)
        if found is None or pattern is None:
            return None
        if what == "remote AS" and value is not None:
            # One line says both that it is at an interface and which system it is in.
            stem = f"neighbor {peer} interface "
            for row in self._rows((found[0],), found[1]):
                if row.startswith(stem):
                    kept = re.sub(r" remote-as \S+", "", row)
                    line = f"{kept} remote-as {value}"
                    return self._edit((found[0],), (row,), (line,), found[1])
        if value is None:
            # A policy has a direction: what it is for the other way stays.
            line = f"neighbor {peer} {pattern.format('ANY')}"
            held, stem = slot("router", line), line.replace("ANY", "").strip()
            for context in ((found[0],), (found[0], f"address-family ipv{family} unicast")):
                rows = [
                    row
                    for row in self._rows(context, found[1])
                    if (slot("router", row) == held if held else f"{row} ".startswith(f"{stem} "))
                ]
                if rows:
                    return self._edit(context, tuple(rows), (), found[1])
            return None
        line = f"neighbor {peer} {pattern.format(value)}"
        if family is not None:
            return self._family_line(family, line)
        return self._edit((found[0],), (), (line,), found[1])

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        out: list[Edit] = []
        families = [f"address-family ipv{family} unicast" for family in (4, 6)]
        said = re.compile(rf"(no )?neighbor {re.escape(str(old))} (.+)")
        gone: list[Edit] = []
        for context in ((found[0],), *((found[0], family) for family in families)):
            rows = self._rows(context, found[1])
            held = {row: match for row in rows if (match := said.fullmatch(row))}
            moved = [f"{m.group(1) or ''}neighbor {new} {m.group(2)}" for m in held.values()]
            add = tuple(row for row in moved if row not in rows)
            if add:
                out.append(TextEdit(self.device.name, found[1], context, (), add))
            if held:
                gone.insert(0, TextEdit(self.device.name, found[1], context, tuple(held), ()))
        made = f"neighbor {old} remote-as "
        number = [row for row in self._rows((found[0],), found[1]) if row.startswith(made)]
        if number:
            # What makes it a neighbour goes last, and takes all else of it along.
            gone = [TextEdit(self.device.name, found[1], (found[0],), (number[0],), ())]
        return (*out, *gone) or None

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        lines = [f"neighbor {peer} remote-as {number}"]
        inner: list[str] = []
        if like is not None and like.address is not None:
            # What this device says to its other neighbours of the kind, it says here too.
            stem = f"neighbor {like.address} "
            for row in self._rows((found[0],), found[1]):
                if row.startswith(stem) and not row.startswith(
                    (stem + "remote-as", stem + "description", stem + "password")
                ):
                    lines.append(f"neighbor {peer} " + row[len(stem) :])
            context = (found[0], f"address-family ipv{peer.family} unicast")
            inner = [
                f"neighbor {peer} " + row[len(stem) :]
                for row in self._rows(context, found[1])
                if row.startswith(stem)
            ]
        out = self._edit((found[0],), (), tuple(lines), found[1])
        if inner:
            context = (found[0], f"address-family ipv{peer.family} unicast")
            out = (*out, *self._edit(context, (), tuple(inner), found[1]))
        return out

    def add_neighbour_at(
        self, interface: str, number: int, families: tuple[int, ...]
    ) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        line = f"neighbor {interface} interface remote-as {number}"
        out = self._edit((found[0],), (), (line,), found[1])
        for family in families:
            out = (*out, *(self._family_line(family, f"neighbor {interface} activate") or ()))
        return out

    def confederation_member(self, number: int) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        stem = "bgp confederation peers"
        rows = [row for row in self._rows((found[0],), found[1]) if row.startswith(stem)]
        known = {int(word) for row in rows for word in row.split()[3:] if word.isdigit()}
        line = " ".join([stem, *(str(item) for item in sorted({*known, number}))])
        return self._edit((found[0],), tuple(rows), (line,), found[1])

    def start_bgp(
        self, number: int, peers: tuple[Peer, ...], networks: tuple[Prefix, ...], lax: bool
    ) -> Edits | None:
        opening = f"router bgp {number}"
        lines = ["no bgp ebgp-requires-policy"] if lax else []
        inner: dict[int, list[str]] = {4: [], 6: []}
        for peer in peers:
            stem = f"neighbor {peer.address}"
            lines.append(f"{stem} remote-as {peer.number}")
            if peer.password is not None:
                lines.append(f"{stem} password {peer.password}")
            if peer.multihop is not None:
                lines.append(f"{stem} ebgp-multihop {peer.multihop}")
            if peer.source is not None:
                lines.append(f"{stem} update-source {peer.source.name}")
            family = peer.address.family
            if family == 6:
                lines.append(f"no {stem} activate")
                inner[6].append(f"{stem} activate")
            if peer.next_hop_self:
                inner[family].append(f"{stem} next-hop-self")
        for prefix in networks:
            inner[prefix.family].append(f"network {prefix}")
        file = self.file
        if "bgpd.conf" in self.files:
            file = "bgpd.conf"
        out = self._edit((opening,), (), tuple(lines), file)
        for family, listed in inner.items():
            if listed:
                context = (opening, f"address-family ipv{family} unicast")
                out = (*out, *self._edit(context, (), tuple(listed), file))
        return out

    def bgp_network(self, prefix: Prefix) -> Edits | None:
        return self._family_line(prefix.family, f"network {prefix}")

    def no_external_policy(self) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        process = self.device.routing.bgp
        assert process is not None
        if process.requires_policy is not None and process.requires_policy.value:
            return self.swap(process.requires_policy.source, "no bgp ebgp-requires-policy")
        return self._edit((found[0],), (), ("no bgp ebgp-requires-policy",), found[1])

    # -- policy ------------------------------------------------------------------------

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        verb = "permit" if permit else "deny"
        policy = self.device.policy
        held = (policy.prefix_lists if kind == "prefix" else policy.access_lists).get(
            (prefix.family, name), ()
        )
        lowest = min((rule.sequence for rule in held), default=10)
        sequence = old.sequence if old is not None else max(1, lowest - 1)
        head = {
            ("prefix", 4): f"ip prefix-list {name}",
            ("prefix", 6): f"ipv6 prefix-list {name}",
            ("access", 4): f"access-list {name}",
            ("access", 6): f"ipv6 access-list {name}",
        }[kind, prefix.family]
        line = f"{head} seq {sequence} {verb} {prefix}"
        if old is not None:
            return self.swap(old.source, line)
        return self._edit((), (), (line,), held[0].source.file if held else None)
