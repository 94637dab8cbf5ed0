"""Writes readers/frr/grammar/ from the commands that an installed FRR lists of itself.

    unshare -n .venv/bin/python scripts/frr_grammar.py [--check]

The daemons run in a network of their own, with sockets in a folder of their own; `--check` says
what would change and writes nothing. Needs root and Debian's frr.
"""

from __future__ import annotations

import argparse
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from pathlib import Path

OUT = Path(__file__).resolve().parents[1] / "src/trochos/core/readers/frr/grammar"
DAEMONS = ("zebra", "staticd", "bgpd", "ospfd", "ospf6d", "ripd", "ripngd", "eigrpd", "isisd")
DAEMONS += ("pbrd", "vrrpd")
SMALL = 20
"""Up to here a range of numbers is kept: it tells keywords with the same beginning apart."""
LEFT_OUT = {"exit", "quit", "end", "list", "find", "output", "debug", "show", "clear", "terminal"}
LEFT_OUT |= {"exit-address-family", "exit-vrf", "exit-link-params"}
# Of each kind of section: (how it is entered, what of it is read whole; of the rest the first
# words are kept, because they decide what is unique).
NODES: dict[str, tuple[tuple[str, ...], str]] = {
    "top": (
        (),
        r"hostname|router|pbr-map|key chain|nexthop-group|interface|vrf|route-map|ip route"
        r"|ipv6 route|ip prefix-list|ipv6 prefix-list|ip forwarding|ipv6 forwarding|ip nht"
        r"|ipv6 nht|ip protocol|ipv6 protocol|access-list|ipv6 access-list"
        r"|bgp (?:as-path|community-list|large-community-list|extcommunity-list)",
    ),
    "interface": (
        ("interface eth0",),
        r"ip address|ipv6 address|ip ospf|ipv6 ospf6|ip rip|ipv6 ripng|ip router|ipv6 router|isis"
        r"|description|shutdown|bandwidth|vrrp|link-detect|pbr-policy|vrf|ip bandwidth-percent"
        r"|ip hello-interval|ip hold-time|ip authentication|ip summary-address|delay|mpls",
    ),
    "router ospf": (
        ("router ospf",),
        r"area|auto-cost|compatible|default-information|default-metric|distance|distribute-list"
        r"|max-metric|maximum-paths|neighbor|network|ospf router-id|passive-interface|redistribute"
        r"|router-id|summary-address|timers",
    ),
    "router ospf6": (("router ospf6",), ".*"),
    "router rip": (("router rip",), ".*"),
    "router ripng": (("router ripng",), ".*"),
    "router eigrp": (("router eigrp 1",), ".*"),
    "router isis": (
        ("router isis A",),
        r"(?!segment|mpls|fast|lsp|spf|log|hostname|purge|psnp|csnp|flex|trigg).*",
    ),
    "router bgp": (
        ("router bgp 1",),
        r"(?!vnc|rfp|sid|export|bmp|bgp graceful|bgp update|bgp default (?!local|ipv)|segment"
        r"|vrf-policy|bgp listen (?!range|limit)).*",
    ),
    "address-family": (
        ("router bgp 1", "address-family ipv4 unicast"),
        r"(?!vnc|rfp|sid|export vpn|bgp damp).*",
    ),
    "address-family 6": (
        ("router bgp 1", "address-family ipv6 unicast"),
        r"(?!vnc|rfp|sid|bgp damp).*",
    ),
    "route-map": (
        ("route-map A permit 10",),
        r"(?!set evpn|match evpn|match rpki|set l3vpn|set vpn|set sr-te|set lb).*",
    ),
    "vrf": (("vrf red",), r"ip route|ipv6 route|netns|ip protocol|ipv6 protocol"),
    "pbr-map": (("pbr-map A seq 1",), ".*"),
    "key chain": (("key chain a",), ".*"),
    "key": (("key chain a", "key 1"), ".*"),
}
# Taken by the daemons, and not listed.
HIDDEN = {"router ospf": {"passive-interface default": "passive-interface < default | * [ * ] >"}}
PROTOCOLS = ("ospf6", "ospf", "ripng", "rip", "eigrp", "isis", "bgp")
FILES = {"ospf6": "ospf", "ripng": "rip"}
_SOURCES = (
    "kernel|connected|static|rip|ripng|ospf|ospf6|isis|bgp|eigrp|nhrp|table|vnc|babel|openfabric"
    "|vnc-direct|any"
)
_FROM = re.compile(rf"< (?:(?:{_SOURCES}) ?\| ?)+(?:{_SOURCES}) >")


def listed() -> dict[str, list[str]]:
    """Every kind of section, and the commands that the shell lists in it."""
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        place.chmod(0o777)
        shutil.chown(place, "frr", "frr")
        subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
        try:
            for daemon in DAEMONS:
                (place / f"{daemon}.conf").touch()
                command = [f"/usr/lib/frr/{daemon}", "-d", "-i", f"{place}/{daemon}.pid"]
                command += ["--vty_socket", name, "-f", f"{place}/{daemon}.conf"]
                subprocess.run([*command, "-z", f"{place}/zserv.api"], check=True)
            time.sleep(2)
            return {node: _of_node(name, entered) for node, (entered, _) in NODES.items()}
        finally:
            for pid in place.glob("*.pid"):
                subprocess.run(["kill", pid.read_text().strip()], check=False)


