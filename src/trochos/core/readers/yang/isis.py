"""ietf-isis (RFC 9130), with what is announced for other protocols from trochos-policy."""

from __future__ import annotations

from typing import Any

from ...network.addressing import FAMILIES
from ...network.isis import LEVELS, Announced, IsisInterface, IsisProcess
from ...network.routing import DefaultRoute, Flag, Number, Redistribution, Word
from ...network.source import Source
from .leaves import Leaves
from .model import Model

_KINDS = {"level-1": "level-1", "level-2": "level-2-only", "level-all": "level-1-2"}
_STYLES = {"wide-only": "wide", "old-only": "narrow", "both": "transition"}
_FAMILIES = {"ipv4": 4, "ipv6": 6}
_IDLE = (
    "maximum-area-addresses", "lsp-mtu", "lsp-lifetime", "lsp-refresh", "poi-tlv",
    "graceful-restart", "nsr", "node-tags", "mpls", "spf-control", "fast-reroute",
    "overload-max-metric", "spf-log", "lsp-log", "hostnames", "database", "local-rib",
    "system-counters", "protected-routes", "unprotected-routes", "protection-statistics",
    "discontinuity-time",
)  # fmt: skip
_IDLE_ON_LINKS = (
    "lsp-pacing-interval", "lsp-retransmit-interval", "csnp-interval", "mesh-group-enabled",
    "mesh-group", "tag", "tag64", "node-flag", "hello-interval", "hello-multiplier", "bfd", "mpls",
    "fast-reroute", "adjacencies", "event-counters", "packet-counters", "discontinuity-time",
)  # fmt: skip
_TOPOLOGY = "ipv6-unicast"
"""The table of IPv6 routes that a topology of its own is named after (RFC 5120)."""


def read(held: Leaves, source: Source) -> tuple[IsisProcess, ...]:
    """One IS-IS router, as a process per family."""
    held.ignore(*_IDLE)
    off = held.flag("enabled")
    if off is not None and not off.value:
        held.node.ignore_rest()
        return ()
    settings: dict[str, Any] = {}
    areas = held.node.items("area-address")
    system = held.word("system-id")
    if areas and system is not None:
        for node in areas:
            node.seen = 1
        where = held.source("area-address")
        settings["net"] = Word(f"{areas[0].value}.{system.value}.00", where)
    kind = held.word("level-type")
    if kind is not None:
        settings["kind"] = Word(_KINDS.get(kind.value, "level-1-2"), kind.source)
    style = _by_level(held.inner("metric-type"), lambda one: one.word("value"))
    told = style.get(None) or style.get(2) or style.get(1)
    settings["style"] = (
        Word(_STYLES.get(told.value, "wide"), told.source)
        if told is not None
        else Word("wide", source._replace(text="metric-type wide-only", default=True))
    )
    overload = held.inner("overload")
    if overload is not None:
        settings["overload"] = overload.flag("status")
    keys = _keys(held.inner("authentication"))
    for level, name in ((1, "area_key"), (2, "domain_key")):
        found = keys.get(level) or keys.get(None)
        if found is not None:
            form, word = found
            settings[name] = Word(f"{form.value} {word.value}", word.source)
    metrics = _by_level(held.inner("default-metric"), lambda one: one.number("value"))
    families = _families(held.inner("address-families")) or {
        family: held.source() for family in FAMILIES
    }
    settings["own_topology"] = _own_topology(held)
    interfaces: dict[str, IsisInterface] = {}
    container = held.inner("interfaces")
    for name, entry in container.entries("interface", "name") if container is not None else []:
        one = _interface(entry, name, families, metrics)
        if one is not None:
            interfaces[name] = one
    announced = [*_redistributed(held), *_defaults(held)]
    return tuple(
        IsisProcess(
            family,
            source,
            "",
            interfaces=interfaces,
            announced=tuple(item for mine, item in announced if mine == family),
            **settings,
        )
        for family in FAMILIES
    )


def _by_level(held: Leaves | None, read: Any) -> dict[int | None, Any]:
    """A setting for both levels (None) and for single ones."""
    out: dict[int | None, Any] = {}
    if held is None:
        return out
    for level, inner in ((None, held), (1, held.inner("level-1")), (2, held.inner("level-2"))):
        value = read(inner) if inner is not None else None
        if value is not None:
            out[level] = value
    return out


def _keys(held: Leaves | None) -> dict[int | None, tuple[Word, Word]]:
    """(form, key) per level: `clear` or `md5`."""

    def one(inner: Leaves) -> tuple[Word, Word] | None:
        key, algorithm = inner.word("key"), inner.identity("crypto-algorithm")
        if key is None:
            return None
        form = "md5" if algorithm is not None and "md5" in algorithm.value else "clear"
        return Word(form, (algorithm or key).source), key

    return _by_level(held, one)


