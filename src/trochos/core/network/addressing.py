"""Addresses and prefixes of both families as plain integers.

One representation serves IPv4 and IPv6: a family (4 or 6) beside an integer.
Text is RFC 5952 form in and out. Configuration readers create tens of
thousands of these, so parsing is cached and the objects are named tuples.
"""

from __future__ import annotations

import ipaddress
from functools import lru_cache
from typing import NamedTuple

BITS = {4: 32, 6: 128}
FAMILY_NAMES = {4: "ipv4", 6: "ipv6"}
FAMILIES = (4, 6)


class Address(NamedTuple):
    """One address: `family` is 4 or 6, `value` the address as an unsigned integer."""

    family: int
    value: int

    def __str__(self) -> str:
        return format_address(self.family, self.value)

    @property
    def is_link_local(self) -> bool:
        """169.254.0.0/16 (RFC 3927) or fe80::/10 (RFC 4291, 2.5.6)."""
        if self.family == 4:
            return self.value >> 16 == 0xA9FE
        return self.value >> 118 == 0x3FA

    @property
    def is_loopback(self) -> bool:
        """127.0.0.0/8 or ::1: never seen on a link."""
        return self.value >> 24 == 127 if self.family == 4 else self.value == 1

    @property
    def is_multicast(self) -> bool:
        return self.value >> 28 == 0xE if self.family == 4 else self.value >> 120 == 0xFF


class Prefix(NamedTuple):
    """A prefix: `network` is the integer with all bits below `length` zero."""

    family: int
    network: int
    length: int

    def __str__(self) -> str:
        return f"{format_address(self.family, self.network)}/{self.length}"

    @property
    def is_default(self) -> bool:
        return self.length == 0

    @property
    def is_host(self) -> bool:
        return self.length == BITS[self.family]

    @property
    def last(self) -> int:
        """The highest address inside, as an integer."""
        return self.network | ((1 << (BITS[self.family] - self.length)) - 1)

    def contains(self, address: Address) -> bool:
        return (
            address.family == self.family
            and (address.value ^ self.network) >> (BITS[self.family] - self.length) == 0
        )

    def covers(self, other: Prefix) -> bool:
        """True if every address of `other` lies inside this prefix (equal counts)."""
        return (
            other.family == self.family
            and other.length >= self.length
            and (other.network ^ self.network) >> (BITS[self.family] - self.length) == 0
        )

    def overlaps(self, other: Prefix) -> bool:
        return self.covers(other) or other.covers(self)


class InterfaceAddress(NamedTuple):
    """An address with its prefix length, as an interface carries it."""

    address: Address
    length: int

    def __str__(self) -> str:
        return f"{self.address}/{self.length}"

    @property
    def prefix(self) -> Prefix:
        return prefix_of(self.address, self.length)


@lru_cache(maxsize=1 << 17)
def format_address(family: int, value: int) -> str:
    if family == 4:
        return f"{value >> 24}.{value >> 16 & 255}.{value >> 8 & 255}.{value & 255}"
    return str(ipaddress.IPv6Address(value))


def prefix_of(address: Address, length: int) -> Prefix:
    """The prefix of `length` bits that holds `address`."""
    shift = BITS[address.family] - length
    return Prefix(address.family, address.value >> shift << shift, length)


def host_prefix(address: Address) -> Prefix:
    return Prefix(address.family, address.value, BITS[address.family])


def dotted(value: int) -> str:
    """A 32-bit id (of a router, of an area) in the four parts that people read."""
    return f"{value >> 24}.{value >> 16 & 255}.{value >> 8 & 255}.{value & 255}"


@lru_cache(maxsize=1 << 17)
def parse_address(text: str) -> Address | None:
    """Reads an address of either family; None if the text is not one.

    A zone (`fe80::1%eth0`) is not an address here: the reader splits it off.
    """
    if ":" not in text:
        parts = text.split(".")
        if len(parts) != 4:
            return None
        value = 0
        for part in parts:
            if not part.isascii() or not part.isdigit() or len(part) > 3:
                return None
            octet = int(part)
            if octet > 255:
                return None
            value = value << 8 | octet
        return Address(4, value)
    if len(text) > 45 or "%" in text:
        return None
    try:
        return Address(6, int(ipaddress.IPv6Address(text)))
    except ValueError:
        return None


def _parse_length(text: str, family: int) -> int | None:
    if not text.isascii() or not text.isdigit() or len(text) > 3:
        return None
    length = int(text)
    return length if length <= BITS[family] else None


@lru_cache(maxsize=1 << 17)
def parse_interface_address(text: str) -> InterfaceAddress | None:
    """Reads `address/length`; None if it is not that."""
    head, slash, tail = text.partition("/")
    address = parse_address(head)
    if address is None or not slash:
        return None
    length = _parse_length(tail, address.family)
    return None if length is None else InterfaceAddress(address, length)


def parse_prefix(text: str) -> Prefix | None:
    """Reads `network/length`; host bits are cleared, as routers do."""
    parsed = parse_interface_address(text)
    return None if parsed is None else parsed.prefix


def mask_length(mask: Address) -> int | None:
    """The prefix length of a contiguous IPv4 mask such as 255.255.255.0."""
    inverted = mask.value ^ 0xFFFFFFFF
    if mask.family != 4 or inverted & (inverted + 1):
        return None
    return 32 - inverted.bit_length()


def eui64_link_local(mac: str) -> Address | None:
    """The link-local address an interface forms from its MAC (RFC 4291, appendix A)."""
    parts = mac.split(":")
    if len(parts) != 6:
        return None
    try:
        octets = [int(part, 16) for part in parts]
    except ValueError:
        return None
    if any(not 0 <= octet <= 255 for octet in octets) or not any(octets):
        return None
    octets = [octets[0] ^ 2, *octets[1:3], 0xFF, 0xFE, *octets[3:]]
    return Address(6, 0xFE80 << 112 | int.from_bytes(bytes(octets), "big"))
