"""A survey's files -> a network and a reading report.

Files are grouped by device, each is recognised by its content, read by the module for
its format, and what the files of one device say is merged: configuration wins over
captures, captures fill in what configuration cannot say.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import lru_cache
from typing import Any

from ..network.addressing import InterfaceAddress, eui64_link_local
from ..network.fabric import Fabric
from ..network.facts import (
    AddressFact,
    Device,
    GatheredRoute,
    Interface,
    Network,
    Profile,
    Source,
    Unstored,
)
from ..network.filters import NO_SERVICES, Services
from ..network.policy import NO_POLICY, Policy
from ..network.quiet import without_collecting
from ..network.routing import NO_ROUTING, Routing
from . import gathering, hostfiles, iproute, nftables, probes, reports, snmp, stored, wiring
from .drafts import CaptureDraft, ConfigDraft, InterfaceDraft
from .frr import tables as frr_tables
from .frr import text as frr_text
from .located import DataError, parse_data
from .located_json import Document, Node
from .located_xml import looks_like as is_xml
from .masking import mask
from .report import FileReport, Ledger, split_lines
from .yang import data as yang
from .yang import state as yang_state

_SUFFIX = re.compile(
    r"[-_. ](?:ip-?)?(?:addr(?:ess)?|route6?|routes|link|neigh|frr|conf|config|running|sysctl"
    r"|tunnels?|vlan|bridge-vlan|ip-link|yang|data|hosts(?:file)?|resolv|nft|filters?|acls?|ss|sockets)$",
    re.I,
)


@dataclass(frozen=True, slots=True)
class Survey:
    """Everything read from one survey.

    `files` holds the masked text of every readable file as {device: {file: text}};
    files that belong to no device stand under the empty name.
    """

    network: Network
    reading: tuple[FileReport, ...]
    files: dict[str, dict[str, str]] = field(default_factory=dict)
    drawing: wiring.Wiring = field(default_factory=wiring.Wiring)

    def text(self, device: str, file: str) -> str | None:
        return self.files.get(device, {}).get(file)


@dataclass(slots=True)
class _Drafts:
    configs: list[ConfigDraft] = field(default_factory=list)
    captures: list[CaptureDraft] = field(default_factory=list)
    unread_files: int = 0
    startup: tuple[str, Document] | None = None
    """The stored configuration of a device that gave YANG data."""
    data: dict[str, Document] = field(default_factory=dict)


def read_survey(files: Mapping[str, bytes], key: bytes) -> Survey:
    """Reads a whole survey.

    Args:
        files: path -> content, paths relative to the survey's folder.
        key: the key under which secrets become fingerprints.
    """
    with without_collecting():
        return _Survey(key).read(files)


def read_again(survey: Survey, changed: Mapping[str, Mapping[str, str]]) -> Survey:
    """The survey with other texts for some devices: only these are read again.

    Args:
        changed: device -> all its files, as masked text.
    """
    with without_collecting():
        partial = _Survey(b"", _parsed)
        for device, files in changed.items():
            for name, text in sorted(files.items(), key=lambda f: ("tunnel" not in f[0], f)):
                partial.file(device, name, text)
        kept = {d.name: d for d in survey.network.devices if d.name not in changed}
        reports = [report for report in survey.reading if report.device not in changed]
        return partial.assemble(survey, kept, reports)


def places(files: Mapping[str, bytes], survey: Survey) -> dict[tuple[str, str], str]:
    """(device, file) -> path: where a survey's texts came from."""
    out: dict[tuple[str, str], str] = {}
    holders: dict[str, list[str]] = {}
    for device, texts in survey.files.items():
        for name in texts:
            holders.setdefault(name, []).append(device)
    inner = _without_common_folder(files)
    head = "" if inner is files else next(iter(files)).split("/", 1)[0] + "/"
    for path in inner:
        parts = path.split("/")
        at = 1 if parts[0] == "devices" else 0
        device, name = parts[at], "/".join(parts[at + 1 :])
        if name in survey.files.get(device, {}):
            out[device, name] = head + path
        elif len(holders.get(parts[-1], ())) == 1:
            out[holders[parts[-1]][0], parts[-1]] = head + path
    return out


@lru_cache(maxsize=96)
def _parsed(device: str, name: str, text: str) -> Node:
    """A file's JSON, kept for the next copy of its survey: most files stay as they are.

    Readers mark in the tree what they used; the same reader marks the same again.
    """
    return parse_data(text)


