"""One simulated device: its texts, its tables, its key, and perhaps a fault."""

from __future__ import annotations

import copy
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import asyncssh
from lxml import etree

from trochos.core.change.text import Editor
from trochos.core.network.edits import EditError, TextEdit

from .aft import tables_as_afts
from .datastore import Datastore, Element, children, from_json
from .tree import Step, Tree, bare

TEXT = "frr.conf"
_OPENERS = ("interface ", "router ", "route-map ", "address-family ", "key chain ", "key ")
_YANG = "urn:ietf:params:xml:ns:yang:"
_SOURCES = {
    "connected": "ietf-routing:direct",
    "local": "ietf-routing:direct",
    "static": "ietf-routing:static",
    "ospf": "ietf-ospf:ospfv2",
    "rip": "ietf-rip:ripv2",
    "eigrp": "trochos-eigrp:eigrp",
    "bgp": "trochos-bgp:bgp",
}

Tables = Callable[[str], dict[str, list[dict[str, Any]]]]
"""Gives a device's tables, as the contract's `routes` document has them."""


@dataclass
class Device:
    """What one device is. Text devices hold files; YANG devices hold a datastore, and those of
    OpenConfig's models a tree."""

    name: str
    files: dict[str, str]
    tables: Tables
    changed: Callable[[], None] = lambda: None
    fault: str | None = None
    host_key: asyncssh.SSHKey = field(
        default_factory=lambda: asyncssh.generate_private_key("ssh-ed25519")
    )
    certificate: tuple[bytes, bytes] | None = None
    """For HTTPS: the certificate and its key, as PEM."""
    answers: Callable[[str, str], str] | None = None
    """What ping and traceroute print on it; None where there are no such programs."""
    store: Datastore | None = None
    tree: Tree | None = None
    """OpenConfig data; None where the device speaks of itself otherwise."""
    startup: Datastore | None = None
    """What a YANG device would start with; edits change what runs, and not this."""
    stored: str | None = None
    """What a text device would start with."""
    lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        for text in self.files.values():
            if text.lstrip().startswith("{") and '"ietf-' in text:
                self.store = Datastore(from_json(json.loads(text)))
                self.startup = Datastore(from_json(json.loads(text)))
            elif text.lstrip().startswith("{") and '"openconfig-' in text:
                self.tree = Tree(json.loads(text))
        self.stored = self.files.get(TEXT)

    @property
    def routes(self) -> bool:
        """True for a router: it has a configuration, and not only what its system shows."""
        return self.store is not None or self.tree is not None or TEXT in self.files

    # -- what it shows -----------------------------------------------------------------

    def state(self) -> list[Element]:
        """Interfaces' state and the routing tables, as elements (RFC 8343, RFC 8349)."""
        assert self.store is not None
        out = []
        for top in self.store.get(None):
            if etree.QName(top).localname == "interfaces":
                for entry in children(top):
                    held = {etree.QName(c).localname: (c.text or "") for c in children(entry)}
                    up = held.get("enabled", "true") != "false"
                    status = etree.SubElement(entry, f"{{{_YANG}ietf-interfaces}}oper-status")
                    status.text = "up" if up else "down"
                out.append(top)
        out.append(self._ribs())
        return out

    def shown_tree(self) -> dict[str, Any]:
        """The tree with what the device sees of itself: ports that are up, forwarding tables."""
        assert self.tree is not None
        with self.lock:
            whole: dict[str, Any] = copy.deepcopy(self.tree.root)
        shown = Tree(whole)
        for entry in shown.get([("interfaces", {}), ("interface", {})]) or []:
            held = entry.get("config", {})
            up = "UP" if held.get("enabled", True) else "DOWN"
            entry["state"] = {**held, "admin-status": up, "oper-status": up}
        for entry in shown.get([("network-instances", {}), ("network-instance", {})]) or []:
            if bare(str(entry.get("config", {}).get("type", ""))) != "L3VRF":
                entry["afts"] = tables_as_afts(self.tables(self.name))
        return whole

    def _ribs(self) -> Element:
        lines = [f'<routing xmlns="{_YANG}ietf-routing"><ribs>']
        for family, routes in self.tables(self.name).items():
            module = f"ietf-{family}-unicast-routing"
            lines.append(f"<rib><name>{family}-main</name><routes>")
            for route in routes:
                if route["protocol"] == "local":
                    continue
                lines.append(self._route(route, module))
            lines.append("</routes></rib>")
        return etree.fromstring("".join([*lines, "</ribs></routing>"]))

    @staticmethod
    def _route(route: dict[str, Any], module: str) -> str:
        space = f' xmlns="{_YANG}{module}"'
        hops = []
        for hop in route["next_hops"]:
            if hop["action"] in ("discard", "reject"):
                word = "blackhole" if hop["action"] == "discard" else "unreachable"
                hops.append(f"<special-next-hop>{word}</special-next-hop>")
                continue
            way = ""
            if hop["interface"]:
                way += f"<outgoing-interface>{hop['interface']}</outgoing-interface>"
            if hop["address"]:
                way += f"<next-hop-address{space}>{hop['address']}</next-hop-address>"
            hops.append(way)
        if len(hops) == 1:
            way = hops[0]
        else:
            way = "".join(
                f"<next-hop><index>{n}</index>{hop}</next-hop>".replace(
                    "next-hop-address", "address"
                )
                for n, hop in enumerate(hops)
            )
            way = f"<next-hop-list>{way}</next-hop-list>"
        source = _SOURCES.get(route["protocol"], "ietf-routing:direct")
        prefix = source.split(":")[0]
        uri = f"urn:trochos:yang:{prefix}" if prefix.startswith("tro") else f"{_YANG}{prefix}"
        return (
            f"<route><route-preference>{route['distance']}</route-preference>"
            f"<destination-prefix{space}>{route['prefix']}</destination-prefix>"
            f"<next-hop>{way}</next-hop>"
            f'<source-protocol xmlns:{prefix}="{uri}">{source}</source-protocol>'
            f"{'<active/>' if route['selected'] else ''}</route>"
        )

    def table(self, family: str) -> str:
        """A routing table as an open-source router prints it in JSON."""
        out: dict[str, list[dict[str, Any]]] = {}
        for route in self.tables(self.name).get(family, []):
            if route["protocol"] == "local":
                continue
            hops = []
            for hop in route["next_hops"]:
                if hop["action"] in ("discard", "reject"):
                    hops.append(
                        {
                            "unreachable": True,
                            hop["action"].replace("discard", "blackhole"): True,
                            "active": True,
                        }
                    )
                    continue
                one: dict[str, Any] = {"active": True, "interfaceName": hop["interface"]}
                if hop["address"]:
                    one["ip"] = hop["address"]
                else:
                    one["directlyConnected"] = True
                hops.append(one)
            out.setdefault(route["prefix"], []).append(
                {
                    "prefix": route["prefix"],
                    "protocol": route["protocol"],
                    "selected": route["selected"],
                    "distance": route["distance"],
                    "metric": route["metric"] or 0,
                    "nexthops": hops,
                }
            )
        return json.dumps(out, indent=1)

    # -- what changes it ---------------------------------------------------------------

    def edit(self, config: list[Element]) -> None:
        """An edit-config on the running configuration."""
        assert self.store is not None
        with self.lock:
            self.store.edit(config)
        self.changed()

    def set(
        self,
        delete: list[list[Step]],
        replace: list[tuple[list[Step], Any]],
        update: list[tuple[list[Step], Any]],
    ) -> None:
        """A Set of gNMI.

        Raises:
            PathRefused: a part of it cannot be made; then nothing is.
        """
        assert self.tree is not None
        with self.lock:
            self.tree.set(delete, replace, update)
        self.changed()

    def keep(self) -> None:
        """What runs becomes what is started with."""
        assert self.store is not None
        with self.lock:
            self.startup = Datastore(self.store.get(None))

    def enter(self, lines: list[str]) -> None:
        """Configuration lines, as typed into the router's own shell.

        Raises:
            EditError: a line cannot be entered.
        """
        if TEXT not in self.files:
            raise EditError("This device takes no configuration lines.")
        with self.lock:
            editor = Editor(self.name, TEXT, self.files[TEXT])
            context: list[str] = []
            kept = False
            for raw in lines:
                line = " ".join(raw.split())
                if line in ("", "configure terminal", "!"):
                    continue
                if line == "write":
                    kept = True
                    continue
                if line in ("exit", "exit-address-family"):
                    context = context[:-1]
                elif line == "end":
                    context = []
                elif line.startswith(_OPENERS) and not (
                    context and line.startswith("key ") and not context[0].startswith("key chain")
                ):
                    inner = line.startswith(("address-family ", "key ")) and not line.startswith(
                        "key chain"
                    )
                    context = [*context[:1], line] if inner and context else [line]
                    editor.apply(TextEdit(self.name, TEXT, tuple(context), (), ()))
                elif line.startswith("no ") and _stands(self.files[TEXT], line[3:]):
                    editor.apply(TextEdit(self.name, TEXT, tuple(context), (line[3:],), ()))
                else:
                    editor.apply(TextEdit(self.name, TEXT, tuple(context), (), (line,)))
            self.files[TEXT] = "\n".join(one.text for one in editor.lines) + "\n"
            if kept:
                self.stored = self.files[TEXT]
        self.changed()

    def current(self) -> dict[str, str]:
        """Its texts as they are now, the datastore as XML."""
        if self.tree is not None:
            kept = {n: t for n, t in self.files.items() if '"openconfig-' not in t}
            return {**kept, "openconfig.json": json.dumps(self.tree.root)}
        if self.store is None:
            return dict(self.files)
        whole = "".join(etree.tostring(e, encoding="unicode") for e in self.store.get(None))
        kept = {n: t for n, t in self.files.items() if '"ietf-' not in t}
        return {**kept, "running.xml": f"<data>{whole}</data>"}


def _stands(text: str, line: str) -> bool:
    return any(" ".join(row.split()) == line for row in text.split("\n"))
