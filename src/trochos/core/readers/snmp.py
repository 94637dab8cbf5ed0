"""SNMP walks of the standard MIBs, one object per line with its type (numeric identifiers).

IF-MIB (RFC 2863), IP-MIB (RFC 4293), IP-FORWARD-MIB (RFC 4292 and the older tables), LLDP-MIB
(IEEE 802.1AB). They show what a device is, not how it was configured: its routing table is set
beside the computed one, static entries count as configuration, and a protocol that taught it
routes makes its answers unknown, because nobody can compute what it would learn.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..network.addressing import (
    Address,
    InterfaceAddress,
    Prefix,
    format_address,
    mask_length,
    parse_address,
    prefix_of,
)
from ..network.facts import (
    AddressFact,
    GatheredRoute,
    Heard,
    Source,
    StaticRoute,
    Unmodelled,
)
from ..network.protocols import by_table, names
from .drafts import CaptureDraft, InterfaceDraft
from .report import Ledger, split_lines

KIND = "SNMP walk"
_LINE = re.compile(r"^\.?((?:\d+\.)+\d+)\s*=\s*(?:([A-Za-z][\w-]*):\s?)?(.*)$")
_IF, _IFX = (1, 3, 6, 1, 2, 1, 2, 2, 1), (1, 3, 6, 1, 2, 1, 31, 1, 1, 1)
_NAME = (1, 3, 6, 1, 2, 1, 1, 5, 0)
_IP = (1, 3, 6, 1, 2, 1, 4)
_ADDRESSES, _OLD_ADDRESSES = (*_IP, 34, 1), (*_IP, 20, 1)
_ROUTES, _CIDR, _OLD = (*_IP, 24, 7, 1), (*_IP, 24, 4, 1), (*_IP, 24, 2, 1)
_LLDP_PORT, _LLDP = (1, 0, 8802, 1, 1, 2, 1, 3, 7, 1), (1, 0, 8802, 1, 1, 2, 1, 4, 1, 1)
_LOOPBACK, _TUNNEL = 24, 131
_STATIC = 3
# IANAipRouteProtocol.
_PROTOCOLS = {
    1: "other",
    2: "connected",
    3: "static",
    4: "redirect",
} | by_table()
_LEARNED = names()

Oid = tuple[int, ...]


class _Row(NamedTuple):
    value: str
    line: int
    kind: str


def looks_like(text: str) -> bool:
    """True if nearly every line is an object identifier and a value."""
    lines = [line for line in split_lines(text)[:60] if line.strip()]
    hits = sum(1 for line in lines if _LINE.match(line) and line.lstrip(".")[:2] == "1.")
    return len(lines) > 1 and hits * 10 >= len(lines) * 8


def read(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    """Reads one walk."""
    return _Reader(device, file, text).read()


class _Reader:
    def __init__(self, device: str, file: str, text: str) -> None:
        self.device, self.file = device, file
        self.lines = split_lines(text)
        self.ledger = Ledger(device, file, KIND, self.lines)
        self.draft = CaptureDraft(file)
        self.rows: dict[Oid, _Row] = {}
        self.ports: dict[int, str] = {}

    def read(self) -> tuple[CaptureDraft, Ledger]:
        oid: Oid | None = None
        for number, line in enumerate(self.lines, 1):
            match = _LINE.match(line)
            if match is not None:
                oid = tuple(map(int, match.group(1).split(".")))
                value = match.group(3).strip()
                self.rows[oid] = _Row(value.strip('"'), number, match.group(2) or "STRING")
            elif oid is not None and self.rows[oid].kind == "Hex-STRING" and line.strip():
                # Long values go on in the next line.
                row = self.rows[oid]
                self.rows[oid] = row._replace(value=f"{row.value} {line.strip()}")
                self.ledger.irrelevant(number)
            elif line.strip():
                self.ledger.unknown(number, False)
        name = self.rows.get(_NAME)
        if name is not None:
            self.ledger.understood(name.line)
            if name.value and name.value.split(".")[0] != self.device:
                self.ledger.note = (
                    f"The device calls itself {name.value}; it is listed as {self.device}."
                )
        self.interfaces()
        self.addresses()
        for index, leaf in ((0, (*_IP, 1, 0)), (1, (*_IP, 25, 0))):
            held = self.rows.get(leaf)
            if held is not None:
                self.draft.forwarding[index] = _number(held) == 1
                self.draft.forwarding_source = self.source(held)
                self.ledger.understood(held.line)
        self.routes()
        self.neighbours()
        for row in self.rows.values():
            self.ledger.irrelevant(row.line)
        return self.draft, self.ledger

    def source(self, row: _Row) -> Source:
        return Source(self.device, self.file, row.line, self.lines[row.line - 1].strip()[:240])

    def below(self, base: Oid, column: int) -> Iterator[tuple[Oid, _Row]]:
        """The rows of one column of a table: index and value."""
        head = (*base, column)
        for oid, row in self.rows.items():
            if oid[: len(head)] == head and len(oid) > len(head):
                self.ledger.understood(row.line)
                yield oid[len(head) :], row

    # -- interfaces and addresses ------------------------------------------------------

    def interfaces(self) -> None:
        names = {index[0]: row for index, row in self.below(_IF, 2)}
        names |= {i[0]: row for i, row in self.below(_IFX, 1) if row.value}
        for index, row in sorted(names.items()):
            name = _text(row)
            self.ports[index] = name
            self.draft.interfaces[name] = InterfaceDraft(name, self.source(row), order=index)
        for (index, *_), row in self.below(_IFX, 18):
            if (held := self.interface(index)) is not None and row.value:
                held.description = _text(row)
        for (index, *_), row in self.below(_IF, 3):
            if (held := self.interface(index)) is not None:
                held.loopback = _number(row) == _LOOPBACK
                if _number(row) == _TUNNEL:
                    self.draft.unmodelled.append(
                        Unmodelled(
                            self.source(row),
                            f"where the tunnel {held.name} leads is not in the tables of SNMP",
                            interface=held.name,
                        )
                    )
        for (index, *_), row in self.below(_IF, 4):
            if (held := self.interface(index)) is not None and (mtu := _number(row)):
                held.mtu, held.mtu_source = mtu, self.source(row)
        for (index, *_), row in self.below(_IF, 6):
            if (held := self.interface(index)) is not None and (mac := _mac(row)):
                held.mac = mac
        for (index, *_), row in self.below(_IF, 7):
            if (held := self.interface(index)) is not None:
                held.enabled, held.enabled_source = _number(row) == 1, self.source(row)
        for (index, *_), row in self.below(_IF, 8):
            held = self.interface(index)
            if held is not None and held.enabled and _number(row) in (1, 2, 7):
                held.carrier = _number(row) == 1

    def interface(self, index: int | None) -> InterfaceDraft | None:
        name = self.ports.get(index or 0)
        return None if name is None else self.draft.interfaces.get(name)

    def addresses(self) -> None:
        prefixes = dict(self.below(_ADDRESSES, 5))
        for index, row in self.below(_ADDRESSES, 3):
            address = _indexed(index)
            pointer = prefixes.get(index)
            length = _last(pointer) if pointer is not None else None
            if address is not None and length is None:
                length = 32 if address.family == 4 else 128
            self.address(_number(row), address, length, row)
        if any(held.addresses for held in self.draft.interfaces.values()):
            return
        masks = {index: parse_address(row.value) for index, row in self.below(_OLD_ADDRESSES, 3)}
        for index, row in self.below(_OLD_ADDRESSES, 2):
            mask = masks.get(index)
            length = mask_length(mask) if mask is not None else None
            self.address(_number(row), parse_address(".".join(map(str, index))), length, row)

    def address(
        self, index: int | None, address: Address | None, length: int | None, row: _Row
    ) -> None:
        held = self.interface(index)
        if held is None or address is None or length is None:
            return
        if not 0 <= length <= (32 if address.family == 4 else 128):
            return
        held.addresses_known = True
        fact = InterfaceAddress(address, length)
        if all(known.value != fact for known in held.addresses):
            held.addresses.append(AddressFact(fact, self.source(row), captured=True))

    # -- routes --------------------------------------------------------------------------

    def routes(self) -> None:
        found = list(self.table())
        # Agents that read a kernel's table say "local" of every row; an older table that knows
        # the protocols is believed over it.
        if found and all(protocol in (1, 2) for _, protocol, *_ in found):
            found = list(self.old_tables()) or found
        elif not found:
            found = list(self.old_tables())
        taught: dict[str, Source] = {}
        for prefix, number, sort, gateway, index, row in found:
            protocol = _PROTOCOLS.get(number or 0, "other")
            port = self.ports.get(index or 0)
            action = {2: "reject", 5: "discard"}.get(sort or 0, "forward")
            hop = (action, None if gateway is None else format_address(*gateway), port)
            plain = hop if action == "forward" else (action, None, None)
            self.draft.gathered.setdefault(prefix.family, []).append(
                GatheredRoute(prefix, protocol, None, None, True, (plain,))
            )
            if protocol in _LEARNED:
                taught.setdefault(protocol, self.source(row))
            elif number == _STATIC:
                special = None if action == "forward" else action
                self.draft.statics.append(
                    StaticRoute(
                        prefix,
                        self.source(row),
                        gateway if special is None else None,
                        port if special is None else None,
                        special,
                        distance=0,
                        kernel=True,
                    )
                )
        for protocol, source in taught.items():
            self.draft.unmodelled.append(
                Unmodelled(
                    source,
                    f"{protocol.upper()} taught it routes, and its configuration was not gathered",
                )
            )

    Found = tuple[Prefix, int | None, int | None, Address | None, int | None, _Row]

    def table(self) -> Iterator[Found]:
        """inetCidrRouteTable."""
        sorts = {index: _number(row) for index, row in self.below(_ROUTES, 8)}
        protocols = {index: _number(row) for index, row in self.below(_ROUTES, 9)}
        for index, row in self.below(_ROUTES, 7):
            try:
                address = _indexed(index)
                if address is None:
                    continue
                rest = index[2 + index[1] :]
                length, policy = rest[0], rest[1]
                gateway = _indexed(rest[2 + policy :])
            except IndexError:
                continue
            if gateway is not None and gateway.value == 0:
                gateway = None
            if length <= (32 if address.family == 4 else 128):
                yield (
                    prefix_of(address, length),
                    protocols.get(index),
                    sorts.get(index),
                    gateway,
                    _number(row),
                    row,
                )

    def old_tables(self) -> Iterator[Found]:
        """ipCidrRouteTable and ipForwardTable."""
        for base, has_mask in ((_CIDR, True), (_OLD, False)):
            sorts = {index: _number(row) for index, row in self.below(base, 6)}
            protocols = {index: _number(row) for index, row in self.below(base, 7)}
            masks = {index: parse_address(row.value) for index, row in self.below(base, 2)}
            seen = False
            for index, row in self.below(base, 5):
                if len(index) < (13 if has_mask else 10):
                    continue
                address = parse_address(".".join(map(str, index[:4])))
                mask = (
                    parse_address(".".join(map(str, index[4:8]))) if has_mask else masks.get(index)
                )
                gateway = parse_address(".".join(map(str, index[-4:])))
                length = mask_length(mask) if mask is not None else None
                if address is None or length is None:
                    continue
                seen = True
                known = gateway if gateway is not None and gateway.value else None
                yield (
                    prefix_of(address, length),
                    protocols.get(index),
                    sorts.get(index),
                    known,
                    _number(row),
                    row,
                )
            if seen:
                return

    # -- LLDP ----------------------------------------------------------------------------

    def neighbours(self) -> None:
        ports = {index[0]: _text(row) for index, row in self.below(_LLDP_PORT, 3)}
        ports |= {i[0]: _text(r) for i, r in self.below(_LLDP_PORT, 4) if i[0] not in ports}
        names = {index: _text(row) for index, row in self.below(_LLDP, 9)}
        labels = {index: _text(row) for index, row in self.below(_LLDP, 8)}
        for index, row in self.below(_LLDP, 7):
            if len(index) < 3 or not names.get(index):
                continue
            mine = ports.get(index[1]) or self.ports.get(index[1])
            if mine in self.draft.interfaces or mine is None:
                port = mine
            else:
                port = self.ports.get(index[1], mine)
            if port is not None:
                self.draft.heard.append(
                    Heard(port, names[index], _text(row), labels.get(index), self.source(row))
                )


def _number(row: _Row) -> int | None:
    match = re.search(r"-?\d+", row.value.rpartition("(")[2] if "(" in row.value else row.value)
    return int(match.group()) if match else None


def _text(row: _Row) -> str:
    if row.kind == "Hex-STRING":
        try:
            raw = bytes.fromhex(row.value.replace(" ", ""))
        except ValueError:
            return row.value
        return raw.rstrip(b"\0").decode("utf-8", "replace")
    return row.value


def _mac(row: _Row) -> str | None:
    parts = re.findall(r"[0-9A-Fa-f]{1,2}", row.value)
    if row.kind == "STRING" and ":" not in row.value and len(row.value) == 6:
        parts = [f"{byte:02x}" for byte in row.value.encode("latin-1", "replace")]
    return ":".join(p.zfill(2).lower() for p in parts) if len(parts) == 6 else None


def _indexed(index: Oid) -> Address | None:
    """An InetAddressType, a length and that many bytes (RFC 4001)."""
    if len(index) < 2 or len(index) < 2 + index[1]:
        return None
    kind, length = index[0], index[1]
    data = index[2 : 2 + length]
    if any(byte > 255 for byte in data):
        return None
    value = int.from_bytes(bytes(data[: 4 if kind in (1, 3) else 16]), "big")
    if kind in (1, 3) and length >= 4:
        return Address(4, value)
    if kind in (2, 4) and length >= 16:
        return Address(6, value)
    return None


def _last(row: _Row) -> int | None:
    numbers = re.findall(r"\d+", row.value)
    return int(numbers[-1]) if len(numbers) > 4 else None
