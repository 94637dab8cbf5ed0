"""All OpenConfig files of a device as one tree -> facts.

A device may give its whole data in one file, or several answers of one path each: they are laid
over each other first, because a protocol's settings name interfaces and policies that another
file defines. Two files that say different things of one setting contradict each other, and that
is reported; the first one is computed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...network.facts import Profile, Source
from ...network.rip import RipHabits
from ..drafts import CaptureDraft, ConfigDraft
from ..located_json import UNSEEN, Document, Node
from . import acl, answers, instances, interfaces, state
from .held import Held, bare
from .policy import Policies

KIND = "OpenConfig data"
OPENCONFIG = Profile(
    name="OpenConfig",
    static_distance=1,
    down_keeps_connected=True,
    habits=(RipHabits(version=2),),
)
"""Where the models say nothing, the same behaviour is assumed as for the routers that can be
measured: one network written in two formats must not give two answers."""

_HEAD = "openconfig-"
_INSTANCE = "ietf-yang-instance-data:instance-data-set"
_ELSEWHERE = ("system", "components", "telemetry-system", "keychains", "bfd", "lacp", "qos")
"""Top containers that change no packet's way as far as they are read; keys excepted, whose use
is read where it is."""
_TOPS = ("interfaces", "network-instances", "routing-policy", "acl", "lldp", "vlans")
"""Where paths of gNMI begin that name no module."""
_KEYS = {
    "interface": ("name", "id", "interface-id"),
    "subinterface": ("index",),
    "address": ("ip",),
    "neighbor": ("neighbor-address", "ip", "router-id", "id"),
    "network-instance": ("name",),
    "protocol": ("identifier", "name"),
    "table-connection": ("src-protocol", "dst-protocol", "address-family"),
    "table": ("protocol", "address-family"),
    "static": ("prefix",),
    "next-hop": ("index",),
    "next-hop-group": ("id",),
    "ipv4-entry": ("prefix",),
    "ipv6-entry": ("prefix",),
    "aggregate": ("prefix",),
    "area": ("identifier",),
    "level": ("level-number",),
    "af": ("afi-name", "safi-name"),
    "afi-safi": ("afi-safi-name",),
    "peer-group": ("peer-group-name",),
    "prefix-set": ("name",),
    "prefix": ("ip-prefix", "masklength-range"),
    "policy-definition": ("name",),
    "statement": ("name",),
    "community-set": ("community-set-name",),
    "as-path-set": ("as-path-set-name",),
    "tag-set": ("name",),
    "neighbor-set": ("name",),
    "acl-set": ("name", "type"),
    "acl-entry": ("sequence-id",),
    "vlan": ("vlan-id",),
}
"""What tells the entries of lists apart, where files are laid over each other."""


def looks_like(root: Node) -> bool:
    """Members of OpenConfig's modules, perhaps inside what gNMI or RFC 9195 wraps around them."""
    if _inside(root):
        return True
    if not answers.looks_like(root):
        return False
    return any(
        name.startswith(_HEAD) or name in _TOPS or _inside(value)
        for steps, value in answers.unwrapped(root)
        for name in [steps[0][0] if steps else ""]
    )


def _inside(root: Node) -> bool:
    held = _unwrap(root)
    return any(key.startswith(_HEAD) for key in held.members())


def _unwrap(root: Node) -> Node:
    whole = root.peek(_INSTANCE)
    inner = whole.peek("content-data") if whole is not None else None
    return inner or root.peek("ietf-restconf:data") or root


@dataclass(slots=True)
class Read:
    """What the files of one device say."""

    config: ConfigDraft
    capture: CaptureDraft
    contradiction: tuple[str, str] | None
    """The files of two values for one setting."""


