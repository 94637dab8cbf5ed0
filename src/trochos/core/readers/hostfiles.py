"""Plain host files: kernel settings, names, resolvers, and who listens.

`sysctl -a`, a hosts file (hosts(5)), resolv.conf (resolv.conf(5)) and `ss -tuln`.
"""

from __future__ import annotations

import re

from ..network.addressing import parse_address
from ..network.facts import Source
from ..network.filters import HostName, ReversePath, Services, Socket
from .drafts import CaptureDraft
from .located_json import IRRELEVANT, UNDERSTOOD, Document, Node
from .report import Ledger, split_lines

SYSCTL_KIND = "kernel settings"
_SYSCTL = re.compile(r"^([\w./-]+)\s*=\s*(.*)$")
_FORWARDING = {
    "net.ipv4.ip_forward": 0,
    "net.ipv4.conf.all.forwarding": 0,
    "net.ipv6.conf.all.forwarding": 1,
}
_MODES = {"0": "off", "1": "strict", "2": "loose"}
_RP_FILTER = re.compile(r"^net\.ipv4\.conf\.([^ ]+)\.rp_filter$")


def looks_like_sysctl(text: str) -> bool:
    lines = [line for line in split_lines(text)[:60] if line.strip() and line[0] != "#"]
    hits = sum(1 for line in lines if _SYSCTL.match(line.strip()) and "." in line.split("=")[0])
    return bool(lines) and hits * 2 > len(lines)


