"""A reading of routers' texts that shares nothing with the readers: lines, words, and `ipaddress`.

It knows just enough to hold a claim of an explanation against the texts that it rests on.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from ipaddress import ip_address, ip_interface, ip_network
from typing import Any

Claim = dict[str, str]
SECTION = {
    "OSPF": "router ospf",
    "OSPFv3": "router ospf6",
    "RIP": "router rip",
    "RIPng": "router ripng",
    "EIGRP": "router eigrp",
    "BGP": "router bgp",
    "IS-IS": "router isis",
}


def dotted(area: str) -> str:
    return str(ip_address(int(area))) if area.isdigit() else area


class Text:
    """One router's text in blocks: a head line, and the lines below it until the next head."""

    def __init__(self, text: str) -> None:
        self.lines = text.split("\n")
        self.blocks: list[tuple[str, list[str]]] = []
        for raw in self.lines:
            line = raw.strip()
            if not line or line.startswith("!"):
                continue
            if raw[:1] != " " and line not in ("exit", "end"):
                self.blocks.append((line, []))
            elif self.blocks:
                self.blocks[-1][1].append(line)

    @property
    def instances(self) -> bool:
        return any(head.startswith("vrf ") for head, _ in self.blocks)

    def under(self, head: str) -> list[str]:
        """The lines of every block with this head, or with more words behind it."""
        return [
            line
            for first, lines in self.blocks
            if first == head or first.startswith(f"{head} ")
            for line in lines
        ]

    def port(self, name: str) -> list[str]:
        return [
            line
            for first, lines in self.blocks
            if first.split(" vrf ")[0] == f"interface {name}"
            for line in lines
        ]

    def ports(self) -> list[str]:
        return [first.split()[1] for first, _ in self.blocks if first.startswith("interface ")]

    def addresses(self, port: str) -> list[Any]:
        return [
            ip_interface(line.split()[2])
            for line in self.port(port)
            if re.match(r"(ip|ipv6) address \S+/\d+", line)
        ]

    def shut(self, port: str) -> bool:
        return "shutdown" in self.port(port)


def inside(address: Any, network: str) -> bool:
    net = ip_network(network, strict=False)
    return address.version == net.version and address.ip in net


