"""Where live work may go: within the networks that an administrator entered, and nowhere else."""

from __future__ import annotations

import asyncio
import ipaddress
import socket
from collections.abc import Callable, Coroutine, Iterable
from dataclasses import replace
from typing import Any

from ...gather.inventory import Target
from ...gather.problems import NotAllowed, nobody
from .models import AllowedNetwork

IpAddress = ipaddress.IPv4Address | ipaddress.IPv6Address
IpNetwork = ipaddress.IPv4Network | ipaddress.IPv6Network

SPECIAL: tuple[IpNetwork, ...] = tuple(
    ipaddress.ip_network(text)
    for text in (
        "127.0.0.0/8",  # loopback, RFC 1122
        "::1/128",  # loopback, RFC 4291
        "0.0.0.0/8",  # this host, RFC 1122: Linux takes it for loopback
        "::/128",
        "169.254.0.0/16",  # link-local, RFC 3927; where clouds serve metadata, too
        "fe80::/10",  # link-local, RFC 4291
        "fd00:ec2::254/128",  # metadata of a cloud
        "100.100.100.200/32",  # metadata of a cloud
    )
)
"""What no larger network takes in: only an entry that lies wholly within names it."""


def network_from(text: str) -> IpNetwork:
    """A network as somebody writes it, or one address.

    Raises:
        ValueError: it is neither; the message says how to write it.
    """
    try:
        return ipaddress.ip_network(text.strip(), strict=True)
    except ValueError as error:
        if "host bits" in str(error):
            whole = ipaddress.ip_network(text.strip(), strict=False)
            raise ValueError(
                f"{text.strip()} is an address within {whole}. Write {whole}, or the address alone."
            ) from error
        raise ValueError(
            f"{text.strip()!r} is no network. Write it like 192.0.2.0/24 or 2001:db8::/48."
        ) from error


def plain(address: IpAddress) -> IpAddress:
    """An IPv4 address that is dressed as IPv6 is that address."""
    mapped = getattr(address, "ipv4_mapped", None)
    return mapped if mapped is not None else address


def within(address: IpAddress, networks: Iterable[IpNetwork]) -> bool:
    """Whether live work may go to an address."""
    address = plain(address)
    narrow = [s for s in SPECIAL if s.version == address.version and address in s]
    for network in networks:
        if network.version != address.version or address not in network:
            continue
        if all(network.subnet_of(special) for special in narrow):  # type: ignore[arg-type]
            return True
    return False


def networks() -> list[IpNetwork]:
    """The networks that were entered."""
    return [
        ipaddress.ip_network(text)
        for text in AllowedNetwork.objects.values_list("network", flat=True)
    ]


def refuse(address: IpAddress | str) -> NotAllowed:
    """The refusal, in a sentence that says what to do."""
    return NotAllowed(
        f"{address} is in no network that live work may go to. An administrator enters networks "
        "under Gather."
    )


def check_literal(text: str) -> None:
    """Refuses an address of the inventory that may not be used; a name is looked up when it is
    used.

    Raises:
        NotAllowed: it is not within the networks entered.
    """
    try:
        address = ipaddress.ip_address(text.partition("%")[0])
    except ValueError:
        return
    if not within(address, networks()):
        raise refuse(text)


def admitting(allowed: list[IpNetwork]) -> Callable[[Target], Coroutine[Any, Any, Target]]:
    """What gives a device at the address that its name has now: what was checked is what is
    connected to. It raises NotAllowed if one of its addresses is not within `allowed`, and
    Unreachable if its name does not resolve."""

    async def admit(target: Target) -> Target:
        loop = asyncio.get_running_loop()
        try:
            found = await loop.getaddrinfo(target.address, target.port, type=socket.SOCK_STREAM)
        except OSError as error:
            raise nobody(f"{target.address} port {target.port}", error) from error
        resolved = list(dict.fromkeys(str(item[4][0]) for item in found))
        for text in resolved:
            if not within(ipaddress.ip_address(text.partition("%")[0]), allowed):
                raise refuse(text if text == target.address else f"{target.address} ({text})")
        return target if target.address in resolved else replace(target, address=resolved[0])

    return admit
