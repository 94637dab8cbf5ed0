"""BGP in FRR's texts."""

from __future__ import annotations

import re

from ....network.addressing import Address, Prefix
from ....network.bgp import BgpNeighbour, BgpProcess
from ....network.edits import Edit, TextEdit
from ....network.facts import Device
from ....network.routing import Redistribution
from ....protocols.bgp.leaks import offers
from ...text import slot, squeeze
from ..base import Edits
from ..bgp import BgpPart, Peer
from .part import FrrPart

_SETTINGS = {
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


class BgpText(FrrPart, BgpPart):
    """`router bgp N` and its address families."""

    words = ("bgp", "bgp")

    def _bgp(self) -> tuple[str, str] | None:
        process = self.device.routing.one(BgpProcess)
        return None if process is None else (squeeze(process.source.text), process.source.file)

    def _family_line(self, family: int, line: str) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        context = (found[0], f"address-family ipv{family} unicast")
        return self.writer.edit(context, (), (line,), found[1])

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        found, pattern = self._bgp(), _SETTINGS.get(what)
        if found is None or pattern is None:
            return None
        if what == "remote AS" and value is not None:
            # One line says both that it is at an interface and which system it is in.
            stem = f"neighbor {peer} interface "
            for row in self.writer.rows((found[0],), found[1]):
                if row.startswith(stem):
                    kept = re.sub(r" remote-as \S+", "", row)
                    line = f"{kept} remote-as {value}"
                    return self.writer.edit((found[0],), (row,), (line,), found[1])
        if value is None:
            # A policy has a direction: what it is for the other way stays.
            line = f"neighbor {peer} {pattern.format('ANY')}"
            held, stem = slot("router", line), line.replace("ANY", "").strip()
            for context in ((found[0],), (found[0], f"address-family ipv{family} unicast")):
                rows = [
                    row
                    for row in self.writer.rows(context, found[1])
                    if (slot("router", row) == held if held else f"{row} ".startswith(f"{stem} "))
                ]
                if rows:
                    return self.writer.edit(context, tuple(rows), (), found[1])
            return None
        line = f"neighbor {peer} {pattern.format(value)}"
        if family is not None:
            return self._family_line(family, line)
        return self.writer.edit((found[0],), (), (line,), found[1])

    def take_over(self, family: int, other: Device) -> Edits | None:
        mine, theirs = (
            process.families.get(family)
            if (process := device.routing.one(BgpProcess)) is not None
            else None
            for device in (self.device, other)
        )
        found = self._bgp()
        if mine is None or found is None:
            return None
        context = (found[0], f"address-family ipv{family} unicast")
        if theirs is None or not offers(theirs) or not (mine.exported or mine.rt_import):
            line = f"import vrf {other.instance or 'default'}"
            return self.writer.edit(context, (), (line,), found[1])
        lines: list[str] = []
        wanted = {word.value for word in theirs.rt_export}
        held = [word.value for word in mine.rt_import]
        if not wanted.intersection(held):
            lines.append(f"rt vpn import {' '.join((*held, theirs.rt_export[0].value))}")
        if mine.taken is None or not mine.taken.value:
            lines.append("import vpn")
        return self.writer.edit(context, (), tuple(lines), found[1]) if lines else None

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        out: list[Edit] = []
        families = [f"address-family ipv{family} unicast" for family in (4, 6)]
        said = re.compile(rf"(no )?neighbor {re.escape(str(old))} (.+)")
        gone: list[Edit] = []
        for context in ((found[0],), *((found[0], family) for family in families)):
            rows = self.writer.rows(context, found[1])
            held = {row: match for row in rows if (match := said.fullmatch(row))}
            moved = [f"{m.group(1) or ''}neighbor {new} {m.group(2)}" for m in held.values()]
            add = tuple(row for row in moved if row not in rows)
            if add:
                out.append(TextEdit(self.device.chassis, found[1], context, (), add))
            if held:
                gone.insert(0, TextEdit(self.device.chassis, found[1], context, tuple(held), ()))
        made = f"neighbor {old} remote-as "
        number = [row for row in self.writer.rows((found[0],), found[1]) if row.startswith(made)]
        if number:
            # What makes it a neighbour goes last, and takes all else of it along.
            gone = [TextEdit(self.device.chassis, found[1], (found[0],), (number[0],), ())]
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
            for row in self.writer.rows((found[0],), found[1]):
                if row.startswith(stem) and not row.startswith(
                    (stem + "remote-as", stem + "description", stem + "password")
                ):
                    lines.append(f"neighbor {peer} " + row[len(stem) :])
            context = (found[0], f"address-family ipv{peer.family} unicast")
            inner = [
                f"neighbor {peer} " + row[len(stem) :]
                for row in self.writer.rows(context, found[1])
                if row.startswith(stem)
            ]
        out = self.writer.edit((found[0],), (), tuple(lines), found[1])
        if inner:
            context = (found[0], f"address-family ipv{peer.family} unicast")
            out = (*out, *self.writer.edit(context, (), tuple(inner), found[1]))
        return out

    def add_neighbour_at(
        self, interface: str, number: int, families: tuple[int, ...]
    ) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        line = f"neighbor {interface} interface remote-as {number}"
        out = self.writer.edit((found[0],), (), (line,), found[1])
        for family in families:
            out = (*out, *(self._family_line(family, f"neighbor {interface} activate") or ()))
        return out

    def confederation_member(self, number: int) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        stem = "bgp confederation peers"
        rows = [row for row in self.writer.rows((found[0],), found[1]) if row.startswith(stem)]
        known = {int(word) for row in rows for word in row.split()[3:] if word.isdigit()}
        line = " ".join([stem, *(str(item) for item in sorted({*known, number}))])
        return self.writer.edit((found[0],), tuple(rows), (line,), found[1])

    def start(
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
        file = self.writer.file
        if "bgpd.conf" in self.writer.files:
            file = "bgpd.conf"
        out = self.writer.edit((opening,), (), tuple(lines), file)
        for family, listed in inner.items():
            if listed:
                context = (opening, f"address-family ipv{family} unicast")
                out = (*out, *self.writer.edit(context, (), tuple(listed), file))
        return out

    def announce(self, prefix: Prefix) -> Edits | None:
        return self._family_line(prefix.family, f"network {prefix}")

    def renumber(self, number: int) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        new = re.sub(r"^router bgp \S+", f"router bgp {number}", found[0])
        return self.writer.reopen(found[0], new, found[1])

    def no_external_policy(self) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        process = self.device.routing.one(BgpProcess)
        assert process is not None
        if process.requires_policy is not None and process.requires_policy.value:
            return self.writer.swap(process.requires_policy.source, "no bgp ebgp-requires-policy")
        return self.writer.edit((found[0],), (), ("no bgp ebgp-requires-policy",), found[1])

    def router_id(self, family: int, value: Address) -> Edits | None:
        found = self._bgp()
        if found is None:
            return None
        return self.writer.edit((found[0],), (), (f"bgp router-id {value}",), found[1])

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        return self._family_line(family, self.redistribution(what, like))
