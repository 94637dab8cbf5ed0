"""Rewritten addresses as suspects: what a translation does to a complaint, or fails to do.

A source that leaves with an inside address, one that is rewritten to what nobody routes back, a
forward that takes other packets or leads to the wrong place, and the hairpin: client and server
on one LAN, where the answer never passes whoever rewrote the question.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ...forwarding.path import Path
from ...network.addressing import Address, Prefix, prefix_of
from ...network.edits import Edit, Remedy
from ...network.facts import Device, End, Source
from ...network.filters import POSTROUTING, PREROUTING, Entry, Match
from ...network.translation import DESTINATION, SOURCE
from ...step.filters import Flow
from ...step.legs import Hop, Leg
from ...step.packet import Packet
from ...step.verdicts import LOST_BACK
from ...step.walk import walk
from ..finding import BREAKS, Finding
from ..remedies import translations as put
from ..remedies.bench import Bench
from ..remedies.statics import ways_out
from .suspect import LIKELY, PLAUSIBLE, SURE, Suspect, home_of

Offer = tuple[str, tuple[Edit, ...], Source]
"""A remedy before it has its final words: what is done, how, and the line that it is about."""


def translated(bench: Bench, path: Path, flow: Flow) -> Iterator[Suspect]:
    """The translations that one complaint meets, or ought to meet."""
    if path.source is None:
        return
    seen: set[str] = set()
    for branch in path.outbound.branches:
        for hop in branch.hops:
            device = bench.devices[hop.device]
            if not device.translations or hop.device in seen:
                continue
            seen.add(hop.device)
            if path.outbound.state != "yes":
                yield from _towards(bench, device, hop, path, flow)
            elif path.back is not None and path.back.state != "yes":
                yield from _returning(bench, device, hop, path, flow)
    if path.outbound.state != "yes":
        for name in sorted(set(_giving(bench, path.target)) - seen):
            yield from _towards(bench, bench.devices[name], None, path, flow)


def _giving(bench: Bench, target: Address) -> list[str]:
    """The devices whose translations name an outside address."""
    out = [n for n, held in bench.forwarding.near.forwarded.items() if target in held]
    for device in bench.network.devices:
        entries = put.entries_of(bench, device.name, SOURCE) if device.translations else []
        if any(e.rewrite is not None and e.rewrite.first == target for e in entries):
            out.append(device.name)
    return out


# -- the way back ----------------------------------------------------------------------


def _returning(bench: Bench, device: Device, hop: Hop, path: Path, flow: Flow) -> Iterator[Suspect]:
    assert path.back is not None and path.source is not None
    sources = [item for item in hop.rewritten if item.what == SOURCE]
    if hop.out is None:
        return
    if path.back.verdict == LOST_BACK and any(i.what == DESTINATION for i in hop.rewritten):
        if _is_direct(path.back):
            yield from _hairpin(bench, device, hop, path)
        else:
            yield from _elsewhere(bench, device, hop, path)
    elif not sources:
        yield from _unrewritten(bench, device, hop, path)
    else:
        entry = _entry_at(bench, device, sources[-1].entry)
        if entry is not None and not _leads_back(bench, sources[-1].after, device.name, hop.out):
            yield from _unrouted(bench, device, hop, entry, sources[-1].after)


def _leads_back(bench: Bench, address: Address, device: str, port: str | None) -> bool:
    """True if those beside a device, on one of its ports or all, send what is for an address to
    it."""
    others = [o.device for mine, o in bench.beside(device) if port in (None, mine.interface)]
    return any(
        hop.device == device
        for name in others
        if bench.devices[name].role != "unread"
        for branch in walk(bench.forwarding, name, Packet(address)).branches
        for hop in branch.hops[1:]
    )


def _entry_at(bench: Bench, device: Device, line: Source | None) -> Entry | None:
    entries = [e for chain in device.translations for e in chain.entries]
    return next((e for e in entries if line is not None and e.source == line), None)


def _unrewritten(bench: Bench, device: Device, hop: Hop, path: Path) -> Iterator[Suspect]:
    """The source keeps its inside address where others are rewritten."""
    source, out = path.source, hop.out
    assert source is not None and out is not None
    chain = put.chain_at(bench, device.name, POSTROUTING, source.family)
    if chain is None:
        return
    home = home_of(bench, source) or _host(source)
    near: list[Offer] = []
    others = False
    for entry in put.entries_of(bench, device.name, SOURCE):
        takes, leaves = _takes(entry, "source", source), _leaves_by(entry, "out", out)
        others = others or leaves
        if not takes and leaves and _idle(bench, entry, "source"):
            edits = put.with_value(bench, entry, "source", put.value_of(home))
            near.append((f"let the entry be about {home}", edits, entry.source))
        elif takes and not leaves:
            edits = put.with_value(bench, entry, "out", out)
            words = f"let the entry for {home} be about what leaves by {out}"
            near.append((words, edits, entry.source))
    expr: put.Expr = [
        put.condition("out", out),
        put.condition("source", put.value_of(home), source.family),
        {"masquerade": None},
    ]
    more: Offer = (
        f"rewrite the source of {home} that leaves by {out}",
        put.added(bench, chain, expr),
        chain.source,
    )
    yield from _suspect(
        "source-not-rewritten",
        device.name,
        f"{device.name} sends what comes from {source} out of {out} with that inside address.",
        "Others that leave there get an outside address, to which answers find back; nobody beyond "
        "knows the way to this one.",
        out,
        f"{home}-{out}",
        [*near, more],
        # Where others are rewritten at that exit, this one was forgotten: whoever is beyond need
        # not know inside addresses.
        SURE if near else LIKELY if others else PLAUSIBLE,
    )


def _unrouted(
    bench: Bench, device: Device, hop: Hop, entry: Entry, address: Address
) -> Iterator[Suspect]:
    """The source is rewritten to an address that nobody sends here."""
    offers: list[Offer] = []
    for better in put.routed_here(bench, device, entry, address)[:2]:
        edits = put.with_put(bench, entry, better, None)
        offers.append((f"rewrite it to {better}, which is sent here", edits, entry.source))
    edits = put.with_put(bench, entry, None, None)
    offers.append(("rewrite it to the address of the exit", edits, entry.source))
    sent, several = _sent_back(bench, device, hop, address)
    yield from _suspect(
        "rewritten-source-unrouted",
        device.name,
        f"{device.name} rewrites the source to {address}, and nobody beside it sends what is for "
        "that address back.",
        "The request arrives with that source, and the answer goes to it.",
        hop.out,
        str(address),
        offers,
        SURE,
        # Of several addresses that are not sent back, it is rather the way that is missing.
        (sent, several) if sent else None,
    )


def _sent_back(
    bench: Bench, device: Device, hop: Hop, address: Address
) -> tuple[list[tuple[End, Remedy]], bool]:
    """Routes back, on the routers at the exit, for all addresses that a device puts in place of
    sources and that are not sent to it; and whether these are several."""
    put_there = {address} | {
        item.rewrite.first
        for item in put.entries_of(bench, device.name, SOURCE)
        if item.rewrite is not None and item.rewrite.first is not None
    }
    out: list[tuple[End, Remedy]] = []
    several = False
    for mine, other in bench.beside(device.name):
        there = bench.devices[other.device]
        if mine.interface != hop.out or there.role != "router":
            continue
        lost = sorted(
            a
            for a in put_there
            if a.family == address.family
            and not bench.forwarding.near.owns(device.name, a)
            and bench.forwarding.matching(other.device, a) is None
        )
        here = bench.tables.links.interface(mine)
        facing = next(
            (
                fact.address
                for fact in (here.addresses if here is not None else ())
                if fact.address.family == address.family and not fact.address.is_link_local
            ),
            None,
        )
        if not lost or facing is None:
            continue
        several = several or len(lost) > 1
        bits = (lost[0].value ^ lost[-1].value).bit_length()
        whole = prefix_of(lost[0], (32 if address.family == 4 else 128) - bits)
        edits = bench.writer(other.device).static(whole, facing)
        if edits is not None:
            title = f"On {other.device}: send {whole} to {device.name} ({facing})."
            out.append((other, Remedy(title, edits)))
    return out, several


def _hairpin(bench: Bench, device: Device, hop: Hop, path: Path) -> Iterator[Suspect]:
    """Client and server on one LAN: the server answers the client directly."""
    source, out = path.source, hop.out
    assert source is not None and out is not None
    inside = next(item.after for item in hop.rewritten if item.what == DESTINATION)
    home = home_of(bench, source) or _host(source)
    chain = put.chain_at(bench, device.name, POSTROUTING, source.family)
    if chain is None:
        return
    near: list[Offer] = []
    for entry in put.entries_of(bench, device.name, SOURCE):
        if not any(m.key == "target" for m in entry.matches) or not _takes(entry, "target", inside):
            continue
        if not _takes(entry, "source", source):
            edits = put.with_value(bench, entry, "source", put.value_of(home))
            near.append((f"let the entry be about {home}", edits, entry.source))
        elif not _leaves_by(entry, "out", out):
            edits = put.with_value(bench, entry, "out", out)
            near.append((f"let the entry be about what leaves by {out}", edits, entry.source))
    expr: put.Expr = [
        put.condition("out", out),
        put.condition("source", put.value_of(home), source.family),
        put.condition("target", str(inside), source.family),
        {"masquerade": None},
    ]
    more: Offer = (
        f"rewrite the source, too, of what {home} sends to {inside}",
        put.added(bench, chain, expr),
        chain.source,
    )
    yield from _suspect(
        "hairpin-missing",
        device.name,
        f"{device.name} leads {source} to {inside}, which answers directly, past {device.name}.",
        "The client gets the answer from an address that it never asked, and refuses it. If the "
        "source is rewritten as well, the answer comes back the same way.",
        out,
        f"{home}-{inside}",
        [*near, more],
        SURE,
    )


def _is_direct(answer: Leg) -> bool:
    """True if an answer goes from the server to the client without anybody between."""
    return all(len(branch.hops) <= 2 for branch in answer.branches)


def _elsewhere(bench: Bench, device: Device, hop: Hop, path: Path) -> Iterator[Suspect]:
    """The answer leaves by another router than the one that led the request in."""
    assert path.back is not None and path.source is not None
    server = path.back.branches[0].hops[0]
    others = [b.hops[1].device for b in path.back.branches if len(b.hops) > 1]
    inside = next(item.after for item in hop.rewritten if item.what == DESTINATION)
    home = home_of(bench, path.source) or _host(path.source)
    found: list[tuple[End, Remedy]] = []
    own = bench.devices[server.device]
    for static in own.statics if own.is_host else ():
        # Another gateway: the one that the request came by.
        for router, address in ways_out(bench, own.name, path.source.family):
            edits = bench.writer(own.name).move_static(static, address)
            if router == device.name and static.prefix.contains(path.source) and edits:
                title = f"On {own.name}: use {router} ({address}) as gateway."
                found.append((End(own.name, server.out or ""), Remedy(title, edits)))
    offers: list[Offer] = []
    chain = put.chain_at(bench, device.name, POSTROUTING, path.source.family)
    if chain is not None and hop.out is not None:
        expr: put.Expr = [
            put.condition("out", hop.out),
            put.condition("source", put.value_of(home), path.source.family),
            put.condition("target", str(inside), path.source.family),
            {"masquerade": None},
        ]
        words = f"rewrite the source, too, of what {home} sends to {inside}"
        offers.append((words, put.added(bench, chain, expr), chain.source))
    lines = [entry for item in hop.rewritten if (entry := item.entry) is not None]
    gateway = server.route.because if server.route is not None else ()
    for suspect in _suspect(
        "answer-elsewhere",
        device.name,
        f"{device.name} leads {path.source} to {inside}, and {server.device} answers through "
        f"{others[0] if others else 'another router'}, past {device.name}.",
        "Only who rewrote the request knows how the answer is to be rewritten: the client gets one "
        "from an address that it never asked.",
        hop.out,
        f"{home}-{inside}",
        offers,
        SURE,
        (found, True) if found else None,
    ):
        evidence = tuple(dict.fromkeys((*lines, *gateway, *suspect.finding.evidence)))
        yield Suspect(replace(suspect.finding, evidence=evidence), suspect.weight)


# -- the way there ---------------------------------------------------------------------


def _towards(
    bench: Bench, device: Device, hop: Hop | None, path: Path, flow: Flow
) -> Iterator[Suspect]:
    done = [item for item in hop.rewritten if item.what == DESTINATION] if hop is not None else []
    if done:
        entry = _entry_at(bench, device, done[-1].entry)
        if entry is not None:
            yield from _led_astray(bench, device, entry, done[-1].after, path, flow)
        return
    concerned = path.target in bench.forwarding.near.led or path.target in {
        fact.address for i in device.interfaces for fact in i.addresses
    }
    near = list(_near_forwards(bench, device, hop, path, flow))
    inside = _stands_for(bench, device, path.target)
    if not concerned and not near:
        return
    offers = list(near)
    chain = put.chain_at(bench, device.name, PREROUTING, path.target.family)
    if chain is not None and inside is not None:
        expr: put.Expr = [put.condition("target", str(path.target), path.target.family)]
        expr.append({"dnat": {"addr": str(inside)}})
        edits = put.added(bench, chain, expr)
        offers.append((f"lead {path.target} to {inside}", edits, chain.source))
    what = f"{flow.protocol} port {flow.port} of {path.target}" if flow.port else str(path.target)
    yield from _suspect(
        "forward-missing",
        device.name,
        f"{device.name} leads {what} to nobody inside.",
        "No entry of its translations takes these packets, so they are for the device itself, or "
        "go where its table says.",
        None,
        what,
        offers,
        SURE if near or inside is not None else LIKELY,
    )


def _near_forwards(
    bench: Bench, device: Device, hop: Hop | None, path: Path, flow: Flow
) -> Iterator[Offer]:
    """Entries that would take the packets but for one condition."""
    near, came = bench.forwarding.near, hop.arrived if hop is not None else None
    for entry in put.entries_of(bench, device.name, DESTINATION):
        target = _takes(entry, "target", path.target)
        port = _takes_port(entry, flow)
        arrives = hop is None or hop.arrived is None or _leaves_by(entry, "in", hop.arrived)
        if target and port and not arrives and hop is not None and hop.arrived is not None:
            edits = put.with_value(bench, entry, "in", hop.arrived)
            yield f"let the entry be about what comes in by {hop.arrived}", edits, entry.source
        elif target and not port and flow.port is not None and _protocol(entry) == flow.protocol:
            edits = put.with_value(bench, entry, "port", flow.port)
            yield f"let the entry be about port {flow.port}", edits, entry.source
        elif not target and port and any(m.key == "target" for m in entry.matches):
            named = [
                Address(v.family, v.network)
                for m in entry.matches
                if m.key == "target"
                for v in m.values
                if isinstance(v, Prefix) and v.is_host
            ]
            known = (a in near.owners or _leads_back(bench, a, device.name, came) for a in named)
            if named and not any(known):
                edits = put.with_value(bench, entry, "target", str(path.target))
                yield f"let the entry be about {path.target}", edits, entry.source


def _led_astray(
    bench: Bench, device: Device, entry: Entry, now: Address, path: Path, flow: Flow
) -> Iterator[Suspect]:
    """The forward leads somewhere where nobody answers."""
    offers: list[Offer] = []
    for better, port in _servers(bench, device, entry, now, path, flow):
        edits = put.with_put(bench, entry, better, port)
        words = f"lead it to {better}" + (f", port {port}" if port is not None else "")
        owner = bench.forwarding.near.owner_devices(better)
        offers.append((f"{words} of {owner[0]}" if owner else words, edits, entry.source))
    owners = bench.forwarding.near.owner_devices(now)
    whose = f"{now} of {owners[0]}" if owners else f"{now}, which nobody has"
    yield from _suspect(
        "forward-astray",
        device.name,
        f"{device.name} leads packets for {path.target} to {whose}, and they are not answered.",
        "The entry puts the inside address in place of the outside one. Who is meant may be one of "
        "those that other entries name, or that listen.",
        None,
        f"{path.target}-{now}",
        offers,
        SURE if not owners else LIKELY,
    )


def _servers(
    bench: Bench, device: Device, entry: Entry, now: Address, path: Path, flow: Flow
) -> list[tuple[Address, int | None]]:
    """Where a forward may be meant to lead: the port that somebody listens on there, the device
    that the outside address stands for, hosts that other entries name, hosts beside that one."""
    near, out = bench.forwarding.near, dict[tuple[Address, int | None], None]()
    asked = entry.rewrite.port_for(flow.port) if entry.rewrite is not None else flow.port
    for name in near.owner_devices(now):
        for socket in bench.devices[name].services.sockets or ():
            if socket.protocol == flow.protocol and socket.port != asked:
                out[now, socket.port] = None
    inside = _stands_for(bench, device, path.target)
    others = [
        item.rewrite.first
        for item in put.entries_of(bench, device.name, DESTINATION)
        if item is not entry and item.rewrite is not None and item.rewrite.first is not None
    ]
    beside = put.hosts_like(bench, now)
    for address in (*([inside] if inside is not None else ()), *others, *beside[:3]):
        if address != now:
            out[address, None] = None
    return list(out)[:5]


def _stands_for(bench: Bench, device: Device, outside: Address) -> Address | None:
    """The one inside address whose source is rewritten to an outside one."""
    for entry in put.entries_of(bench, device.name, SOURCE):
        held = entry.rewrite
        if held is None or held.first != outside:
            continue
        for match in entry.matches:
            hosts = [v for v in match.values if isinstance(v, Prefix) and v.is_host]
            if match.key == "source" and len(hosts) == len(match.values) == 1 and not match.negated:
                return Address(hosts[0].family, hosts[0].network)
    return None


# -- conditions ------------------------------------------------------------------------


def _matches(entry: Entry, key: str) -> list[Match]:
    return [match for match in entry.matches if match.key == key]


def _takes(entry: Entry, key: str, address: Address) -> bool:
    """True if an entry's conditions on one end hold for an address."""
    return all(
        any(isinstance(v, Prefix) and v.contains(address) for v in match.values) != match.negated
        for match in _matches(entry, key)
    )


