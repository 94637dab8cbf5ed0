"""One line of a pair is gone: a route that a router has only to tell others of all that lies behind
it, the line that tells it, or the default that it is told to announce."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix, prefix_of
from ...network.edits import Edit, Remedy
from ...network.facts import Device, Source, StaticRoute
from ...network.protocols import label
from ..finding import BREAKS, Finding
from ..remedies import statics as static_remedies
from ..remedies.bench import Bench
from .statics import lost_through
from .suspect import LIKELY, Suspect, missing_line

STATIC = "static"
Edits = tuple[Edit, ...]


def halves(bench: Bench, lacking: Device, target: Address) -> Iterator[Suspect]:
    """What a router is told to announce and has not, or has and is not told to announce, where
    others of the network have both."""
    family = target.family
    likes = [s for d in bench.network.devices for s in _told(d, family) if s.special is not None]
    likes = likes or [
        s for d in bench.network.devices for s in _told(d, 10 - family) if s.special is not None
    ]
    for holder in bench.network.devices:
        if holder.is_host or holder.name == lacking.name or holder.role == "unread":
            continue
        yield from _default(bench, holder, target)
        route = bench.forwarding.matching(holder.name, target)
        if not likes or route is None or route.prefix.is_default:
            continue
        if _announces(holder, family):
            prefixes = lost_through(bench, lacking.name, holder.name, target)
            yield from _gone(bench, holder, lacking, prefixes, likes)
        else:
            yield from _untold(bench, holder, lacking, target)


def _part(held: StaticRoute, whole: Prefix) -> bool:
    """True if a route is rather meant to be the whole: the same address with too long a mask."""
    return held.prefix.network == whole.network and held.prefix.length > whole.length


def _gone(
    bench: Bench,
    holder: Device,
    lacking: Device,
    prefixes: list[Prefix],
    likes: list[StaticRoute],
) -> Iterator[Suspect]:
    """Told to announce its static routes, and there is none, or one for what nobody has."""
    if not prefixes:
        return
    family = prefixes[0].family
    held = [s for s in holder.statics if s.prefix.family == family]
    single = held[0] if len(held) == 1 else None
    of_nobody = single is not None and _of_nobody(bench, single)
    likes = [s for s in likes if s.source.device != holder.chassis or s.prefix.family != family]
    if not likes or (held and single is None):
        return
    writer, table = bench.writer(holder.name), bench.tables.of(holder.name, family)
    for whole in _covering(prefixes, [s for s in likes if s.prefix.family == family]):
        stray = single if single is not None and (of_nobody or _part(single, whole)) else None
        if single is not None and stray is None:
            continue
        new = None if table.holds(whole) else writer.discard(whole, stray or likes[0])
        old: Edits | None = () if stray is None else writer.drop_static(stray)
        if new is None or old is None:
            continue
        word = "IPv4" if family == 4 else "IPv6"
        where = _announces(holder, family)[0]
        text = next((add[0] for e in new if (add := getattr(e, "add", ()))), f"a route to {whole}")
        missing = Source(holder.name, where.file, None, text, missing=True, after=None)
        has = "has none"
        if stray is not None:
            of_what = "where nobody is" if of_nobody else "a part of it only"
            has = f"has none but for {stray.prefix}, {of_what}"
        yield Suspect(
            Finding(
                "aggregate-missing",
                BREAKS,
                holder.name,
                f"{holder.name} is told to announce its static {word} routes and {has}; "
                f"{likes[0].source.device} announces one for all that lies behind it.",
                f"{lacking.name} learns nothing of what lies behind {holder.name}.",
                (*((stray.source,) if stray else ()), where, missing, likes[0].source),
                key=str(whole),
                remedies=(
                    Remedy(
                        f"On {holder.name}: announce {whole}, as a route that discards.",
                        (*old, *new),
                    ),
                ),
            ),
            LIKELY,
        )
        return


def _untold(bench: Bench, holder: Device, lacking: Device, target: Address) -> Iterator[Suspect]:
    """A route that discards, for a part of the network that is right there, and nobody hears."""
    family = target.family
    idle = next(
        (s for s in holder.statics if s.special is not None and s.prefix.contains(target)), None
    )
    if idle is None:
        return
    beside = lacking.routing.protocols(family)
    for protocol in [p for p in holder.routing.protocols(family) if p in beside]:
        like = next(
            (
                item
                for device in bench.network.devices
                for process in device.routing.called(protocol)
                for item in process.redistributes(process.family)
                if item.protocol == STATIC and item.route_map is None
            ),
            None,
        )
        if like is None:
            continue
        edits = bench.writer(holder.name).of(protocol).redistribute(family, STATIC, like)
        if edits is None:
            continue
        name = label(protocol)
        yield Suspect(
            Finding(
                "announcement-missing",
                BREAKS,
                holder.name,
                f"{holder.name} has {idle.prefix} only to tell others of it, and does not announce "
                f"it in {name}.",
                f"{lacking.name} and those behind it do not learn it.",
                (missing_line(bench, holder, protocol, family, edits), idle.source),
                key=f"{protocol}-{idle.prefix}",
                remedies=(
                    Remedy(f"On {holder.name}: announce its static routes in {name}.", edits),
                ),
            ),
            LIKELY,
        )


def _default(bench: Bench, holder: Device, target: Address) -> Iterator[Suspect]:
    """Told to announce its default route, and there is none to announce."""
    family = target.family
    zero = Prefix(family, 0, 0)
    told = next(
        (
            default
            for process in holder.routing.processes
            if process.serves(family)
            and (default := getattr(process, "default", None)) is not None
            and not getattr(default, "always", False)
        ),
        None,
    )
    table = bench.tables.of(holder.name, family)
    if (
        told is None
        or table.winner(zero) is not None
        or any(s.prefix == zero for s in holder.statics)
    ):
        return
    remedies = []
    for neighbour, address, _ in static_remedies.ways(bench, holder.name, target):
        edits = bench.writer(holder.name).static(zero, address)
        if edits is not None:
            remedies.append(
                Remedy(f"On {holder.name}: send {zero} to {neighbour} ({address}).", edits)
            )
    if not remedies:
        return
    text = next((add[0] for e in remedies[0].edits if (add := getattr(e, "add", ()))), str(zero))
    missing = Source(holder.name, told.source.file, None, text, missing=True, after=None)
    yield Suspect(
        Finding(
            "default-missing",
            BREAKS,
            holder.name,
            f"{holder.name} is told to announce its default route and has none.",
            "Nobody learns a way out from it, and it has none itself.",
            (told.source, missing),
            key=str(zero),
            remedies=tuple(remedies),
        ),
        LIKELY,
    )


def _announces(device: Device, family: int) -> list[Source]:
    """The lines that tell a router to announce its static routes."""
    return [
        item.source
        for process in device.routing.processes
        for item in process.redistributes(family)
        if item.protocol == STATIC
    ]


def _told(device: Device, family: int) -> list[StaticRoute]:
    """The static routes that a router announces."""
    if not _announces(device, family):
        return []
    return [s for s in device.statics if s.prefix.family == family]


def _of_nobody(bench: Bench, line: StaticRoute) -> bool:
    return not any(line.prefix.contains(address) for address in bench.taken)


def _covering(prefixes: list[Prefix], likes: list[StaticRoute]) -> list[Prefix]:
    """What covers all prefixes: as long as others' of its kind are, else as long as it can be."""
    family = prefixes[0].family
    bits = 32 if family == 4 else 128
    out = []
    for length in sorted({s.prefix.length for s in likes}, reverse=True):
        whole = prefix_of(Address(family, prefixes[0].network), length)
        if whole.covers(prefixes[0]):
            out.append(whole)
    low, high = min(p.network for p in prefixes), max(p.last for p in prefixes)
    tight = prefix_of(Address(family, low), bits - (low ^ high).bit_length())
    # Others' length, where it takes in all that is lost; else what does.
    full = [w for w in out if all(w.covers(p) for p in prefixes)]
    return [*full, tight, *(w for w in out if w not in full)]
