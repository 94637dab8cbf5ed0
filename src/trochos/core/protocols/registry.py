"""The routing protocols that are computed, in the order in which the scheduler asks them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from ..network import protocols as named
from .bgp.speakers import BGP
from .eigrp import EIGRP
from .isis.speakers import ISIS
from .ospf.speakers import OSPF
from .protocol import RoutingProtocol
from .rip import RIP

_PROTOCOLS: list[RoutingProtocol] = [OSPF, RIP, EIGRP, ISIS, BGP]


def protocols() -> list[RoutingProtocol]:
    """All of them."""
    return list(_PROTOCOLS)


def protocol(name: str) -> RoutingProtocol:
    """One by its word.

    Raises:
        KeyError: no protocol of that name is computed.
    """
    for item in _PROTOCOLS:
        if item.name == name:
            return item
    raise KeyError(name)


@contextmanager
def also(item: RoutingProtocol) -> Iterator[None]:
    """Another protocol for as long as this lasts: how a test adds one without editing the core."""
    with named.also(item.named):
        _PROTOCOLS.append(item)
        try:
            yield
        finally:
            _PROTOCOLS.remove(item)