class _Survey:
    def __init__(
        self,
        key: bytes,
        parser: Callable[[str, str, str], Node] = lambda device, name, text: parse_data(text),
    ) -> None:
        self.key = key
        self.parse = parser
        self.reports: list[FileReport] = []
        self.drafts: dict[str, _Drafts] = {}
        self.texts: dict[str, dict[str, str]] = {}
        self.wirings: list[wiring.Wiring] = []
        self.title: str | None = None
        self.taken_at: str | None = None

    def read(self, files: Mapping[str, bytes]) -> Survey:
        files = _without_common_folder(files)
        flat: list[tuple[str, str]] = []
        # Tunnels first: what lists them says what the links that follow are.
        for path in sorted(files, key=lambda p: ("tunnel" not in p.rpartition("/")[2], p)):
            parts = path.split("/")
            text = self.decode(path, parts, files[path])
            if text is None:
                continue
            if len(parts) == 1 or (parts[0] == "devices" and len(parts) == 2):
                flat.append((path, text))
            else:
                at = 1 if parts[0] == "devices" else 0
                self.file(parts[at], "/".join(parts[at + 1 :]), text)
        self.flat(flat)
        return self.finish()

    def decode(self, path: str, parts: list[str], data: bytes) -> str | None:
        device = (
            parts[1]
            if parts[0] == "devices" and len(parts) > 2
            else (parts[0] if len(parts) > 1 else None)
        )
        name = parts[-1] if device else path
        if b"\x00" in data:
            self.unreadable(device, name, "not text", "The file is binary, so nothing was read.")
            return None
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        return mask(text, self.key)

    def unreadable(self, device: str | None, name: str, kind: str, note: str) -> None:
        report = Ledger(device, name, kind, ["(not shown)"])
        report.unknown(1, False, note, "(not shown)")
        report.note = note
        self.reports.append(report.report())
        if device is not None:
            self.drafts.setdefault(device, _Drafts()).unread_files += 1

    # -- which device a file belongs to ------------------------------------------

    def flat(self, files: list[tuple[str, str]]) -> None:
        named: dict[str, str] = {}
        rest: list[tuple[str, str]] = []
        for path, text in files:
            name = path.rpartition("/")[2]
            if name in ("survey.json", "topology.json", "expectations.yaml", "expectations.yml"):
                self.file("", name, text)
                continue
            hostname = re.search(r"^hostname (\S+)\s*$", text, re.M) or re.search(
                r'"hostname"\s*:\s*"([^"]+)"', text
            )
            if hostname is not None and (frr_text.looks_like(text) or text.lstrip()[:1] == "{"):
                named[_stem(name)] = hostname.group(1)
                self.file(hostname.group(1), name, text)
            else:
                rest.append((name, text))
        for name, text in rest:
            stem = _stem(name)
            self.file(named.get(stem, stem), name, text, flat=True)

    # -- what a file is -----------------------------------------------------------

    def file(self, device: str, name: str, text: str, flat: bool = False) -> None:
        lines = split_lines(text)
        stripped = text.lstrip()
        if not stripped:
            self.keep(device, name, text)
            self.done(Ledger(device or None, name, "empty file", lines), device)
            return
        if stripped[0] in "{[" or is_xml(text):
            self.data_file(device, name, text, lines, flat)
            return
        if name in ("expectations.yaml", "expectations.yml") and not device:
            ledger = Ledger(None, name, "expectations", lines)
            for number in range(1, len(lines) + 1):
                ledger.irrelevant(number)
            self.keep("", name, text)
            self.done(ledger, "")
            return
        self.keep(device, name, text)
        if frr_text.looks_like(text):
            config, ledger = frr_text.read(device, name, text)
            self.draft(device).configs.append(config)
            if config.hostname and config.hostname != device:
                ledger.note = (
                    f"The text calls itself {config.hostname}; the device is listed as {device}."
                )
            self.done(ledger, device)
        elif snmp.looks_like(text):
            self.capture(device, snmp.read(device, name, text))
        elif hostfiles.looks_like_sysctl(text):
            self.capture(device, hostfiles.read_sysctl(device, name, text))
        elif hostfiles.looks_like_resolvers(text):
            self.capture(device, hostfiles.read_resolvers(device, name, text))
        elif hostfiles.looks_like_sockets(text):
            self.capture(device, hostfiles.read_sockets(device, name, text))
        elif device and hostfiles.looks_like_hosts(text):
            self.capture(device, hostfiles.read_hosts(device, name, text))
        elif reports.looks_like_text(text):
            ledger = Ledger(device, name, reports.KIND, lines)
            for number in range(1, len(lines) + 1):
                ledger.irrelevant(number)
            self.draft(device)
            self.done(ledger, device)
        else:
            ledger = Ledger(device or None, name, "not recognised", lines)
            ledger.note = "Nothing here reads this kind of file, so it was left aside."
            self.draft(device).unread_files += 1
            self.done(ledger, device)

    def capture(self, device: str, read: tuple[CaptureDraft, Ledger]) -> None:
        self.draft(device).captures.append(read[0])
        self.done(read[1], device)

    def data_file(self, device: str, name: str, text: str, lines: list[str], flat: bool) -> None:
        try:
            root = self.parse(device, name, text)
        except DataError as error:
            self.keep(device, name, text)
            ledger = Ledger(device or None, name, f"damaged {_encoding(text)}", lines)
            ledger.note = f"Line {error.line}: {error}. The file was left aside."
            ledger.unknown(error.line, True, str(error))
            if device:
                self.draft(device).unread_files += 1
            self.done(ledger, device, matters=True)
            return
        document = Document(text, lines, root)
        if wiring.looks_like(root):
            ledger = Ledger(None, name, wiring.KIND, lines)
            self.keep("", name, text)
            self.wirings.append(wiring.read(document, name))
            ledger.settle_json(root, matters=False)
            self.done(ledger, "")
            return
        if not device and name == "survey.json":
            self.about(document, name)
            return
        self.keep(device, name, text)
        if gathering.looks_like(root):
            ledger = Ledger(device, name, gathering.KIND, lines)
            capture, ledger.note = gathering.read(device, name, document)
            if capture.unmodelled or capture.read_at:
                self.draft(device).captures.append(capture)
            self.draft(device).unread_files += ledger.note is not None
            ledger.settle_json(root, False)
            self.done(ledger, device)
            return
        if probes.looks_like(root):
            ledger = Ledger(device, name, probes.KIND, lines)
            self.draft(device).captures.append(probes.read(device, name, document))
            ledger.settle_json(root, False)
            self.done(ledger, device)
            return
        if stored.is_startup(root):
            ledger = Ledger(device, name, stored.KIND, lines)
            self.draft(device).startup = (name, document)
            root.use_all()
            ledger.settle_json(root, False)
            self.done(ledger, device)
            return
        if yang_state.looks_like(root):
            ledger = Ledger(device, name, yang_state.KIND, lines)
            self.draft(device).captures.append(yang_state.read(device, name, document))
            ledger.settle_json(root, False)
            self.done(ledger, device)
            return
        if yang.looks_like(root):
            ledger = Ledger(device, name, yang.KIND, lines)
            config = yang.read(device, name, document)
            if config.filters and not (config.interfaces or config.routes):
                # Access lists alone do not make the file the device's configuration.
                lists = CaptureDraft(name, filters=config.filters)
                self.draft(device).captures.append(lists)
            else:
                self.draft(device).configs.append(config)
                self.draft(device).data[name] = document
            tables = CaptureDraft(name)
            if (routing := root.peek("ietf-routing:routing")) is not None:
                yang_state.tables(tables, routing)
            if tables.gathered:
                self.draft(device).captures.append(tables)
            if config.hostname and config.hostname != device:
                ledger.note = (
                    f"The data calls itself {config.hostname}; the device is listed as {device}."
                )
            ledger.settle_json(root)
            self.done(ledger, device)
            return
        kind = iproute.kind_of(root)
        if kind == "neigh":
            ledger = Ledger(device, name, iproute.KINDS[kind], lines)
            self.draft(device).captures.append(iproute.read_neighbours(document, device, name))
            ledger.settle_json(root, False)
        elif kind in ("addr", "link", "route", "tunnel", "vlan"):
            ledger = Ledger(device, name, iproute.KINDS[kind], lines)
            known = {port for c in self.draft(device).captures for port in c.tunnels}
            if kind == "route":
                capture = iproute.read_routes(document, device, name)
            elif kind == "vlan":
                capture = iproute.read_vlans(document, device, name)
            elif kind == "tunnel":
                capture = iproute.read_tunnels(document, device, name)
            else:
                capture = iproute.read_links(document, device, name, known)
            self.draft(device).captures.append(capture)
            ledger.settle_json(root)
        elif kind is not None:
            ledger = Ledger(device, name, iproute.KINDS[kind], lines)
            root.ignore_all()
            ledger.settle_json(root, False)
            if not flat or kind != "empty":
                self.draft(device)
        elif nftables.looks_like(root):
            ledger = Ledger(device, name, nftables.KIND, lines)
            self.draft(device).captures.append(nftables.read(document, device, name))
            ledger.settle_json(root)
        elif frr_tables.looks_like(root):
            ledger = Ledger(device, name, frr_tables.KIND, lines)
            self.draft(device).captures.append(frr_tables.read(root, name))
            ledger.settle_json(root, False)
        else:
            gathered = reports.looks_like_json(root)
            empty = not root.members() and isinstance(root.value, dict)
            kind_text = "an empty object" if empty else f"{_encoding(text)} that is not recognised"
            if gathered:
                kind_text = reports.KIND
                root.ignore_all()
            ledger = Ledger(device or None, name, kind_text, lines)
            ledger.settle_json(root, False)
            if device:
                self.draft(device).unread_files += not (gathered or empty)
        self.done(ledger, device)

    def about(self, document: Document, name: str) -> None:
        root = document.root
        self.title, self.taken_at = root.text("title"), root.text("taken_at")
        ledger = Ledger(None, name, "title and time of the survey", document.lines)
        ledger.settle_json(root, False)
        self.keep("", name, document.text)
        self.done(ledger, "")

    def draft(self, device: str) -> _Drafts:
        return self.drafts.setdefault(device, _Drafts())

    def keep(self, device: str, name: str, text: str) -> None:
        self.texts.setdefault(device, {})[name] = text

    def done(self, ledger: Ledger, device: str, matters: bool = False) -> None:
        self.reports.append(ledger.report(matters))

    # -- putting it together --------------------------------------------------------

    def finish(self) -> Survey:
        self.drafts.pop("", None)
        whole = wiring.Wiring()
        for drawing in self.wirings:
            whole.nodes.update(drawing.nodes)
            whole.links.extend(link for link in drawing.links if link not in whole.links)
            whole.planned.extend(drawing.planned)
        return self.join(whole, self.devices(whole))

    def assemble(
        self, before: Survey, kept: dict[str, Device], reports: list[FileReport]
    ) -> Survey:
        """A survey of which most devices were read before."""
        self.drafts.pop("", None)
        self.title, self.taken_at = before.network.title, before.network.taken_at
        self.reports += reports
        self.texts = {**before.files, **self.texts}
        unread = {name for name, device in kept.items() if device.role == "unread"}
        drawn_only = unread - set(self.texts)
        devices = {n: d for n, d in kept.items() if n not in drawn_only}
        old = {device.name: device for device in before.network.devices}
        again = {
            name: _as_captured(device, old.get(name))
            for name, device in self.devices(before.drawing).items()
        }
        return self.join(before.drawing, {**devices, **again})

    def devices(self, drawing: wiring.Wiring) -> dict[str, Device]:
        roles = {node.name: node.role for node in drawing.nodes.values() if node.role}
        out = {}
        for name, drafts in self.drafts.items():
            unstored = self.stored_apart(name, drafts)
            merged = _merge(name, drafts, roles.get(name))
            out[name] = replace(merged, unstored=unstored) if unstored else merged
        return out

    def stored_apart(self, device: str, drafts: _Drafts) -> Unstored | None:
        """Sets a stored configuration aside, so that only the running one is computed."""
        texts = self.texts.get(device, {})
        if drafts.startup is not None and len(drafts.data) == 1:
            return stored.of_data(device, next(iter(drafts.data.items())), drafts.startup)
        whole = [c for c in drafts.configs if stored.is_whole(texts.get(c.file, ""))]
        running = [c for c in whole if stored.is_printed(texts[c.file])]
        if len(whole) != 2 or len(running) != 1:
            return None
        other = next(c for c in whole if c is not running[0])
        drafts.configs.remove(other)
        self.reports = [
            replace(r, kind=stored.KIND) if (r.device, r.file) == (device, other.file) else r
            for r in self.reports
        ]
        return stored.of_text(
            device,
            (running[0].file, texts[running[0].file]),
            (other.file, texts[other.file]),
        )

    def join(self, drawing: wiring.Wiring, devices: dict[str, Device]) -> Survey:
        heard = wiring.from_heard(devices.values()) if not drawing.links else None
        segments, unread = wiring.segments_from_wiring(heard or drawing, devices)
        if heard is not None:
            segments = [replace(s, reason=wiring.BY_LLDP, inferred=True) for s in segments]
            unread = [*unread, *wiring.segments_from_wiring(drawing, devices)[1]]
        taken = {end for segment in segments for end in segment.ends}
        if not drawing.links:
            segments += wiring.infer_segments(devices.values(), taken)
        for name in unread:
            devices[name] = Device(name, role="unread")
        fabric = Fabric(devices, segments)
        cables = tuple(segments) if fabric.switched else ()
        if cables:
            segments = fabric.segments()
        segments += wiring.tunnel_segments(devices.values())
        network = Network(
            tuple(devices[name] for name in sorted(devices)),
            tuple(segments),
            self.title,
            self.taken_at,
            cables,
            tuple(drawing.planned),
        )
        self.reports.sort(key=lambda r: (r.device or "", r.file))
        return Survey(network, tuple(self.reports), self.texts, drawing)


