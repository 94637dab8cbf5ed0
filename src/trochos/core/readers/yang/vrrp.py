"""ietf-vrrp (RFC 8347): addresses that routers share, below an interface's address family."""

from __future__ import annotations

from ...network.addressing import InterfaceAddress, parse_address
from ...network.shared import SharedGateway, Tracked
from .leaves import Leaves

_STATE = (
    "log-state-change", "accept-mode", "state", "is-owner", "last-adv-source", "up-datetime",
    "master-down-interval", "skew-time", "last-event", "new-master-reason", "statistics",
)  # fmt: skip


def read(held: Leaves, interface: str, family: int) -> list[SharedGateway]:
    """The parts of one interface in one family; what is not computed makes a part doubtful."""
    out: list[SharedGateway] = []
    for text, entry in held.entries("vrrp-instance", "vrid"):
        entry.ignore(*_STATE)
        source = entry.source("vrid")._replace(path=entry.path)
        version = entry.identity("version")
        priority = entry.number("priority")
        preempt = entry.inner("preempt")
        if preempt is not None:
            preempt.ignore("hold-time")
        flag = preempt.flag("enabled") if preempt is not None else None
        seconds = entry.number("advertise-interval-sec")
        hundredths = entry.number("advertise-interval-centi-sec")
        tracked, doubt = _tracked(entry.inner("track"))
        addresses = []
        container = entry.inner(f"virtual-ipv{family}-addresses")
        key = f"ipv{family}-address"
        name = f"virtual-ipv{family}-address"
        for shown, one in container.entries(name, key) if container is not None else []:
            address = parse_address(shown)
            if address is not None and address.family == family:
                value = InterfaceAddress(address, 32 if family == 4 else 128)
                addresses.append((value, one.source(key)))
        if not addresses or not text.isdigit():
            continue
        out.append(
            SharedGateway(
                f"vrrp {text}",
                interface,
                int(text),
                source,
                tuple(addresses),
                priority.value if priority else 100,
                2 if version is not None and version.value == "vrrp-v2" else 3,
                float(seconds.value) if seconds
                else hundredths.value / 100 if hundredths
                else 1.0,
                tracked=tracked,
                doubt=doubt,
                lax=True,
                preempt=flag is None or flag.value,
            )
        )  # fmt: skip
    return out


def _tracked(held: Leaves | None) -> tuple[tuple[Tracked, ...], str | None]:
    """(interfaces whose state changes the priority, why it cannot be computed)."""
    if held is None:
        return (), None
    out = []
    listed = held.inner("interfaces")
    for name, entry in listed.entries("interface", "interface") if listed is not None else []:
        less = entry.number("priority-decrement")
        out.append(Tracked(name, -(less.value if less else 10), entry.source("interface")))
    networks = held.inner("networks")
    if networks is None:
        return tuple(out), None
    networks.node.use_all()
    return tuple(out), "its priority hangs on whether a network can be reached"
