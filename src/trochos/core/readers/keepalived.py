"""keepalived.conf: the addresses that a Linux router shares with others (keepalived.conf(5))."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

from ..network.addressing import Address, InterfaceAddress, parse_address, parse_interface_address
from ..network.facts import ALL, LINKS, Source, Unmodelled
from ..network.shared import SharedGateway, Tracked
from ..network.source import HIDDEN
from .drafts import CaptureDraft
from .report import Ledger, split_lines

KIND = "shared gateway addresses (keepalived)"
_SIGNS = re.compile(r"^\s*(?:vrrp_instance|vrrp_sync_group|virtual_server)\s+\S", re.M)
_IDLE = frozenset(
    (
        *("state", "garp_master_delay", "garp_master_repeat", "garp_master_refresh"),
        *("garp_master_refresh_repeat", "garp_lower_prio_delay", "garp_lower_prio_repeat"),
        *("smtp_alert", "notify", "notify_master", "notify_backup", "notify_fault", "notify_stop"),
        *("debug", "preempt", "preempt_delay", "accept", "use_vmac", "vmac_xmit_base"),
        *("dont_track_primary", "mcast_src_ip", "start_garp", "linkbeat_use_polling"),
        *("skip_check_adv_addr", "vrrp_garp_interval", "native_ipv6", "higher_prio_send_advert"),
        "lower_prio_no_advert",
    )
)
"""Settings that do not change who holds an address once everybody has come up."""
_UNSURE = {
    "track_script": "a script decides with it",
    "track_process": "a process decides with it",
    "track_file": "a file decides with it",
    "track_bfd": "a session of its own decides with it",
    "nopreempt": "who came first keeps it",
}


_BLOCKS = frozenset(
    (
        *("global_defs", "vrrp_instance", "vrrp_script", "vrrp_track_process", "vrrp_track_file"),
        *("track_file", "bfd_instance"),
    )
)
"""Blocks that are read, or count only where a vrrp_instance names them."""
_ADDING = ("static_ipaddress", "static_routes", "static_rules")
_GLOBAL_ASIDE = (
    *("router_id", "notification_email", "smtp_", "lvs_", "enable_script_security", "script_user"),
    *("vrrp_garp_", "vrrp_gna_", "vrrp_notify_", "vrrp_priority", "vrrp_rt_priority"),
    *("vrrp_rlimit", "vrrp_no_swap", "vrrp_process_name", "checker_", "bfd_", "process_name"),
    *("enable_snmp", "snmp_", "enable_dbus", "dbus_", "max_auto_priority", "reload_", "startup_"),
    *("shutdown_script", "log_", "email_faults", "default_interface", "use_pid_dir", "instance"),
    *("child_wait_time", "vrrp_startup_delay", "vrrp_lower_prio_no_advert", "iptables", "nftables"),
    *("vrrp_higher_prio_send_advert", "vrrp_min_garp", "disable_local_igmp"),
)
"""What settings for all begin with that do not change who holds an address."""


@dataclass(slots=True)
class _Line:
    number: int
    words: list[str]


@dataclass(slots=True)
class _Block:
    """A statement with braces: its words, and what stands inside."""

    number: int
    words: list[str]
    lines: list[_Line] = field(default_factory=list)
    blocks: list[_Block] = field(default_factory=list)
    closed: bool = False


def looks_like(text: str) -> bool:
    return _SIGNS.search(text) is not None


def read(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    """Reads one keepalived.conf; secrets are masked already."""
    lines = split_lines(text)
    ledger = Ledger(device, file, KIND, lines)
    draft = CaptureDraft(file)
    root, complete = _blocks(lines)

    def source(number: int) -> Source:
        return Source(device, file, number, lines[number - 1].strip())

    grouped: dict[str, str] = {}
    for block in root.blocks:
        kind = block.words[0]
        if kind == "vrrp_sync_group":
            group = block.words[-1]
            for inner in block.blocks:
                if inner.words[:1] == ["group"]:
                    for line in inner.lines:
                        grouped.update(dict.fromkeys(line.words, group))
                        ledger.understood(line.number)
            _settle(ledger, block)
        elif kind in ("virtual_server", "virtual_server_group"):
            why = "a load balancer hands connections on to others, and that is not computed"
            ledger.unknown(block.number, True, why)
            draft.unmodelled.append(Unmodelled(source(block.number), why, touches=ALL))
        elif kind in _ADDING:
            why = "addresses, routes and rules that keepalived adds are not computed"
            ledger.unknown(block.number, True, why)
            draft.unmodelled.append(Unmodelled(source(block.number), why, touches=LINKS))
        elif kind not in _BLOCKS:
            ledger.unknown(block.number, True)
    version, doubt_of_all = _globals(root, ledger)
    for block in root.blocks:
        if block.words[0] == "vrrp_instance" and len(block.words) > 1:
            doubt = doubt_of_all if complete else "the file ends early"
            name = block.words[1]
            if name in grouped:
                doubt = f"it changes together with the others of {grouped[name]}"
            held = _instance(block, doubt, version, source, ledger, draft)
            if held is not None:
                draft.shared.append(held)
        _settle(ledger, block)
    for number in range(1, len(lines) + 1):
        ledger.irrelevant(number)
    if not complete:
        ledger.note = "The file ends early: a bracket is never closed."
    return draft, ledger


def _globals(root: _Block, ledger: Ledger) -> tuple[int, str | None]:
    """The version that parts speak if they do not say otherwise, and why none of them can be
    computed, if that is so."""
    version, doubt = 2, None
    for line in root.lines:
        included = line.words[0] == "include"
        why = "what an included file says is not known" if included else None
        ledger.unknown(line.number, True, why)
        doubt = doubt or why or f"{' '.join(line.words)!r} is not understood"
    for block in root.blocks:
        if block.words[0] != "global_defs":
            continue
        for line in block.lines:
            word = line.words[0]
            if word == "vrrp_version":
                version = _integer(line.words[-1], 2)
                ledger.understood(line.number)
            elif not word.startswith(_GLOBAL_ASIDE):
                doubt = doubt or f"{' '.join(line.words)!r} is not understood"
                ledger.unknown(line.number, True)
    return version, doubt


def _blocks(lines: list[str]) -> tuple[_Block, bool]:
    root = _Block(0, ["(file)"])
    stack = [root]
    for number, line in enumerate(lines, 1):
        words = re.sub(r"[!#].*", "", line).replace("{", " { ").replace("}", " } ").split()
        statement: list[str] = []
        for word in words:
            if word == "{":
                block = _Block(number, statement or ["(unnamed)"])
                stack[-1].blocks.append(block)
                stack.append(block)
                statement = []
            elif word == "}":
                if statement:
                    stack[-1].lines.append(_Line(number, statement))
                    statement = []
                if len(stack) > 1:
                    stack.pop()
            else:
                statement.append(word)
        if statement:
            stack[-1].lines.append(_Line(number, statement))
    return root, len(stack) == 1


def _settle(ledger: Ledger, block: _Block) -> None:
    ledger.irrelevant(block.number)
    for line in block.lines:
        ledger.irrelevant(line.number)
    for inner in block.blocks:
        _settle(ledger, inner)


def _instance(
    block: _Block,
    doubt: str | None,
    version: int,
    source: Callable[[int], Source],
    ledger: Ledger,
    draft: CaptureDraft,
) -> SharedGateway | None:
    """One vrrp_instance; None if it says too little to take part."""
    given: dict[str, str] = {}
    said: list[tuple[str, Source]] = []
    places: set[str | None] = set()
    for line in block.lines:
        word, rest = line.words[0], line.words[1:]
        if word in ("interface", "virtual_router_id", "priority", "advert_int", "version"):
            given[word] = rest[0] if rest else ""
            said.append((word, source(line.number)))
            ledger.understood(line.number)
        elif word in _UNSURE:
            doubt = doubt or _UNSURE[word]
            ledger.unknown(line.number, True, _UNSURE[word])
        elif word in _IDLE or word == "unicast_src_ip":
            ledger.irrelevant(line.number)
        else:
            doubt = doubt or f"{' '.join(line.words)!r} is not understood"
            ledger.unknown(line.number, True)
    addresses: list[tuple[InterfaceAddress, Source]] = []
    tracked: list[Tracked] = []
    secret: str | None = None
    peers: list[Address] = []
    for inner in block.blocks:
        word = inner.words[0]
        for line in inner.lines:
            words, where = line.words, source(line.number)
            ledger.understood(line.number)
            if word in ("virtual_ipaddress", "virtual_ipaddress_excluded"):
                text = (
                    words[0] if "/" in words[0] else f"{words[0]}/{128 if ':' in words[0] else 32}"
                )
                value = parse_interface_address(text)
                on = words[words.index("dev") + 1] if "dev" in words[:-1] else None
                if value is None:
                    doubt = doubt or f"{' '.join(words)!r} is not understood"
                    ledger.unknown(line.number, True)
                else:
                    addresses.append((value, where))
                    places.add(on)
            elif word == "track_interface":
                if words[1:2] not in ([], ["weight"]) or len(words) > 3:
                    doubt = doubt or f"{' '.join(words)!r} is not understood"
                    ledger.unknown(line.number, True)
                    continue
                weight = words[2] if len(words) == 3 else "0"
                tracked.append(Tracked(words[0], _integer(weight, 0), where))
            elif word == "authentication":
                said.append((words[0], where))
                if words[0] == "auth_pass":
                    secret = " ".join(words[1:])
                elif words != ["auth_type", "PASS"]:
                    doubt = doubt or f"{' '.join(words)!r} is not understood"
                    ledger.unknown(line.number, True)
            elif word == "unicast_peer":
                peer = parse_address(words[0])
                if peer is not None:
                    peers.append(peer)
                    said.append((word, where))
            elif word in _UNSURE:
                doubt = doubt or _UNSURE[word]
                ledger.unknown(line.number, True, _UNSURE[word])
            elif word in ("virtual_routes", "virtual_rules"):
                why = "routes and rules that come with a shared address are not computed"
                ledger.unknown(line.number, True, why)
                draft.unmodelled.append(Unmodelled(where, why, touches=LINKS))
            else:
                ledger.unknown(line.number, False)
    if "interface" not in given or not addresses:
        return None
    on = places.pop()
    if {place or given["interface"] for place in places} - {on or given["interface"]}:
        doubt = doubt or "its addresses stand on several interfaces"
    if secret is not None and HIDDEN in secret and _integer(given.get("version", ""), version) == 2:
        doubt = doubt or "its password was taken out, so who hears it is not known"
    return SharedGateway(
        block.words[1],
        given["interface"],
        _integer(given.get("virtual_router_id", ""), 0),
        source(block.number),
        tuple(addresses),
        _integer(given.get("priority", ""), 100),
        _integer(given.get("version", ""), version),
        _seconds(given.get("advert_int", "1")),
        secret,
        tuple(tracked),
        tuple(peers),
        doubt,
        on=on if on != given["interface"] else None,
        said=tuple(said),
    )


def _integer(text: str, usual: int) -> int:
    try:
        return int(text)
    except ValueError:
        return usual


def _seconds(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return 1.0
