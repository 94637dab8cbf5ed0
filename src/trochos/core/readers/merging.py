"""The files of one device made one device: configuration wins over captures, and captures fill
in what configuration cannot say."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

from ..network.addressing import InterfaceAddress, eui64_link_local
from ..network.facts import (
    AddressFact,
    Device,
    GatheredRoute,
    Inside,
    Interface,
    Profile,
    Source,
    StaticRoute,
)
from ..network.filters import NO_SERVICES, Services
from ..network.policy import NO_POLICY, Policy
from ..network.protocols import names
from ..network.routing import NO_ROUTING, Routing
from ..network.rules import Rule
from ..network.shared import SharedGateway
from . import iproute
from .drafts import CaptureDraft, ConfigDraft, DeviceDrafts, InterfaceDraft
from .yang import data as yang


def merged_device(name: str, drafts: DeviceDrafts, role: str | None) -> Device:
    """A device from what its files say; `role` is what the survey says it is, if it does."""
    configs, captures = drafts.configs, drafts.captures
    if not configs and not any(
        any(not i.vlans_only for i in c.interfaces.values()) for c in captures
    ):
        if drafts.unread_files or not captures:
            return Device(name, role="unread")
    shared = tuple(item for capture in captures for item in capture.shared)
    shared += tuple(item for config in configs for item in config.shared)
    interfaces = _interfaces(name, configs, captures)
    shown = any(i.mac for capture in captures for i in capture.interfaces.values())
    shared = tuple(_on_its_own(item, interfaces, shown) for item in shared)
    interfaces = _without_shared(interfaces, shared)
    routing = [config for config in configs if config.routes]
    forwarding: list[bool | None] = [None, None]
    forwarding_source: Source | None = None
    layers: list[CaptureDraft | ConfigDraft] = [*captures, *configs]
    for layer in layers:
        for index in (0, 1):
            value = layer.forwarding[index]
            if value is not None:
                forwarding[index] = value
                forwarding_source = layer.forwarding_source or forwarding_source
    statics = [route for config in configs for route in config.statics]
    profile: Profile = configs[0].profile if configs else iproute.LINUX
    through_default = (
        any(c.profile.resolve_via_default[0] for c in configs),
        any(c.profile.resolve_via_default[1] for c in configs),
    )
    if configs and through_default != profile.resolve_via_default:
        profile = replace(profile, resolve_via_default=through_default)
    if not routing:
        statics += [route for capture in captures for route in capture.statics]
    if role in ("router", "host"):
        final = role
    elif routing and (any(f.profile.name != yang.YANG.name for f in routing)):
        final = "router"
    elif any(i.master is not None for i in interfaces) and not any(
        not fact.address.is_link_local for i in interfaces for fact in i.addresses
    ):
        final = "switch"
    else:
        final = "router" if any(forwarding) else "host"
    default = final == "router" and not any(c.profile.name == yang.YANG.name for c in configs)
    # What is missing of a device may have said that it passes packets on.
    default = default or (drafts.partly is not None and role != "host")
    gathered: dict[int, tuple[GatheredRoute, ...]] = {}
    if routing:
        tables: dict[int, list[GatheredRoute]] = {}
        detailed = [
            c
            for c in captures
            if any(r.distance is not None for rs in c.gathered.values() for r in rs)
        ]
        for capture in detailed or captures:
            for family, routes in capture.gathered.items():
                tables.setdefault(family, []).extend(routes)
        gathered = {family: tuple(routes) for family, routes in tables.items()}
    named = next((c for c in configs if c.hostname), None)
    unmodelled = [u for layer in layers for u in layer.unmodelled]
    tunnels = {name: t for capture in captures for name, t in capture.tunnels.items()}
    if tunnels:
        # What the link itself did not say, the list of tunnels says.
        unmodelled = [
            u for u in unmodelled if u.interface not in tunnels or u.why != iproute.TUNNELS
        ]
        interfaces = tuple(
            replace(i, tunnel=tunnels[i.name], point_to_point=True)
            if i.name in tunnels and i.tunnel is None
            else i
            for i in interfaces
        )
    return Device(
        name=name,
        interfaces=interfaces,
        statics=tuple(statics),
        profile=profile,
        forwarding=(
            default if forwarding[0] is None else forwarding[0],
            default if forwarding[1] is None else forwarding[1],
        ),
        forwarding_source=forwarding_source,
        role=final,
        hostname=named.hostname if named else None,
        hostname_source=named.hostname_source if named else None,
        unmodelled=tuple(unmodelled),
        gathered=gathered,
        main_file=configs[0].file if configs else (captures[0].file if captures else None),
        routing=_routing(configs),
        policy=_policy(configs),
        filters=tuple(chain for layer in layers for chain in layer.filters),
        translations=tuple(chain for layer in layers for chain in layer.translations),
        reverse_path=tuple(item for capture in captures for item in capture.reverse_path),
        services=_services(captures),
        heard=tuple(item for capture in captures for item in capture.heard),
        resolved=tuple(item for capture in captures for item in capture.resolved),
        probes=tuple(item for capture in captures for item in capture.probes),
        shared=shared,
        rules=_rules(configs, captures),
        tables=_tables(configs, captures),
        partly=drafts.partly,
        read_at=next((c.read_at for c in captures if c.read_at), None),
        instances=_instances(configs, captures),
    )


def _instances(configs: list[ConfigDraft], captures: list[CaptureDraft]) -> dict[str, Inside]:
    """What all files of a device say of its routing instances."""
    out: dict[str, Inside] = {}
    for name in dict.fromkeys(name for config in configs for name in config.instances):
        held = [c.instances[name] for c in configs if name in c.instances]
        gathered: dict[int, list[GatheredRoute]] = {}
        detailed = [
            c
            for c in captures
            if any(r.distance is not None for rs in c.instances.get(name, {}).values() for r in rs)
        ]
        for capture in detailed or captures:
            for family, routes in capture.instances.get(name, {}).items():
                gathered.setdefault(family, []).extend(routes)
        out[name] = Inside(
            tuple(route for draft in held for route in draft.statics),
            joined([draft.routing for draft in held]),
            tuple(item for draft in held for item in draft.unmodelled),
            {family: tuple(routes) for family, routes in gathered.items()},
        )
    return out


def _rules(configs: list[ConfigDraft], captures: list[CaptureDraft]) -> tuple[Rule, ...]:
    """The rules from all files of a device. What a configuration makes a daemon put there is taken
    from the configuration: it holds after a change, too."""
    said = [rule for config in configs for rule in config.rules]
    shown = [
        rule
        for capture in captures
        for rule in capture.rules
        if not said or rule.priority not in capture.daemons_rules
    ]
    if shown:
        said = [rule for rule in said if rule.table != "main"]  # it is among those shown
    return (*said, *shown)


def _tables(
    configs: list[ConfigDraft], captures: list[CaptureDraft]
) -> dict[str, tuple[StaticRoute, ...]]:
    """The tables other than the main one, from all files of a device."""
    out: dict[str, tuple[StaticRoute, ...]] = {}
    for config in configs:
        for name, routes in config.tables.items():
            out[name] = (*out.get(name, ()), *routes)
    said = set(out)
    for capture in captures:
        for name, routes in capture.tables.items():
            if name not in said or name not in capture.daemons_tables:
                out[name] = (*out.get(name, ()), *routes)
    return out


def _on_its_own(
    part: SharedGateway, interfaces: tuple[Interface, ...], shown: bool
) -> SharedGateway:
    """A part whose addresses have to stand on an interface of their own: with the lengths that
    they have there. Where a device showed what its interfaces are called on the link, and none is
    the one, it is idle."""
    if part.mac is None or part.idle is not None:
        return part
    own = [i for i in interfaces if (i.mac or "").lower() == part.mac]
    if not own and not shown:
        return part
    if not own:
        return replace(part, idle=f"no interface has the address {part.mac} that it needs")
    there = {fact.address: fact.value for i in own for fact in i.addresses}
    held = tuple((there[v.address], s) for v, s in part.addresses if v.address in there)
    if not held:
        why = f"{own[0].name} has none of the addresses that it is to hold"
        return replace(part, idle=why)
    return replace(part, addresses=held)


def _without_shared(
    interfaces: tuple[Interface, ...], shared: tuple[SharedGateway, ...]
) -> tuple[Interface, ...]:
    """Who holds a shared address at the moment is state: it is computed, not taken from there."""
    if not shared:
        return interfaces
    return tuple(
        replace(
            interface,
            addresses=tuple(
                fact
                for fact in interface.addresses
                if not any(
                    part.holds(fact.address)
                    and (fact.captured or (interface.mac or "").lower() == part.mac)
                    for part in shared
                )
            ),
        )
        for interface in interfaces
    )


def _services(captures: list[CaptureDraft]) -> Services:
    """What all files of a device say of names and sockets."""
    held = [c.services for c in captures if c.services is not NO_SERVICES]
    return Services(
        next((s.sockets for s in held if s.sockets is not None), None),
        next((s.names for s in held if s.names is not None), None),
        next((s.resolvers for s in held if s.resolvers is not None), None),
        next((s.search for s in held if s.search), ()),
    )


def _routing(configs: list[ConfigDraft]) -> Routing:
    """What all files of a device configure: each of its daemons may have a file of its own."""
    return joined([config.routing for config in configs])


def joined(parts: list[Routing]) -> Routing:
    """The processes of several texts, in the order in which protocols are listed."""
    found = [process for part in parts for process in part.processes]
    if not found:
        return NO_ROUTING
    order = {name: number for number, name in enumerate(names())}
    single = {type(p): p for p in reversed(found) if p.once}
    kept = [p for p in found if not p.once or single[type(p)] is p]
    return Routing(tuple(sorted(kept, key=lambda p: (order[p.protocol], p.family))))


def _policy(configs: list[ConfigDraft]) -> Policy:
    """The lists and maps of all files; of two with one name, a protocol's own file wins."""
    if not any(c.routing.runs for c in configs):
        return NO_POLICY
    merged: dict[str, dict[Any, Any]] = {}
    for config in sorted(configs, key=lambda c: c.routing.runs):
        for item in fields(Policy):
            merged.setdefault(item.name, {}).update(getattr(config.policy, item.name))
    return Policy(**merged)