class Reading:
    """The texts of a network, and whether a claim is true of them: None where they do not say."""

    def __init__(
        self, texts: dict[str, str], more: dict[str, str], tables: dict[str, set[str]]
    ) -> None:
        """Takes in what was gathered.

        Args:
            texts: per router its text.
            more: what else was gathered of each device, in which an address may stand.
            tables: the prefixes that real routers had, where that was captured.
        """
        self.texts = {name: Text(text) for name, text in texts.items()}
        self.more, self.tables = more, tables

    def says(self, claim: Claim) -> bool | None:
        name = claim["device"].split("/")[0]
        check = getattr(self, f"_{claim['kind'].replace('-', '_')}", None)
        if check is None or name not in self.texts:
            return None
        found: bool | None = check(self.texts[name], claim)
        return found

    # -- what stands in the texts ----------------------------------------------------------

    def _taken_in(self, text: Text, port: str, address: Any, into: str) -> bool:
        """True if a line makes a protocol run on an interface's address."""
        lines = text.port(port)
        if into.startswith("in area "):
            area = into.removeprefix("in area ")
            version = "ospf" if address.version == 4 else "ospf6"
            ip = "ip" if address.version == 4 else "ipv6"
            said = [re.fullmatch(rf"{ip} {version}(?: \d+)? area (\S+)", line) for line in lines]
            if any(match and dotted(match[1]) == area for match in said):
                return True
            for line in text.under(f"router {version}"):
                match = re.fullmatch(r"(?:network|interface) (\S+) area (\S+)", line)
                if match and dotted(match[2]) == area:
                    if match[1] == port or ("/" in match[1] and inside(address, match[1])):
                        return True
            return False
        if into.startswith("in level"):
            ip = "ip" if address.version == 4 else "ipv6"
            return any(line.startswith(f"{ip} router isis") for line in lines)
        for line in text.under(SECTION[into.removeprefix("into ")]):
            match = re.fullmatch(r"network (\S+)", line)
            if match and (match[1] == port or ("/" in match[1] and inside(address, match[1]))):
                return True
        return False

    def _own(self, text: Text, claim: Claim) -> bool:
        prefix, port = ip_network(claim["prefix"]), claim["of"]
        fitting = [
            a
            for a in text.addresses(port)
            if a.version == prefix.version
            and (a.network == prefix or (a.ip in prefix and prefix.num_addresses == 1))
        ]
        return not text.shut(port) and any(
            self._taken_in(text, port, address, claim["into"]) for address in fitting
        )

    def _not_taken_in(self, text: Text, claim: Claim) -> bool | None:
        """An interface has it, and no line of the protocol covers it. Areas may be any."""
        prefix, into = ip_network(claim["prefix"]), claim["into"]
        held = [
            (port, address)
            for port in text.ports()
            for address in text.addresses(port)
            if address.network == prefix
        ]
        if not held:
            return False
        if into in ("OSPF", "OSPFv3"):
            areas = {
                dotted(m[1])
                for line in text.lines
                for m in [re.search(r" area (\S+)", f" {line}")]
                if m and re.fullmatch(r"[\d.]+", m[1])
            }
            return not any(
                self._taken_in(text, port, address, f"in area {area}")
                for port, address in held
                for area in areas
            )
        if into == "IS-IS":
            return not any(self._taken_in(text, *item, "in level 1") for item in held)
        return not any(self._taken_in(text, *item, f"into {into}") for item in held)

    def _redistributes(self, text: Text, of: str, into: str) -> bool:
        lines = text.under(SECTION[into.split(",")[0]])
        word = rf"redistribute (?:ipv[46] )?{re.escape(of)}( |$)"
        return any(re.match(word, line) for line in lines)

    def _redistributed(self, text: Text, claim: Claim) -> bool:
        return self._redistributes(text, claim["of"], claim["into"])

    def _not_permitted(self, text: Text, claim: Claim) -> bool:
        return self._redistributed(text, claim)

    def _not_mapped(self, text: Text, claim: Claim) -> bool:
        return self._redistributed(text, claim) and any(
            head.startswith(f"route-map {claim['by']} ") for head, _ in text.blocks
        )

    def _not_announced(self, text: Text, claim: Claim) -> bool:
        return not self._redistributed(text, claim)

    def _statement(self, text: Text, claim: Claim) -> bool:
        wanted = ip_network(claim["prefix"])
        return any(
            ip_network(line.split()[1], strict=False) == wanted
            for line in text.under(SECTION[claim["into"]])
            if re.match(r"(network|route) \S+/\d+", line)
        )

    def _default(self, text: Text, claim: Claim) -> bool:
        lines = text.under(SECTION[claim["into"].split(",")[0]])
        return any(
            line.startswith(("default-information originate", "default-originate"))
            for line in lines
        ) or any("default 0.0.0.0/0" in line for line in lines)

    def _parts(self, text: Text, claim: Claim) -> bool:
        return any(
            line.startswith(f"aggregate-address {claim['prefix']}")
            for _, lines in text.blocks
            for line in lines
        )

    def _for_area(self, text: Text, claim: Claim) -> bool:
        lines = [*text.under("router ospf"), *text.under("router ospf6")]
        said = [re.match(r"area (\S+) (?:range|nssa) .*?([\da-f.:]+/\d+)", line) for line in lines]
        return any(
            match and dotted(match[1]) == claim["of"] and match[2] == claim["prefix"]
            for match in said
        )

    def _discards(self, text: Text, claim: Claim) -> bool:
        return any(claim["prefix"] in line for line in text.lines)

    def _inside(self, text: Text, claim: Claim) -> bool:
        area = claim["into"].removeprefix("area ")
        return any(
            dotted(match[1]) == area
            for line in text.lines
            for match in [re.search(r"area ([\d.]+)", line)]
            if match
        )

    def _passed_on(self, text: Text, claim: Claim) -> bool:
        return all(self._inside(text, {"into": claim[end]}) for end in ("of", "into"))

    def _connected(self, text: Text, claim: Claim) -> bool:
        prefix = ip_network(claim["prefix"])
        return not text.shut(claim["of"]) and any(
            address.network == prefix for address in text.addresses(claim["of"])
        )

    def _owns(self, text: Text, claim: Claim) -> bool:
        address = ip_network(claim["prefix"]).network_address
        held = any(found.ip == address for found in text.addresses(claim["of"]))
        return held or f"{address}/" in self.more.get(claim["device"], "")

    def _unwritten(self, text: Text, claim: Claim) -> bool | None:
        if text.instances:
            return None  # another instance of the same text may hold it
        prefix = ip_network(claim["prefix"])
        statics = [line.split()[2] for line in text.lines if re.match(r"ip(v6)? route \S+/", line)]
        return all(ip_network(held, strict=False) != prefix for held in statics) and not any(
            address.network == prefix and not text.shut(port)
            for port in text.ports()
            for address in text.addresses(port)
        )

    # -- what real routers had ----------------------------------------------------------------

    def _holds(self, text: Text, claim: Claim) -> bool | None:
        if claim.get("of") == "local":
            return any(self._owns(text, {**claim, "of": port}) for port in text.ports())
        held = self.tables.get(claim["device"])
        return None if held is None else claim["prefix"] in held

    _route = _holds

    def _lacks(self, text: Text, claim: Claim) -> bool | None:
        holds = self._holds(text, claim)
        return None if holds is None else not holds

    _mute = _lacks

    def _runs(self, text: Text) -> set[str]:
        """The protocols of a router, whatever instance they run in."""
        return {name for name, head in SECTION.items() if text.under(head)}

    def _strange(self, text: Text, claim: Claim) -> bool | None:
        other = self.texts.get(claim["of"].split("/")[0])
        if other is None or text.instances or other.instances:
            return None
        return not self._runs(text) & self._runs(other)

    def _separate(self, text: Text, claim: Claim) -> bool | None:
        other = self.texts.get(claim["of"].split("/")[0])
        named = set(claim["into"].split(" and "))
        return None if other is None else named <= self._runs(text) & self._runs(other)

    # -- sessions ---------------------------------------------------------------------------

    def _names(self, text: Text, other: Text) -> bool:
        """True if a text names an address of another, an interface, or a range it calls from."""
        held = {str(a.ip) for port in other.ports() for a in other.addresses(port)}
        for line in text.under("router bgp"):
            words = line.split()
            if words[:1] == ["neighbor"] and (words[1] in held or "interface" in words[2:3]):
                return True
            if words[:2] == ["bgp", "listen"]:
                return True
        return False

    def _tells(self, text: Text, claim: Claim) -> bool | None:
        other = self.texts.get(claim["of"].split("/")[0])
        if other is None:
            return None
        return self._names(text, other) or self._names(other, text)

    _takes = _tells

    def _tells_default(self, text: Text, claim: Claim) -> bool:
        return any("default-originate" in line for line in text.under("router bgp"))

    # -- neighbours that are none -------------------------------------------------------------

    def _beside(self, text: Text, other: Text) -> Iterator[tuple[str, str]]:
        """The ports of two routers that lie in one subnet, as either of them sees it."""
        for port in text.ports():
            for far in other.ports():
                if any(
                    a.version == b.version and (a.ip in b.network or b.ip in a.network)
                    for a in text.addresses(port)
                    for b in other.addresses(far)
                    if not a.ip.is_link_local
                ):
                    yield port, far

    def _apart(self, text: Text, claim: Claim) -> bool | None:
        other = self.texts.get(claim["into"].split("/")[0])
        if other is None:
            return None
        protocol, _, gate = claim["by"].partition(" ")
        pairs = list(self._beside(text, other))
        if gate in ("hello interval", "dead interval"):
            word = gate.replace(" ", "-")

            def values(t: Text, port: str) -> list[str]:
                return [line.split()[-1] for line in t.port(port) if word in line]

            return any(values(text, a) != values(other, b) for a, b in pairs)
        if gate in ("authentication type", "authentication key", "password"):
            words = r"authentication|message-digest|password"

            def keys(t: Text) -> list[str]:
                return [line for line in t.lines if re.search(words, line)]

            return bool(keys(text) or keys(other))
        if gate == "not passive":
            return any(" passive" in f" {line}" for t in (text, other) for line in t.lines)
        if gate == "enabled" and protocol in ("rip", "eigrp"):
            label = {"rip": "RIP", "eigrp": "EIGRP"}[protocol]
            if not text.under(SECTION[label]) or not other.under(SECTION[label]):
                return None  # RIPng, or a process of an instance
            # Which of their interfaces face each other, an address that was moved no longer says.
            return any(
                not any(self._taken_in(t, port, a, f"into {label}") for a in t.addresses(port))
                for t in (text, other)
                for port in t.ports()
                if port != "lo"
            )
        if gate == "line":
            return None  # the other end, a cable, or what was gathered may say it
        if gate == "autonomous system":
            numbers = [
                [h.split()[2] for h, _ in t.blocks if h.startswith("router eigrp")]
                for t in (text, other)
            ]
            return numbers[0] != numbers[1]
        if gate == "configured" and protocol == "bgp":
            return not (self._names(text, other) and self._names(other, text)) or None
        return None