def _leaves_by(entry: Entry, key: str, interface: str) -> bool:
    return all(
        any(
            str(v) == interface or (str(v).endswith("*") and interface.startswith(str(v)[:-1]))
            for v in match.values
        )
        != match.negated
        for match in _matches(entry, key)
    )


def _protocol(entry: Entry) -> str | None:
    """The transport that an entry's ports belong to."""
    found = [m.key.split(" ")[0] for m in entry.matches if m.key.endswith("target-port")]
    return found[0] if found else None


def _takes_port(entry: Entry, flow: Flow) -> bool:
    for match in entry.matches:
        if not match.key.endswith("target-port"):
            continue
        head, _, tail = match.key.partition(" ")
        if tail and head != flow.protocol:
            return False
        ranges = [v for v in match.values if isinstance(v, tuple) and not isinstance(v, Prefix)]
        if flow.port is None or not any(low <= flow.port <= high for low, high in ranges):
            return False
    return True


def _idle(bench: Bench, entry: Entry, key: str) -> bool:
    """True if nobody has an address that an entry asks for at one end."""
    values = [v for m in _matches(entry, key) for v in m.values if isinstance(v, Prefix)]
    owners = bench.forwarding.near.owners
    return bool(values) and not any(v.contains(a) for v in values for a in owners)


def _host(address: Address) -> Prefix:
    return Prefix(address.family, address.value, 32 if address.family == 4 else 128)


def _suspect(
    kind: str,
    device: str,
    summary: str,
    why: str,
    interface: str | None,
    key: str,
    offers: list[Offer],
    weight: int,
    elsewhere: tuple[list[tuple[End, Remedy]], bool] | None = None,
) -> Iterator[Suspect]:
    """The suspect with its offers; `elsewhere` are remedies on other devices, and whether they come
    first."""
    made = [offer for offer in offers if offer[1]]
    remedies = tuple(Remedy(f"On {device}: {words}.", edits) for words, edits, _ in made)
    peer = None
    if elsewhere is not None:
        others = tuple(remedy for _, remedy in elsewhere[0])
        peer = elsewhere[0][0][0]
        remedies = (*others, *remedies) if elsewhere[1] else (*remedies, *others)
    lines = tuple(dict.fromkeys(line for _, _, line in made or offers))
    if not lines:
        return
    yield Suspect(
        Finding(
            kind, BREAKS, device, summary, why, lines, interface, peer, key=key, remedies=remedies
        ),
        weight if remedies else LIKELY,
    )
