"""The parts of a company's network, described without a format."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Port:
    name: str
    addresses: list[str]
    description: str = ""
    enabled: bool = True
    ospf: int | None = None
    """The OSPF area, for ports that lead to other routers of it."""
    hello: int = 2
    parent: str | None = None
    """The port whose tagged frames a VLAN interface takes."""
    tag: int | None = None


@dataclass
class Protocol:
    """A routing protocol's section, in the words of the router."""

    head: str
    lines: list[str]


@dataclass
class Static:
    prefix: str
    gateway: str | None = None
    interface: str | None = None
    special: str | None = None
    distance: int = 1


@dataclass
class Router:
    name: str
    dialect: str
    ports: list[Port]
    statics: list[Static] = field(default_factory=list)
    protocols: list[Protocol] = field(default_factory=list)
    policy: list[str] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)
    """What else was gathered from it: tunnels."""

    def port(self, name: str) -> Port:
        return next(port for port in self.ports if port.name == name)


@dataclass
class Host:
    name: str
    addresses: list[str]
    gateways: list[str]
    files: dict[str, str] = field(default_factory=dict)
    """What else was gathered from it: filters, sockets, names."""


@dataclass
class Company:
    """Routers, hosts, and the cables between them; LANs are nodes without a folder."""

    routers: dict[str, Router]
    hosts: dict[str, Host]
    links: list[tuple[str, str, str, str]]
    lans: dict[str, list[tuple[str, str]]]
    switches: dict[str, dict[str, str]] = field(default_factory=dict)
    """What was gathered from LANs that are switches one can ask."""