def read_sysctl(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    """Reads forwarding and reverse-path checks."""
    lines = split_lines(text)
    ledger = Ledger(device, file, SYSCTL_KIND, lines)
    draft = CaptureDraft(file)
    for number, line in enumerate(lines, 1):
        match = _SYSCTL.match(line.strip())
        if match is None:
            if line.strip() and not line.strip().startswith("#"):
                ledger.unknown(number, False)
            else:
                ledger.irrelevant(number)
            continue
        key, value = match.group(1).replace("/", "."), match.group(2).strip()
        if key in _FORWARDING and value in ("0", "1"):
            draft.forwarding[_FORWARDING[key]] = value == "1"
            draft.forwarding_source = Source(device, file, number, line.strip())
            ledger.understood(number)
            continue
        rp_filter = _RP_FILTER.match(key)
        if rp_filter is not None and value in _MODES:
            source = Source(device, file, number, line.strip())
            draft.reverse_path.append(ReversePath(rp_filter.group(1), _MODES[value], source))
            ledger.understood(number)
            continue
        ledger.irrelevant(number)
    return draft, ledger


def looks_like_settings(root: Node) -> bool:
    """True for the same settings as one JSON object, name to value."""
    keys = root.members()
    return bool(keys) and all(key.startswith(("net.", "kernel.", "vm.", "fs.")) for key in keys)


def read_settings(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads forwarding and reverse-path checks of a JSON object."""
    draft = CaptureDraft(file)
    for key, node in document.root.members().items():
        node.seen = IRRELEVANT
        value = str(node.value)
        source = Source(device, file, node.line, document.quote(node), f"/{key}")
        rp_filter = _RP_FILTER.match(key)
        if key in _FORWARDING and value in ("0", "1"):
            draft.forwarding[_FORWARDING[key]] = value == "1"
            draft.forwarding_source = source
            node.seen = UNDERSTOOD
        elif rp_filter is not None and value in _MODES:
            draft.reverse_path.append(ReversePath(rp_filter.group(1), _MODES[value], source))
            node.seen = UNDERSTOOD
    return draft


# -- names ---------------------------------------------------------------------------

RESOLVERS_KIND, HOSTS_KIND, SOCKETS_KIND = "resolvers of a host", "hosts file", "listening sockets"
_RESOLV_WORDS = ("nameserver", "search", "domain", "options", "sortlist")


def _words(line: str) -> list[str]:
    return re.split(r"[#;]", line, maxsplit=1)[0].split()


def looks_like_resolvers(text: str) -> bool:
    """True for a resolv.conf: every line begins with a word of its own."""
    lines = [words for line in split_lines(text) if (words := _words(line))]
    return any(w[0] == "nameserver" for w in lines) and all(w[0] in _RESOLV_WORDS for w in lines)


def read_resolvers(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    lines = split_lines(text)
    ledger = Ledger(device, file, RESOLVERS_KIND, lines)
    servers: list[tuple[str, Source]] = []
    search: tuple[str, ...] = ()
    for number, line in enumerate(lines, 1):
        words = _words(line)
        if words[:1] == ["nameserver"] and len(words) == 2:
            address = parse_address(words[1].partition("%")[0])
            if address is None:
                ledger.unknown(number, True, "this is no address")
                continue
            servers.append((str(address), Source(device, file, number, line.strip())))
            ledger.understood(number)
        elif words[:1] in (["search"], ["domain"]):
            search = tuple(words[1:])
            ledger.understood(number)
        elif words and words[0] not in _RESOLV_WORDS:
            ledger.unknown(number, False)
        else:
            ledger.irrelevant(number)
    draft = CaptureDraft(file)
    # The C library asks the first three (resolv.conf(5)).
    draft.services = Services(resolvers=tuple(servers[:3]), search=search)
    return draft, ledger


def looks_like_hosts(text: str) -> bool:
    """True for a hosts file: an address and names on every line."""
    lines = [words for line in split_lines(text) if (words := _words(line))]
    good = [w for w in lines if len(w) > 1 and parse_address(w[0].partition("%")[0]) is not None]
    named = [w for w in good if re.fullmatch(r"[A-Za-z][\w.-]*", w[1])]
    return bool(lines) and len(good) == len(lines) and len(named) == len(good)


def read_hosts(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    lines = split_lines(text)
    ledger = Ledger(device, file, HOSTS_KIND, lines)
    names: list[HostName] = []
    for number, line in enumerate(lines, 1):
        words = _words(line)
        address = parse_address(words[0].partition("%")[0]) if words else None
        if address is None:
            ledger.irrelevant(number)
            continue
        source = Source(device, file, number, line.strip())
        names += [HostName(name.lower(), str(address), source) for name in words[1:]]
        ledger.understood(number)
    draft = CaptureDraft(file)
    draft.services = Services(names=tuple(names))
    return draft, ledger


_SOCKET = re.compile(
    r"^(tcp|udp)\s+(LISTEN|UNCONN)\s+\d+\s+\d+\s+(\S+):(\d+|\*)\s+\S+:(?:\d+|\*)(?:\s.*)?$"
)


def looks_like_sockets(text: str) -> bool:
    lines = [line.strip() for line in split_lines(text) if line.strip()]
    return bool(lines) and (
        lines[0].startswith("Netid") or all(_SOCKET.match(line) for line in lines[:5])
    )


def read_sockets(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    lines = split_lines(text)
    ledger = Ledger(device, file, SOCKETS_KIND, lines)
    sockets: list[Socket] = []
    for number, line in enumerate(lines, 1):
        match = _SOCKET.match(line.strip())
        if match is None:
            if line.strip() and not line.startswith("Netid"):
                ledger.unknown(number, False)
            else:
                ledger.irrelevant(number)
            continue
        protocol, _, where, port = match.groups()
        where = where.partition("%")[0].strip("[]")
        address = parse_address(where)
        families: tuple[int, ...] = (4, 6)
        if where == "0.0.0.0":
            families = (4,)
        elif where == "::":
            # Bound to IPv6 alone; one bound to both is printed as a star.
            families = (6,)
        source = Source(device, file, number, line.strip())
        bound = None if address is None or address.value == 0 else str(address)
        if port != "*":
            sockets.append(Socket(protocol, bound, int(port), source, families))
        ledger.understood(number)
    draft = CaptureDraft(file)
    draft.services = Services(sockets=tuple(sockets))
    return draft, ledger
