"""Who really asks: forwarded headers count only where a proxy that was named here sent them."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

_Net = ipaddress.IPv4Network | ipaddress.IPv6Network
SECURE = "TROCHOS_CAME_OVER_TLS"
"""The mark that a request came over TLS; only this module sets it."""


def read_networks(text: str) -> list[_Net]:
    """Addresses and networks of a list with commas. Raises ValueError for anything else."""
    return [ipaddress.ip_network(item.strip(), strict=False) for item in text.split(",") if item]


class RealPeer:
    """Puts the address of whoever asks into REMOTE_ADDR, and drops headers nobody may send."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self.proxies: list[_Net] = settings.PROXIES

    def __call__(self, request: HttpRequest) -> HttpResponse:
        meta = request.META
        meta.pop(SECURE, None)
        forwarded = meta.pop("HTTP_X_FORWARDED_FOR", "")
        over = meta.pop("HTTP_X_FORWARDED_PROTO", "")
        if self._is_proxy(meta.get("REMOTE_ADDR", "")):
            # From the nearest on: the first that is no proxy of ours is whom we believe.
            for hop in reversed([item.strip() for item in forwarded.split(",") if item.strip()]):
                if _address(hop) is None:
                    break
                meta["REMOTE_ADDR"] = hop
                if not self._is_proxy(hop):
                    break
            if over.strip().lower() == "https":
                meta[SECURE] = "yes"
        return self.get_response(request)

    def _is_proxy(self, text: str) -> bool:
        address = _address(text)
        return address is not None and any(address in net for net in self.proxies)


def _address(text: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    try:
        return ipaddress.ip_address(text)
    except ValueError:
        return None
