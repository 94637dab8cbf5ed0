"""A route that a router has only to tell others of all that lies behind it, and that is gone."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ...network.addressing import Address, Prefix, prefix_of
from ...network.edits import Remedy
from ...network.facts import Device, Source, StaticRoute
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import LIKELY, Suspect

STATIC = "static"
Lost = Callable[[Bench, str, str, Address], list[Prefix]]


def aggregates(bench: Bench, lacking: Device, target: Address, lost: Lost) -> Iterator[Suspect]:
    """Routers that are told to announce their static routes and have none of the family, where
    others of the network announce one that discards: what is missing is that line of the pair.

    Args:
        lacking: the router that does not know the target.
        lost: gives the prefixes that it lacks and another router reaches, the target's first.
    """
    family = target.family
    likes = [s for d in bench.network.devices for s in _told(d, family) if s.special is not None]
    likes = likes or [s for d in bench.network.devices for s in _told(d, 10 - family)]
    likes = [s for s in likes if s.special is not None]
    if not likes:
        return
    for holder in bench.network.devices:
        if holder.is_host or holder.name == lacking.name or not _announces(holder, family):
            continue
        if any(s.prefix.family == family for s in holder.statics):
            continue
        route = bench.forwarding.matching(holder.name, target)
        if route is None or route.prefix.is_default:
            continue
        prefixes = lost(bench, lacking.name, holder.name, target)
        if not prefixes:
            continue
        table = bench.tables.of(holder.name, family)
        for whole in _covering(prefixes, [s for s in likes if s.prefix.family == family]):
            edits = (
                None if table.holds(whole) else bench.writer(holder.name).discard(whole, likes[0])
            )
            if edits is None:
                continue
            word = "IPv4" if family == 4 else "IPv6"
            where = _announces(holder, family)[0]
            text = next(
                (add[0] for e in edits if (add := getattr(e, "add", ()))), f"a route to {whole}"
            )
            missing = Source(holder.name, where.file, None, text, missing=True, after=None)
            yield Suspect(
                Finding(
                    "aggregate-missing",
                    BREAKS,
                    holder.name,
                    f"{holder.name} is told to announce its static {word} routes and has none; "
                    f"{likes[0].source.device} announces one for all that lies behind it.",
                    f"{lacking.name} learns nothing of what lies behind {holder.name}.",
                    (where, missing, likes[0].source),
                    key=str(whole),
                    remedies=(
                        Remedy(
                            f"On {holder.name}: announce {whole}, as a route that discards.", edits
                        ),
                    ),
                ),
                LIKELY,
            )
            break


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


def _covering(prefixes: list[Prefix], likes: list[StaticRoute]) -> list[Prefix]:
    """What covers all prefixes: as long as others' of its kind are, else as long as it can be."""
    family = prefixes[0].family
    bits = 32 if family == 4 else 128
    near = [p for p in prefixes if p.length >= 8]
    out = []
    for length in sorted({s.prefix.length for s in likes}, reverse=True):
        whole = prefix_of(Address(family, prefixes[0].network), length)
        if whole.covers(prefixes[0]):
            out.append(whole)
    low, high = min(p.network for p in near), max(p.last for p in near)
    tight = prefix_of(Address(family, low), bits - (low ^ high).bit_length())
    # Others' length, where it takes in all that is lost; else what does.
    full = [w for w in out if all(w.covers(p) for p in prefixes)]
    return [*full, tight, *(w for w in out if w not in full)]