def _interfaces(
    device: str, configs: list[ConfigDraft], captures: list[CaptureDraft]
) -> tuple[Interface, ...]:
    configured: dict[str, InterfaceDraft] = {}
    for config in configs:
        for name, draft in config.interfaces.items():
            if name in configured:
                configured[name].addresses.extend(draft.addresses)
            else:
                configured[name] = draft
    captured: dict[str, InterfaceDraft] = {}
    for capture in captures:
        for name, draft in capture.interfaces.items():
            known = captured.setdefault(name, draft)
            if known is not draft:
                known.addresses = known.addresses or draft.addresses
                known.addresses_known |= draft.addresses_known
                known.mtu = known.mtu or draft.mtu
                known.mac = known.mac or draft.mac
                known.vrf = known.vrf or draft.vrf
                known.carrier = known.carrier if known.carrier is not None else draft.carrier
                known.enabled = known.enabled if known.enabled is not None else draft.enabled
                known.enabled_source = known.enabled_source or draft.enabled_source
                known.mtu_source = known.mtu_source or draft.mtu_source
                known.loopback |= draft.loopback
                known.point_to_point |= draft.point_to_point
                known.parent = known.parent or draft.parent
                known.tag = known.tag if known.tag is not None else draft.tag
                known.tag_source = known.tag_source or draft.tag_source
                known.master = known.master or draft.master
                known.filtering |= draft.filtering
                known.bridge |= draft.bridge
                known.blocked |= draft.blocked
                known.carried = known.carried or draft.carried
                if known.vlans_only:
                    known.order, known.source = draft.order, draft.source
                    known.vlans_only = draft.vlans_only
    # A text that gives addresses to links speaks for every interface it mentions;
    # one that only names protocols leaves the addresses to the system below.
    speaks = any(
        draft.addresses and not draft.loopback and name != "lo"
        for name, draft in configured.items()
    )
    # Where a capture says which instance each port is in, a text that says another one speaks of a
    # port that is not there.
    placed = any(draft.vrf for draft in captured.values())
    out = []
    for name in dict.fromkeys([*captured, *configured]):
        text, live = configured.get(name), captured.get(name)
        misplaced = None
        if placed and text is not None and live is not None and text.vrf != live.vrf:
            misplaced = text.vrf_source or text.source
            text = None
        made = _interface(device, name.partition("@")[0], text, live, speaks)
        out.append(replace(made, misplaced=misplaced) if misplaced else made)
    out.sort(key=lambda i: (not i.loopback, i.order) if not captured else (False, i.order))
    return tuple(out)