def _families(held: Leaves | None) -> dict[int, Source]:
    out: dict[int, Source] = {}
    entries = held.entries("address-family-list", "address-family") if held is not None else []
    for text, entry in entries:
        on = entry.flag("enabled")
        family = _FAMILIES.get(text.rpartition(":")[2])
        if family is not None and (on is None or on.value):
            out[family] = entry.source("address-family")._replace(path=entry.path)
    return out


def _own_topology(held: Leaves) -> Flag | None:
    container = held.inner("topologies")
    for name, entry in container.entries("topology", "name") if container is not None else []:
        on = entry.flag("enabled")
        if name == _TOPOLOGY:
            return Flag(on is None or on.value, entry.source("name"))
        if name != "ipv4-unicast":
            entry.node.seen = 0  # no topology that is computed
    return None


def _interface(
    entry: Leaves, name: str, families: dict[int, Source], usual: dict[int | None, Number]
) -> IsisInterface | None:
    entry.ignore(*_IDLE_ON_LINKS)
    off = entry.flag("enabled")
    if off is not None and not off.value:
        entry.node.ignore_rest()
        return None
    where = entry.source("name")._replace(path=entry.path)
    taken = _families(entry.inner("address-families")) or dict.fromkeys(families, where)
    kind, network = entry.word("level-type"), entry.word("interface-type")
    metrics = _by_level(entry.inner("metric"), lambda one: one.number("value"))
    priorities = _by_level(entry.inner("priority"), lambda one: one.number("value"))
    keys = _keys(entry.inner("hello-authentication"))
    found = keys.get(None) or keys.get(1) or keys.get(2)
    padding = entry.inner("hello-padding")
    return IsisInterface(
        name,
        taken_in=taken,
        circuit=Word(_KINDS.get(kind.value, "level-1-2"), kind.source) if kind else None,
        metrics=_per_level({**usual, **metrics} if metrics.get(None) is None else metrics),
        passive=entry.flag("passive"),
        network=network if network is not None and network.value == "point-to-point" else None,
        authentication=found[0] if found else None,
        key=found[1] if found else None,
        priorities=_per_level(priorities),
        padding=padding.flag("enabled") if padding is not None else None,
        left_out=_left_out(entry),
    )


def _per_level(values: dict[int | None, Number]) -> dict[int, Number]:
    both = values.get(None)
    found = {level: values.get(level, both) for level in LEVELS}
    return {level: value for level, value in found.items() if value is not None}


def _left_out(entry: Leaves) -> Flag | None:
    """A link is in IPv6's own topology unless its list of topologies leaves that one out."""
    container = entry.inner("topologies")
    listed = container.entries("topology", "name") if container is not None else []
    if not listed or any(name == _TOPOLOGY for name, _ in listed):
        return None
    return Flag(True, listed[0][1].source("name"))


def _level(word: Word | None) -> int:
    return 1 if word is not None and word.value == "level-1" else 2


def _redistributed(held: Leaves) -> list[tuple[int, Announced]]:
    """`trochos-policy:announcement`: what is announced into which level, for which family."""
    out: list[tuple[int, Announced]] = []
    for name in ("trochos-policy:announcement", "announcement"):
        for protocol, entry in held.entries(name, "protocol"):
            family = _FAMILIES.get((entry.node.text("address-family") or "ipv4"), 4)
            metric, policy = entry.number("metric"), entry.word("policy")
            path = (
                f"{held.path}/{name}[protocol='{protocol}'][address-family='ipv{family}']"
                f"[level='{entry.node.text('level')}']"
            )
            what = Redistribution(
                protocol.rpartition(":")[2],
                entry.source("protocol")._replace(path=path),
                metric.value if metric else None,
                None,
                policy.value if policy else None,
            )
            out.append((family, Announced(_level(entry.word("level")), what)))
    return out


def _defaults(held: Leaves) -> list[tuple[int, Announced]]:
    """`trochos-policy:default-announcement`: a default, into which level."""
    out: list[tuple[int, Announced]] = []
    for name in ("trochos-policy:default-announcement", "default-announcement"):
        for text, entry in held.entries(name, "address-family"):
            always, metric = entry.flag("always"), entry.number("metric")
            policy = entry.word("policy")
            level = entry.word("level")
            path = f"{held.path}/{name}[address-family='{text}'][level='{level and level.value}']"
            what = DefaultRoute(
                entry.source("address-family")._replace(path=path),
                bool(always and always.value),
                metric.value if metric else None,
                None,
                policy.value if policy else None,
            )
            out.append((_FAMILIES.get(text, 4), Announced(_level(level), what)))
    return out


MODELS = {
    "isis": Model(IsisProcess.protocol, "ietf-isis", "isis", lambda held, at, _: read(held, at))
}
