"""openconfig-isis: IS-IS."""

from __future__ import annotations

from ...network.addressing import FAMILIES
from ...network.isis import LEVELS, Announced, IsisInterface, IsisProcess
from ...network.routing import Flag, Number, Word
from ...network.source import Source
from .held import Held, bare, place
from .model import Around, Model

_CAPABILITIES = {"LEVEL_1": "level-1", "LEVEL_2": "level-2-only", "LEVEL_1_2": "level-1-2"}
_IDLE = (
    "mpls", "segment-routing", "graceful-restart", "nsr", "timers", "transport", "bfd",
    "enable-bfd",
    "igp-shortcuts", "authentication-check", "maximum-area-addresses", "max-ecmp-paths", "poi-tlv",
    "iid-tlv", "fast-flooding", "instance", "link-state-database", "system-level-counters",
    "circuit-counters", "packet-counters", "adjacencies", "traffic-engineering",
)  # fmt: skip


def read(held: Held, around: Around) -> tuple[IsisProcess, ...]:
    """One IS-IS router, as a process per family."""
    whole = held.inner("global")
    levels = held.inner("levels")
    process: dict[str, object] = {}
    families = set(FAMILIES)
    own = None
    if whole is not None:
        process = _whole(whole)
        families, own = _families(whole)
    styles: list[Word] = []
    off: set[int] = set()
    for (text,), entry in levels.entries("level", "level-number") if levels is not None else []:
        entry.ignore(*_IDLE)
        on, style = entry.flag("enabled"), entry.identity("metric-style")
        if on is not None and not on.value and text.isdigit():
            off.add(int(text))
        if style is not None:
            word = "narrow" if style.value.startswith("NARROW") else "wide"
            styles.append(Word(word, style.source))
        mode, key = _key(entry.inner("authentication"))
        if key is not None and mode is not None:
            name = "area_key" if text == "1" else "domain_key"
            process[name] = Word(f"{mode.value} {key.value}", key.source)
    if styles:
        process["style"] = styles[0]
    kind = process.get("kind")
    runs = {1, 2} if kind is None else {
        "level-1": {1}, "level-2-only": {2}
    }.get(kind.value, {1, 2})  # type: ignore[attr-defined]  # fmt: skip
    if off and runs - off:
        only = "level-1" if runs - off == {1} else "level-2-only"
        if runs - off != runs:
            process["kind"] = Word(only, held.source())
            runs -= off
    interfaces: dict[str, IsisInterface] = {}
    listed = held.inner("interfaces")
    for (key_,), entry in listed.entries("interface", "interface-id") if listed is not None else []:
        name = place(entry, around.names, key_)
        found = _interface(entry, name, families)
        if found is not None:
            interfaces[name] = found
    into = {2} if 2 in runs else {1}
    return tuple(
        IsisProcess(
            family,
            held.source(),
            "",
            interfaces=interfaces,
            announced=tuple(
                Announced(level, c.what)
                for c in around.told
                if c.family == family
                for level in (c.levels or tuple(into))
            ),
            own_topology=own,
            **process,  # type: ignore[arg-type]
        )
        for family in FAMILIES
    )


def _whole(held: Held) -> dict[str, object]:
    out: dict[str, object] = {}
    held.ignore(*_IDLE)
    nets = held.words("net")
    if nets:
        out["net"] = nets[0]
    capability = held.identity("level-capability")
    if capability is not None:
        word = _CAPABILITIES.get(capability.value, "level-1-2")
        out["kind"] = Word(word, capability.source)
    overload = held.inner("lsp-bit", "overload-bit")
    if overload is not None:
        overload.ignore("set-bit-on-boot", "advertise-high-metric", "reset-triggers")
        flag = overload.flag("set-bit")
        if flag is not None:
            out["overload"] = flag
    attached = held.inner("lsp-bit", "attached-bit")
    if attached is not None:
        for leaf, name in (("ignore-bit", "attached_receive"), ("suppress-bit", "attached_send")):
            flag = attached.flag(leaf)
            if flag is not None:
                out[name] = Flag(not flag.value, flag.source)
    return out