class _Whole:
    """Several documents as one tree; it remembers of which file each value is."""

    def __init__(self, documents: dict[str, Document]) -> None:
        self.documents = documents
        self.file_of: dict[int, str] = {}
        self.contradiction: tuple[str, str] | None = None
        self.root = Node({}, 1)
        plain = [(n, _unwrap(d.root)) for n, d in documents.items()]
        if len(plain) == 1 and not answers.looks_like(plain[0][1]):
            self.file, self.root = plain[0]
            return
        self.file = next(
            (n for n, root in plain if any(bare(k) == "network-instances" for k in root.members())),
            plain[0][0],
        )
        for name, root in plain:
            wrapped = answers.looks_like(root)
            parts = answers.unwrapped(root) if wrapped else [([], root)]
            for steps, value in parts:
                for node in value.walk():
                    self.file_of[id(node)] = name
                self.lay(steps, value, name)

    def lay(self, steps: list[answers.Step], value: Node, file: str) -> None:
        if steps and len(value.members()) == 1:
            key, inner = next(iter(value.members().items()))
            if bare(key) == bare(steps[-1][0]) and not steps[-1][1]:
                value = inner
        here = self.root
        for number, (name, keys) in enumerate(steps):
            last = number == len(steps) - 1
            if last and isinstance(value.value, list) and not keys:
                self.over(here, {name: value}, file)
                return
            here = self.step(here, name, keys, value, file)
        if isinstance(value.value, dict):
            self.over(here, value.members(), file)

    def step(self, here: Node, name: str, keys: dict[str, str], like: Node, file: str) -> Node:
        """The node below, made if nobody spoke of it yet."""
        key = next((k for k in here.members() if bare(k) == bare(name)), name)
        held = here.peek(key)
        if held is None:
            held = self.made([] if keys else {}, like, file)
            here.members()[key] = held
        if not keys:
            return held
        for entry in held.elements():
            if all(_text(entry, k) == v for k, v in keys.items()):
                return entry
        entry = self.made({}, like, file)
        for k, v in keys.items():
            leaf = self.made(v, like, file)
            leaf.seen = 1
            entry.members()[k] = leaf
        held.elements().append(entry)
        return entry

    def made(self, value: object, like: Node, file: str) -> Node:
        node = Node(value, like.line, like.start, like.end)
        node.key_line = like.key_line
        self.file_of[id(node)] = file
        return node

    def over(self, here: Node, members: dict[str, Node], file: str) -> None:
        """Lays members over those that are there."""
        for key, node in members.items():
            known = next((k for k in here.members() if bare(k) == bare(key)), None)
            held = here.peek(known) if known is not None else None
            if held is None:
                here.members()[key] = self.copied(node, file)
            elif isinstance(held.value, dict) and isinstance(node.value, dict):
                self.over(held, node.members(), file)
            elif isinstance(held.value, list) and isinstance(node.value, list):
                self.over_list(held, node, bare(key), file)
            elif held.plain() != node.plain():
                node.seen = UNSEEN
                first = self.file_of.get(id(held), self.file)
                self.contradiction = self.contradiction or (first, file)
            else:
                node.seen = 1

    def over_list(self, held: Node, node: Node, name: str, file: str) -> None:
        keys = _KEYS.get(name, ())
        for entry in node.elements():
            mine = [_text(entry, key) for key in keys]
            mate = next(
                (
                    other
                    for other in held.elements()
                    if any(mine) and [_text(other, key) for key in keys] == mine
                ),
                None,
            )
            if mate is not None and isinstance(mate.value, dict):
                self.over(mate, entry.members(), file)
            elif not isinstance(entry.value, dict) and any(
                entry.plain() == other.plain() for other in held.elements()
            ):
                entry.seen = 1
            else:
                held.elements().append(self.copied(entry, file))

    def copied(self, node: Node, file: str) -> Node:
        """Containers anew, so that laying over them changes no document; leaves as they are."""
        if isinstance(node.value, dict):
            out = self.made({}, node, file)
            out.end = node.end
            out.members().update({k: self.copied(v, file) for k, v in node.members().items()})
            return out
        if isinstance(node.value, list):
            out = self.made([], node, file)
            out.elements().extend(self.copied(item, file) for item in node.elements())
            return out
        return node

    def source(self, device: str) -> Callable[[Node, str], Source]:
        def made(node: Node, path: str) -> Source:
            file = self.file_of.get(id(node), self.file)
            return Source(device, file, node.key_line, self.documents[file].quote(node), path)

        return made


def _text(entry: Node, key: str) -> str | None:
    for holder in (
        entry,
        next((n for k, n in entry.members().items() if bare(k) == "config"), None),
    ):
        found = (
            next((n for k, n in holder.members().items() if bare(k) == key), None)
            if holder is not None
            else None
        )
        if found is not None:
            return bare(str(found.value))
    return None


def read(device: str, documents: dict[str, Document]) -> Read:
    """Reads all OpenConfig files of a device; what was used is marked in their nodes."""
    whole = _Whole(documents)
    for document in documents.values():
        wrapper = document.root.peek(_INSTANCE)
        if wrapper is not None:
            for key, node in wrapper.members().items():
                if key != "content-data":
                    node.ignore_all()
    for node in whole.root.walk():
        for key, below in node.members().items():
            if bare(key) == "state":
                below.ignore_all()
    source = whole.source(device)
    root = Held(whole.root, "", source)
    draft = ConfigDraft(OPENCONFIG, whole.file)
    capture = CaptureDraft(whole.file)
    names = interfaces.read(root, draft)
    policies = Policies(root.inner("routing-policy"), draft)
    found = root.inner("network-instances")
    draft.routes = found is not None
    draft.forwarding = [True, True] if found is not None else [None, None]
    if found is not None:
        instances.read(found, draft, names, policies)
        for _, entry in found.entries("network-instance", "name"):
            state.tables(entry, capture)
    draft.policy = policies.finished()
    lists = root.inner("acl")
    if lists is not None:
        draft.filters += acl.read(lists, names)
    lldp = root.inner("lldp")
    if lldp is not None:
        state.heard(lldp, names, capture)
    system = root.inner("system")
    if system is not None:
        named = system.word("hostname")
        if named is not None:
            draft.hostname, draft.hostname_source = named.value, named.source
    for key, node in whole.root.members().items():
        if bare(key) in _ELSEWHERE or key.startswith("ietf-yang-library:"):
            node.ignore_rest()
    return Read(draft, capture, whole.contradiction)