def _encoding(text: str) -> str:
    return "XML" if is_xml(text) else "JSON"


def _stem(name: str) -> str:
    stem = name
    while True:
        shorter = re.sub(r"\.(?:json|conf|cfg|txt|xml|yaml)$", "", stem, flags=re.I)
        shorter = _SUFFIX.sub("", shorter)
        if shorter in (stem, ""):
            return stem
        stem = shorter


def _without_common_folder(files: Mapping[str, bytes]) -> Mapping[str, bytes]:
    """Drops a folder that wraps the whole survey, as archives of a folder have it."""
    while files:
        heads = {path.split("/", 1)[0] for path in files}
        head = next(iter(heads))
        if len(heads) != 1 or head == "devices" or any("/" not in path for path in files):
            return files
        inner = {path.split("/", 1)[1]: data for path, data in files.items()}
        known = any(
            path.startswith("devices/") or path in ("survey.json", "topology.json")
            for path in inner
        )
        if not known:
            return files
        files = inner
    return files


def _as_captured(device: Device, before: Device | None) -> Device:
    """Remembers in which state an interface was when others captured their end of the line."""
    if before is None:
        return device
    interfaces = []
    for interface in device.interfaces:
        held = before.interface(interface.name)
        if interface.captured_enabled is None and held is not None:
            state = held.captured_enabled
            if state is None and held.enabled != interface.enabled:
                state = held.enabled
            interface = replace(interface, captured_enabled=state)
        interfaces.append(interface)
    return replace(device, interfaces=tuple(interfaces))