def _families(held: Held) -> tuple[set[int], Flag | None]:
    """The families that are carried, and whether IPv6 has a topology of its own."""
    listed = held.inner("afi-safi")
    if listed is None:
        return set(FAMILIES), None
    found: set[int] = set()
    own = None
    entries = listed.entries("af", "afi-name", "safi-name")
    for (afi, safi), entry in entries:
        entry.ignore("metric")
        on = entry.flag("enabled")
        family = 6 if bare(afi) == "IPV6" else 4
        several = entry.inner("multi-topology")
        if several is not None:
            named = several.identity("afi-name")
            several.ignore("safi-name")
            if family == 6 and named is not None:
                own = Flag(named.value == "IPV6", named.source)
        if bare(safi) == "UNICAST" and (on is None or on.value):
            found.add(family)
    return (found if entries else set(FAMILIES)), own


def _key(held: Held | None) -> tuple[Word | None, Word | None]:
    """(form, key) of an authentication: `clear` or `md5`."""
    if held is None:
        return None, None
    off = held.flag("enabled") or held.flag("hello-authentication")
    held.ignore(
        "auth-type", "disable-csnp", "disable-lsp", "disable-psnp", "csnp-authentication",
        "lsp-authentication", "psnp-authentication",
    )  # fmt: skip
    if off is not None and not off.value:
        held.node.ignore_rest()
        return None, None
    inner = held.inner("key")
    word = held.word("auth-password") or (inner.word("auth-password") if inner else None)
    mode = held.identity("auth-mode") or (inner.identity("auth-mode") if inner else None)
    if word is None:
        return None, None
    form = "md5" if mode is not None and mode.value == "MD5" else "clear"
    return Word(form, (mode or word).source), word


def _interface(entry: Held, name: str, families: set[int]) -> IsisInterface | None:
    entry.ignore(*_IDLE)
    on = entry.flag("enabled")
    if on is not None and not on.value:
        entry.node.ignore_rest()
        return None
    where = entry.source("interface-id")._replace(path=entry.path)
    taken: dict[int, Source] = {}
    listed = entry.inner("afi-safi")
    entries = listed.entries("af", "afi-name", "safi-name") if listed is not None else []
    for (afi, safi), one in entries:
        one.ignore("metric")
        flag = one.flag("enabled")
        if bare(safi) == "UNICAST" and (flag is None or flag.value):
            taken[6 if bare(afi) == "IPV6" else 4] = one.source("afi-name")._replace(path=one.path)
    if not entries:
        taken = dict.fromkeys(sorted(families), where)
    mode, key = _key(entry.inner("authentication"))
    metrics: dict[int, Number] = {}
    priorities: dict[int, Number] = {}
    passive = entry.flag("passive")
    circuit: set[int] = set()
    said = None
    levels = entry.inner("levels")
    for (text,), level in levels.entries("level", "level-number") if levels is not None else []:
        level.ignore(*_IDLE)
        if not text.isdigit() or int(text) not in LEVELS:
            continue
        number = int(text)
        flag = level.flag("enabled")
        circuit.add(number) if flag is None or flag.value else None
        said = flag or said
        priority = level.number("priority")
        if priority is not None:
            priorities[number] = priority
        quiet = level.flag("passive")
        passive = passive or (quiet if quiet is not None and quiet.value else None)
        hello_mode, hello_key = _key(level.inner("hello-authentication"))
        mode, key = mode or hello_mode, key or hello_key
        below = level.inner("afi-safi")
        for _, one in below.entries("af", "afi-name", "safi-name") if below is not None else []:
            one.ignore("enabled", "segment-routing")
            metric = one.number("metric")
            if metric is not None:
                metrics[number] = metric
    kind = entry.identity("circuit-type")
    padding = entry.identity("hello-padding")
    word = None
    if said is not None and len(circuit) == 1:
        word = Word("level-1" if circuit == {1} else "level-2-only", said.source)
    return IsisInterface(
        name,
        taken_in=taken,
        circuit=word,
        metrics=metrics,
        passive=passive,
        network=Word("point-to-point", kind.source)
        if kind is not None and kind.value == "POINT_TO_POINT"
        else None,
        authentication=mode,
        key=key,
        priorities=priorities,
        padding=Flag(padding.value != "DISABLE", padding.source) if padding is not None else None,
    )


MODELS = {"ISIS": Model(IsisProcess.protocol, "isis", read)}
