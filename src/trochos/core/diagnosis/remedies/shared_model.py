"""Edits of shared gateway addresses that ietf-vrrp says (RFC 8347)."""

from __future__ import annotations

from typing import Any

from ...change.data import plain
from ...change.paths import at_path
from ...network.edits import DataEdit, Edit
from ...network.mends import Restate
from ...network.shared import SharedGateway
from ...readers.located import parse_data
from .bench import Bench

_TIMERS = {2: "advertise-interval-sec", 3: "advertise-interval-centi-sec"}


def restated(bench: Bench, device: str, part: SharedGateway, mend: Restate) -> list[Edit] | None:
    """The edits with which an instance says something else; None for what the model has no word
    for (passwords, another interface for the addresses)."""
    path, file = part.source.path, part.source.file
    held = _held(bench, device, part)
    if path is None or not isinstance(held, dict):
        return None

    def put(leaf: str, new: object) -> Edit:
        return DataEdit(device, file, f"{path}/{leaf}", held.get(leaf), new)

    match mend.what:
        case "virtual_router_id":
            place = path.rpartition("[")[0]
            moved = {**held, "vrid": int(mend.value)}
            return [
                DataEdit(device, file, path),
                DataEdit(device, file, f"{place}[vrid='{mend.value}']", None, moved),
            ]
        case "version":
            version = int(mend.value)
            old, new = _TIMERS[5 - version], _TIMERS[version]
            timer = [put(old, None), put(new, _timer(part.interval, version))]
            # The two versions count in different leaves.
            return [*(timer if old in held else []), put("version", f"ietf-vrrp:vrrp-v{version}")]
        case "advert_int":
            return [put(_TIMERS[part.version], _timer(float(mend.value), part.version))]
        case "priority":
            return [put("priority", int(mend.value))]
        case "virtual_ipaddress":
            return _addresses(device, part, mend)
        case _:
            return None


def _addresses(device: str, part: SharedGateway, mend: Restate) -> list[Edit] | None:
    wanted = dict.fromkeys(text.partition("/")[0] for text in mend.value.split())
    there = {str(value.address): source for value, source in part.addresses}
    file = part.source.file
    out: list[Edit] = []
    for text in wanted:
        family = 6 if ":" in text else 4
        leaf = f"ipv{family}-address"
        place = f"virtual-ipv{family}-addresses/virtual-{leaf}[{leaf}='{text}']"
        if text not in there:
            out.append(DataEdit(device, file, f"{part.source.path}/{place}", None, {}))
    for text, source in there.items():
        if text not in wanted and source.path is not None:
            out.append(DataEdit(device, file, source.path.rpartition("/")[0]))
    return out


def looked_at(
    device: str, part: SharedGateway, interfaces: tuple[str, ...], weight: int
) -> list[Edit]:
    """Interfaces that cost an instance so much of its priority while they are down."""
    return [
        DataEdit(
            device,
            part.source.file,
            f"{part.source.path}/track/interfaces/interface[interface='{name}']",
            None,
            {"priority-decrement": weight},
        )
        for name in interfaces
    ]


def _timer(seconds: float, version: int) -> int:
    return max(1, round(seconds if version == 2 else seconds * 100))


def _held(bench: Bench, device: str, part: SharedGateway) -> Any:
    text = bench.survey.text(device, part.source.file)
    node = at_path(parse_data(text or "null"), part.source.path or "")
    return None if node is None else plain(node)