# -- merging the files of one device -------------------------------------------------


def _merge(name: str, drafts: _Drafts, role: str | None) -> Device:
    configs, captures = drafts.configs, drafts.captures
    if not configs and not any(
        any(not i.vlans_only for i in c.interfaces.values()) for c in captures
    ):
        if drafts.unread_files or not captures:
            return Device(name, role="unread")
    interfaces = _interfaces(name, configs, captures)
    routing = [config for config in configs if config.routes]
    forwarding: list[bool | None] = [None, None]
    forwarding_source: Source | None = None
    layers: list[CaptureDraft | ConfigDraft] = [*captures, *configs]
    for layer in layers:
        for index in (0, 1):
            value = layer.forwarding[index]
            if value is not None:
                forwarding[index] = value
                forwarding_source = layer.forwarding_source or forwarding_source
    statics = [route for config in configs for route in config.statics]
    profile: Profile = configs[0].profile if configs else iproute.LINUX
    through_default = (
        any(c.profile.resolve_via_default[0] for c in configs),
        any(c.profile.resolve_via_default[1] for c in configs),
    )
    if configs and through_default != profile.resolve_via_default:
        profile = replace(profile, resolve_via_default=through_default)
    if not routing:
        statics += [route for capture in captures for route in capture.statics]
    if role in ("router", "host"):
        final = role
    elif routing and (any(f.profile.name != yang.YANG.name for f in routing)):
        final = "router"
    elif any(i.master is not None for i in interfaces) and not any(
        not fact.address.is_link_local for i in interfaces for fact in i.addresses
    ):
        final = "switch"
    else:
        final = "router" if any(forwarding) else "host"
    default = final == "router" and not any(c.profile.name == yang.YANG.name for c in configs)
    gathered: dict[int, tuple[GatheredRoute, ...]] = {}
    if routing:
        tables: dict[int, list[GatheredRoute]] = {}
        detailed = [
            c
            for c in captures
            if any(r.distance is not None for rs in c.gathered.values() for r in rs)
        ]
        for capture in detailed or captures:
            for family, routes in capture.gathered.items():
                tables.setdefault(family, []).extend(routes)
        gathered = {family: tuple(routes) for family, routes in tables.items()}
    named = next((c for c in configs if c.hostname), None)
    unmodelled = [u for layer in layers for u in layer.unmodelled]
    tunnels = {name: t for capture in captures for name, t in capture.tunnels.items()}
    if tunnels:
        # What the link itself did not say, the list of tunnels says.
        unmodelled = [
            u for u in unmodelled if u.interface not in tunnels or u.why != iproute.TUNNELS
        ]
        interfaces = tuple(
            replace(i, tunnel=tunnels[i.name], point_to_point=True)
            if i.name in tunnels and i.tunnel is None
            else i
            for i in interfaces
        )
    return Device(
        name=name,
        interfaces=interfaces,
        statics=tuple(statics),
        profile=profile,
        forwarding=(
            default if forwarding[0] is None else forwarding[0],
            default if forwarding[1] is None else forwarding[1],
        ),
        forwarding_source=forwarding_source,
        role=final,
        hostname=named.hostname if named else None,
        hostname_source=named.hostname_source if named else None,
        unmodelled=tuple(unmodelled),
        gathered=gathered,
        main_file=configs[0].file if configs else (captures[0].file if captures else None),
        routing=_routing(configs),
        policy=_policy(configs),
        filters=tuple(chain for layer in layers for chain in layer.filters),
        reverse_path=tuple(item for capture in captures for item in capture.reverse_path),
        services=_services(captures),
        heard=tuple(item for capture in captures for item in capture.heard),
        resolved=tuple(item for capture in captures for item in capture.resolved),
        probes=tuple(item for capture in captures for item in capture.probes),
        read_at=next((c.read_at for c in captures if c.read_at), None),
    )