def _interface(
    device: str,
    name: str,
    config: InterfaceDraft | None,
    live: InterfaceDraft | None,
    speaks: bool,
) -> Interface:
    addresses: list[AddressFact] = list(config.addresses) if config else []
    if live is not None and live.enabled is False and live.addresses_known:
        shown = {fact.address for fact in live.addresses}
        addresses = [replace(f, survives_shut=f.address in shown) for f in addresses]
    if live is not None and live.addresses:
        # Addresses stand in the order in which they came: what a capture shows was there before
        # what only the configuration says.
        shown = {fact.address for fact in live.addresses}
        addresses.sort(key=lambda fact: fact.address not in shown)
    if live is not None:
        have = {fact.address for fact in addresses}
        for fact in live.addresses:
            link_local = fact.address.family == 6 and fact.address.is_link_local
            wanted = link_local or config is None or (not addresses and not speaks)
            if wanted and fact.address not in have:
                addresses.append(fact)
                have.add(fact.address)
    mac = (live.mac if live else None) or (config.mac if config else None)
    loopback = bool((config and config.loopback) or (live and live.loopback))
    base = config or live
    assert base is not None and base.source is not None
    has_link_local = any(
        fact.address.family == 6 and fact.address.is_link_local for fact in addresses
    )
    if mac and not has_link_local and not loopback and (live is None or not live.addresses):
        derived = eui64_link_local(mac)
        if derived is not None and any(f.address.family == 6 for f in addresses):
            source = base.source._replace(text=f"formed from the MAC address {mac}", default=True)
            addresses.append(AddressFact(InterfaceAddress(derived, 64), source, captured=True))
    said = config if config is not None and config.enabled is not None else live
    if live is not None and live.enabled is False and said is not None and said is not live:
        # Whoever took it down went past the text, in which it is only on because nobody says else.
        default = said.enabled_source is not None and said.enabled_source.default
        said = live if said.enabled and default else said
    return Interface(
        name=name,
        addresses=tuple(addresses),
        enabled=said is None or said.enabled is not False,
        enabled_source=(said.enabled_source if said else None)
        or (config.enabled_source if config else None)
        or (live.enabled_source if live else None),
        carrier=live.carrier if live else (config.carrier if config else None),
        captured_enabled=live.enabled if live else None,
        loopback=loopback,
        mtu=(config.mtu if config else None) or (live.mtu if live else None),
        mtu_source=(config.mtu_source if config else None) or (live.mtu_source if live else None),
        mac=mac,
        description=config.description if config else None,
        source=base.source,
        forwarding=(base.forwarding[0], base.forwarding[1]),
        forwarding_source=base.forwarding_source,
        order=live.order if live else (config.order if config else 0),
        vrf=(config.vrf if config else None) or (live.vrf if live else None),
        vrf_source=config.vrf_source if config else None,
        ignores_carrier=bool(config and config.ignores_carrier),
        point_to_point=bool(live and live.point_to_point) or bool(config and config.tunnel),
        tunnel=config.tunnel if config else None,
        parent=(live.parent if live else None) or (config.parent if config else None),
        tag=live.tag if live and live.tag is not None else (config.tag if config else None),
        tag_source=(live.tag_source if live else None) or (config.tag_source if config else None),
        master=(live.master if live else None) or (config.master if config else None),
        blocked=bool(live and live.blocked),
        filtering=bool((live and live.filtering) or (config and config.filtering)),
        carried=tuple((live.carried if live else None) or (config.carried if config else ())),
        bandwidth=config.bandwidth if config else None,
        bandwidth_source=config.bandwidth_source if config else None,
    )
