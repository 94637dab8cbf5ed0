"""Groups that people know devices by: areas, systems, instances, places in names. For pictures of
networks in which nobody could tell single devices apart."""

from __future__ import annotations

import re
from collections import Counter, deque
from collections.abc import Mapping

from ..network.bgp import BgpProcess
from ..network.facts import Network
from ..protocols.tables import Tables

WORDS = {"area": "area", "system": "autonomous system", "instance": "instance", "place": "place"}
"""What each grouping is called, in the order in which one would choose."""
_PLACE = re.compile(r"([A-Za-z]{2,})(?=[-_.\d])")
_MOST = 60
"""More groups than this say no more than single devices do."""


def groupings(tables: Tables) -> dict[str, dict[str, str]]:
    """Per grouping the group of every device; groupings that tell nothing apart are left out.

    Who has no group of its own (hosts, switches, routers without the protocol) is with whoever is
    nearest by links, of several with the first by name: the same network is always cut the same
    way.
    """
    network = tables.network
    own = {
        "area": _areas(tables),
        "system": _systems(network),
        "instance": {d.name: d.instance for d in network.devices if d.instance},
        "place": _places(network),
    }
    out: dict[str, dict[str, str]] = {}
    for by in WORDS:
        if len(set(own[by].values())) < 2:
            continue
        found = _spread(network, own[by])
        sizes = Counter(found.values())
        if 2 <= len(sizes) <= _MOST and max(sizes.values()) < 0.95 * len(found):
            out[by] = found
    return out


def _areas(tables: Tables) -> dict[str, str]:
    """A router's area; of a border the backbone, which is where it joins the others."""
    found: dict[str, list[str]] = {}
    for speakers in tables.speakers:
        for name, areas in speakers.areas().items():
            found.setdefault(name, list(areas))
    return {name: areas[0] for name, areas in found.items() if areas}


def _systems(network: Network) -> dict[str, str]:
    out = {}
    for device in network.devices:
        process = device.routing.one(BgpProcess)
        if process is not None:
            out[device.name] = f"AS {process.number}"
    return out


def _places(network: Network) -> dict[str, str]:
    """The word that a device's name begins with, where several devices share it."""
    words = {}
    for device in network.devices:
        match = _PLACE.match(device.chassis)
        if match is not None:
            words[device.name] = match[1].lower()
    count = Counter(words.values())
    return {name: word for name, word in words.items() if count[word] > 2}


def _spread(network: Network, own: Mapping[str, str]) -> dict[str, str]:
    near: dict[str, set[str]] = {device.name: set() for device in network.devices}
    for segment in (*network.segments, *network.cables):
        names = {end.device for end in segment.ends} & near.keys()
        for name in names:
            near[name] |= names - {name}
    for device in network.devices:
        if device.instance and device.chassis in near:
            near[device.name].add(device.chassis)
            near[device.chassis].add(device.name)
    out = dict(sorted((name, group) for name, group in own.items() if name in near))
    queue = deque(out)
    while queue:
        here = queue.popleft()
        for other in sorted(near[here]):
            if other not in out:
                out[other] = out[here]
                queue.append(other)
    return out | {name: "the rest" for name in near if name not in out}