def _services(captures: list[CaptureDraft]) -> Services:
    """What all files of a device say of names and sockets."""
    held = [c.services for c in captures if c.services is not NO_SERVICES]
    return Services(
        next((s.sockets for s in held if s.sockets is not None), None),
        next((s.names for s in held if s.names is not None), None),
        next((s.resolvers for s in held if s.resolvers is not None), None),
        next((s.search for s in held if s.search), ()),
    )


def _routing(configs: list[ConfigDraft]) -> Routing:
    """What all files of a device configure: each of its daemons may have a file of its own."""
    if not any(c.routing.runs for c in configs):
        return NO_ROUTING
    return Routing(
        tuple(p for c in configs for p in c.routing.ospf),
        tuple(p for c in configs for p in c.routing.rip),
        tuple(p for c in configs for p in c.routing.eigrp),
        next((c.routing.bgp for c in configs if c.routing.bgp is not None), None),
    )


def _policy(configs: list[ConfigDraft]) -> Policy:
    """The lists and maps of all files; of two with one name, a protocol's own file wins."""
    if not any(c.routing.runs for c in configs):
        return NO_POLICY
    merged: dict[str, dict[Any, Any]] = {}
    for config in sorted(configs, key=lambda c: c.routing.runs):
        for item in fields(Policy):
            merged.setdefault(item.name, {}).update(getattr(config.policy, item.name))
    return Policy(**merged)