def _of_node(sockets: str, entered: tuple[str, ...]) -> list[str]:
    command = ["vtysh", "--vty_socket", sockets]
    for line in ("configure terminal", *entered, "list"):
        command += ["-c", line]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return done.stdout.splitlines()


def simplified(line: str) -> str:
    """A command in the notation of the grammar (see readers/frr/abbreviations.py)."""
    text = re.sub(r"^(?:\[no\]|no) ?", "", line.strip())
    text = re.sub(
        r"\((\d+)-(\d+)\)", lambda m: f"#{m[1]}-{m[2]}" if int(m[2]) <= SMALL else "#", text
    )
    out = []
    for word in re.findall(r"\.\.\.|[<>\[\]{}|]|[^\s<>\[\]{}|]+", text):
        if word in "<>[]{}|" or re.fullmatch(r"\d+", word):
            out.append(word)
        elif word.endswith("..."):
            out.append("...")
        elif word[0] == "#":
            out.append(word)
        elif word.upper() == word or "ASN:NN" in word or word.startswith("X:X"):
            out.append("*")
        else:
            out.append(word)
    said = re.sub(r"< \* (\| \* )+>", "*", " ".join(out))
    said = re.sub(r"< [*#] (\| [*#] )+>", "*", said)
    return re.sub(r"< ([*#]) (?:\| [*#] )+>", r"\1", _FROM.sub("@from", said))


def commands(lines: list[str]) -> list[str]:
    """The commands of a section, each once; what is taken back only where nothing sets it."""
    said: dict[str, None] = {}
    taken_back: dict[str, None] = {}
    for line in lines:
        command = simplified(line)
        if command and command.split()[0] not in LEFT_OUT:
            (taken_back if line.strip().startswith("no ") else said)[command] = None
    heads = {command.split()[0] for command in said}
    return [*said, *(c for c in taken_back if c.split()[0] not in heads)]


def shortened(every: list[str], read: str) -> list[str]:
    """What is read whole, and of the rest as many words as tell it apart."""
    whole = re.compile(read if "(?!" in read or read == ".*" else rf"(?:{read})(?: |$)")
    kept = [command for command in every if whole.match(command)]
    paths = {tuple(c.split()[: n + 1]) for c in kept for n in range(len(c.split()))}
    out = list(kept)
    for command in every:
        if command in kept:
            continue
        words: list[str] = []
        for word in command.split():
            if word in "<[{":
                break
            words.append(word)
            if tuple(words) not in paths:
                break
        stub = " ".join([*words, "---"])
        if words and stub not in out:
            out.append(stub)
    return out


def owner(node: str, command: str) -> str:
    """The file that a command stands in: its protocol's, else the general one."""
    place = node.removeprefix("router ") if node.startswith("router ") else command
    if node.startswith("address-family"):
        return "bgp"
    found = next((p for p in PROTOCOLS if re.search(rf"\b{p}\b", place)), None)
    return "general" if found is None else FILES.get(found, found)


def indented(every: list[str]) -> list[str]:
    """Commands as lines under their common beginnings."""
    tree: dict[str, dict] = {}  # type: ignore[type-arg]
    for command in every:
        words, here = command.split(), tree
        at = next((n for n, word in enumerate(words) if word in "<[{"), len(words))
        for word in [*words[:at], *([" ".join(words[at:])] if at < len(words) else [])]:
            here = here.setdefault(word, {})
        here["$"] = {}
    out: list[str] = []

    def show(here: dict, depth: int) -> None:  # type: ignore[type-arg]
        for word, below in here.items():
            if word == "$":
                continue
            inner = [key for key in below if key != "$"]
            while len(inner) == 1 and "$" not in below:
                word, below = f"{word} {inner[0]}", below[inner[0]]
                inner = [key for key in below if key != "$"]
            out.append(" " * depth + word + (" $" if "$" in below and inner else ""))
            show(below, depth + 1)

    show(tree, 0)
    return out


def grammar() -> dict[str, str]:
    """The text of each file."""
    files: dict[str, dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
    for node, lines in listed().items():
        every = [HIDDEN.get(node, {}).get(c, c) for c in shortened(commands(lines), NODES[node][1])]
        for command in every:
            held = files[owner(node, command)][node.removesuffix(" 6")]
            if command not in held:
                held.append(command)
    out = {}
    for name, nodes in files.items():
        rows = [row for node, held in nodes.items() for row in (f"## {node}", *indented(held))]
        out[f"{name}.txt"] = "\n".join(rows) + "\n"
    return out


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else None)
    parser.add_argument("--check", action="store_true", help="only say what would change")
    options = parser.parse_args()
    differing = 0
    for name, text in sorted(grammar().items()):
        path = OUT / name
        if path.exists() and path.read_text() == text:
            continue
        differing += 1
        print(f"{name} {'differs' if options.check else 'is written anew'}")
        if not options.check:
            path.write_text(text)
    return differing if options.check else 0


if __name__ == "__main__":
    sys.exit(main())