def _interfaces(
    device: str, configs: list[ConfigDraft], captures: list[CaptureDraft]
) -> tuple[Interface, ...]:
    configured: dict[str, InterfaceDraft] = {}
    for config in configs:
        for name, draft in config.interfaces.items():
            if name in configured:
                configured[name].addresses.extend(draft.addresses)
            else:
                configured[name] = draft
    captured: dict[str, InterfaceDraft] = {}
    for capture in captures:
        for name, draft in capture.interfaces.items():
            known = captured.setdefault(name, draft)
            if known is not draft:
                known.addresses = known.addresses or draft.addresses
                known.addresses_known |= draft.addresses_known
                known.mtu = known.mtu or draft.mtu
                known.mac = known.mac or draft.mac
                known.carrier = known.carrier if known.carrier is not None else draft.carrier
                known.enabled = known.enabled if known.enabled is not None else draft.enabled
                known.enabled_source = known.enabled_source or draft.enabled_source
                known.mtu_source = known.mtu_source or draft.mtu_source
                known.loopback |= draft.loopback
                known.point_to_point |= draft.point_to_point
                known.parent = known.parent or draft.parent
                known.tag = known.tag if known.tag is not None else draft.tag
                known.tag_source = known.tag_source or draft.tag_source
                known.master = known.master or draft.master
                known.filtering |= draft.filtering
                known.bridge |= draft.bridge
                known.blocked |= draft.blocked
                known.carried = known.carried or draft.carried
                if known.vlans_only:
                    known.order, known.source = draft.order, draft.source
                    known.vlans_only = draft.vlans_only
    # A text that gives addresses to links speaks for every interface it mentions;
    # one that only names protocols leaves the addresses to the system below.
    speaks = any(
        draft.addresses and not draft.loopback and name != "lo"
        for name, draft in configured.items()
    )
    out = []
    for name in dict.fromkeys([*captured, *configured]):
        out.append(_interface(device, name, configured.get(name), captured.get(name), speaks))
    out.sort(key=lambda i: (not i.loopback, i.order) if not captured else (False, i.order))
    return tuple(out)


def _interface(
    device: str,
    name: str,
    config: InterfaceDraft | None,
    live: InterfaceDraft | None,
    speaks: bool,
) -> Interface:
    addresses: list[AddressFact] = list(config.addresses) if config else []
    if live is not None and live.enabled is False and live.addresses_known:
        shown = {fact.address for fact in live.addresses}
        addresses = [replace(f, survives_shut=f.address in shown) for f in addresses]
    if live is not None:
        have = {fact.address for fact in addresses}
        for fact in live.addresses:
            link_local = fact.address.family == 6 and fact.address.is_link_local
            wanted = link_local or config is None or (not addresses and not speaks)
            if wanted and fact.address not in have:
                addresses.append(fact)
                have.add(fact.address)
    mac = (live.mac if live else None) or (config.mac if config else None)
    loopback = bool((config and config.loopback) or (live and live.loopback))
    base = config or live
    assert base is not None and base.source is not None
    has_link_local = any(
        fact.address.family == 6 and fact.address.is_link_local for fact in addresses
    )
    if mac and not has_link_local and not loopback and (live is None or not live.addresses):
        derived = eui64_link_local(mac)
        if derived is not None and any(f.address.family == 6 for f in addresses):
            source = base.source._replace(text=f"formed from the MAC address {mac}", default=True)
            addresses.append(AddressFact(InterfaceAddress(derived, 64), source, captured=True))
    enabled = (
        config.enabled
        if config and config.enabled is not None
        else (live.enabled if live and live.enabled is not None else True)
    )
    return Interface(
        name=name,
        addresses=tuple(addresses),
        enabled=enabled,
        enabled_source=(config.enabled_source if config else None)
        or (live.enabled_source if live else None),
        carrier=live.carrier if live else (config.carrier if config else None),
        captured_enabled=live.enabled if live else None,
        loopback=loopback,
        mtu=(config.mtu if config else None) or (live.mtu if live else None),
        mtu_source=(config.mtu_source if config else None) or (live.mtu_source if live else None),
        mac=mac,
        description=config.description if config else None,
        source=base.source,
        forwarding=(base.forwarding[0], base.forwarding[1]),
        forwarding_source=base.forwarding_source,
        order=live.order if live else (config.order if config else 0),
        vrf=config.vrf if config else None,
        ignores_carrier=bool(config and config.ignores_carrier),
        point_to_point=bool(live and live.point_to_point) or bool(config and config.tunnel),
        tunnel=config.tunnel if config else None,
        parent=(live.parent if live else None) or (config.parent if config else None),
        tag=live.tag if live and live.tag is not None else (config.tag if config else None),
        tag_source=(live.tag_source if live else None) or (config.tag_source if config else None),
        master=(live.master if live else None) or (config.master if config else None),
        blocked=bool(live and live.blocked),
        filtering=bool((live and live.filtering) or (config and config.filtering)),
        carried=tuple((live.carried if live else None) or (config.carried if config else ())),
        bandwidth=config.bandwidth if config else None,
        bandwidth_source=config.bandwidth_source if config else None,
    )
