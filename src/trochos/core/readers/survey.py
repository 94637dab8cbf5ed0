"""A survey's files -> a network and a reading report.

Files are grouped by device, each is recognised by its content, read by the module for
its format, and what the files of one device say is merged: configuration wins over
captures, captures fill in what configuration cannot say.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial

from ..network.fabric import Fabric
from ..network.facts import (
    LINKS,
    Device,
    Network,
    Source,
    Unmodelled,
    Unstored,
)
from ..network.guard import guarded
from ..network.quiet import without_collecting
from ..network.source import HIDDEN, numbers_in
from . import (
    captured,
    gathering,
    hostfiles,
    keepalived,
    limits,
    pasted,
    probes,
    reports,
    snmp,
    stored,
    wiring,
)
from .drafts import CaptureDraft, ConfigDraft, DeviceDrafts
from .frr import known as frr_known
from .frr import text as frr_text
from .instances import ends_apart, set_apart, with_leaks
from .located import DataError, parse_data
from .located_json import UNDERSTOOD, Document, Node
from .located_xml import looks_like as is_xml
from .masking import mask
from .merging import merged_device
from .openconfig import data as openconfig
from .parsed import parsed_again
from .report import FileReport, Ledger, split_lines
from .whole import EARLY, data_ends_early, placeholder, text_ends_early, unread_from
from .yang import data as yang
from .yang import state as yang_state

_SUFFIX = re.compile(
    r"[-_. ](?:ip-?)?(?:addr(?:ess)?|route6?|routes|link|neigh|frr|conf|config|running|sysctl"
    r"|tunnels?|vlan|bridge-vlan|ip-link|yang|data|hosts(?:file)?|resolv|nft|filters?|acls?|ss|sockets)$",
    re.I,
)


@dataclass(frozen=True, slots=True)
class About:
    """What `survey.json` says of a survey: when and of which network it was taken, and what a
    person decided about its nodes (role: `lan`, `router`, `host`, `switch`)."""

    title: str | None = None
    taken_at: str | None = None
    network: str | None = None
    expected: tuple[str, ...] = ()
    roles: Mapping[str, str] = field(default_factory=dict)


OF_THE_SURVEY = ("survey.json", "topology.json", "expectations.yaml", "expectations.yml")
ROLES = ("lan", "router", "host", "switch")
"""What a person can say that a node is."""


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
    about: About = field(default_factory=About)

    def text(self, device: str, file: str) -> str | None:
        return self.files.get(device, {}).get(file)


def read_survey(
    files: Mapping[str, bytes],
    key: bytes,
    watch: Callable[[int, int, str], bool] | None = None,
) -> Survey:
    """Reads a whole survey.

    Args:
        files: path -> content, paths relative to the survey's folder.
        key: the key under which secrets become fingerprints.
        watch: called with (read, of, path) before each file; False ends the reading.

    Raises:
        ReadingStopped: whoever watches wants no more of it.
    """
    with without_collecting():
        return _Survey(key).read(files, watch)


def read_again(survey: Survey, changed: Mapping[str, Mapping[str, str]]) -> Survey:
    """The survey with other texts for some devices: only these are read again.

    Args:
        changed: device -> all its files, as masked text.
    """
    with without_collecting():
        again = _Survey(b"", parsed_again)
        for device, files in changed.items():
            for name, text in sorted(files.items(), key=lambda f: ("tunnel" not in f[0], f)):
                again.file(device, name, text)
        kept = {d.name: d for d in survey.network.devices if d.chassis not in changed}
        reports = [report for report in survey.reading if report.device not in changed]
        return again.assemble(survey, kept, reports)


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


class ReadingStopped(Exception):
    """Somebody ended the reading of a survey; nothing of it is kept."""


class _Survey:
    def __init__(
        self,
        key: bytes,
        parser: Callable[[str, str, str], Node] = lambda device, name, text: parse_data(text),
    ) -> None:
        self.key = key
        self.parse = parser
        self.keys_hidden = False
        self.keys: set[str] = set()
        self.reports: list[FileReport] = []
        self.drafts: dict[str, DeviceDrafts] = {}
        self.texts: dict[str, dict[str, str]] = {}
        self.wirings: list[wiring.Wiring] = []
        self.said = About()

    def read(
        self, files: Mapping[str, bytes], watch: Callable[[int, int, str], bool] | None = None
    ) -> Survey:
        files = _without_common_folder(files)
        flat: list[tuple[str, str]] = []
        foldered = any(path.startswith("devices/") and path.count("/") > 1 for path in files)
        # Tunnels first: what lists them says what the links that follow are.
        ordered = sorted(files, key=lambda p: ("tunnel" not in p.rpartition("/")[2], p))
        for number, path in enumerate(ordered):
            if watch is not None and not watch(number, len(ordered), path):
                raise ReadingStopped
            # Who named a file may have written a secret into its name.
            folder, slash, name = path.rpartition("/")
            path, data = folder + slash + mask(name, self.key), files[path]
            parts = path.split("/")
            text = self.decode(path, parts, data)
            if text is None:
                continue
            if len(parts) == 1 and foldered and parts[0] not in OF_THE_SURVEY:
                self.file("", path, text)  # beside the devices' folders: of none of them
            elif len(parts) == 1 or (parts[0] == "devices" and len(parts) == 2):
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
            note = "The file is binary, so nothing was read."
            digest = hashlib.sha256(data).hexdigest()
            self.unreadable(device, name, "not text", note, len(data), digest)
            return None
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        self.keys_hidden = self.keys_hidden or HIDDEN in text or "&lt;secret&gt;" in text
        masked = mask(text, self.key)
        if "secret:" in masked:
            # Marks under another key came masked, from another installation or of before.
            self.keys |= numbers_in(masked.replace("&lt;", "<").replace("&gt;", ">"))
            self.keys_hidden = self.keys_hidden or len(self.keys) > 1
        return masked

    def unreadable(
        self, device: str | None, name: str, kind: str, note: str, size: int, digest: str
    ) -> None:
        """A file that cannot be shown: what was sent is told by a placeholder, so that the survey
        is the same one, and says the same, whenever it is read again."""
        self.keep(device or "", name, placeholder(kind, note, size, digest))
        report = Ledger(device, name, kind, ["(not shown)"])
        report.unknown(1, False, note, "(not shown)")
        report.note = note
        self.reports.append(report.report())
        if device is not None:
            self.drafts.setdefault(device, DeviceDrafts()).unread_files += 1

    # -- which device a file belongs to ------------------------------------------

    def flat(self, files: list[tuple[str, str]]) -> None:
        named: dict[str, str] = {}
        rest: list[tuple[str, str]] = []
        for path, text in files:
            name = path.rpartition("/")[2]
            if name in OF_THE_SURVEY:
                self.file("", name, text)
                continue
            hostname = re.search(r"^hostname (\S+)\s*$", text, re.M) or re.search(
                r'"hostname"\s*:\s*"([^"]+)"', text
            )
            if hostname is not None and (frr_known.looks_like(text) or text.lstrip()[:1] == "{"):
                named[_stem(name)] = hostname.group(1)
                self.file(hostname.group(1), name, text)
            else:
                rest.append((name, text))
        for name, text in rest:
            stem = _stem(name)
            self.file(named.get(stem, stem), name, text, flat=True)

    # -- what a file is -----------------------------------------------------------

    def file(self, device: str, name: str, text: str, flat: bool = False) -> None:
        """Reads one file of a device; one that breaks its reader is a damaged one."""
        guarded(
            f"reading {device}/{name}",
            lambda: self.read_file(device, name, text, flat),
            lambda error: self.broke(device, name, text, error),
        )

    def broke(self, device: str, name: str, text: str, error: str) -> None:
        self.keep(device, name, text)
        lines = split_lines(text)
        ledger = Ledger(device or None, name, "damaged file", lines)
        ledger.note = f"Reading it broke something here ({error}), so it was left aside."
        ledger.unknown(1, True, ledger.note)
        if device:
            self.draft(device).unread_files += 1
            why = f"reading it broke something here ({error})"
            self.cut(device, name, 1, lines[0].strip() if lines else "", None, why)
        self.done(ledger, device, matters=True)

    def read_file(self, device: str, name: str, text: str, flat: bool) -> None:
        placed = unread_from(text)
        if placed is not None:
            self.unreadable(device or None, name, *placed)
            return
        lines = split_lines(text)
        stripped = text.lstrip()
        if not stripped:
            self.keep(device, name, text)
            self.done(Ledger(device or None, name, "empty file", lines), device)
            return
        headed = re.match(r"\[[A-Z][A-Za-z]*\]", stripped)  # a section's head, no JSON
        if (stripped[0] in "{[" and headed is None) or is_xml(text):
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
        limit = limits.of_text(text) if device else None
        if device and keepalived.looks_like(text):
            self.capture(device, keepalived.read(device, name, text))
        elif limit is not None:
            self.limited(device, name, lines, *limit)
        elif frr_known.looks_like(text):
            config, ledger = frr_text.read(device, name, text)
            self.draft(device).configs.append(config)
            early = text_ends_early(text)
            if early is not None:
                self.cut(device, name, early, lines[early - 1].strip(), ledger)
            elif config.hostname and config.hostname != device:
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
        elif pasted.looks_like(text):
            ledger = Ledger(device, name, pasted.KIND, lines)
            self.draft(device).captures.append(pasted.read(device, name, text, ledger))
            self.done(ledger, device)
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

    def limited(
        self, device: str, name: str, lines: list[str], limit: limits.Limit, number: int
    ) -> None:
        """A file of a feature that is recognised and not computed."""
        ledger = Ledger(device, name, limit.name, lines)
        ledger.unknown(number, True, limit.why)
        for other in range(1, len(lines) + 1):
            ledger.irrelevant(other)
        ledger.note = f"This is {limit.name}: {limit.why}."
        source = Source(device, name, number, lines[number - 1].strip())
        item = Unmodelled(source, limit.why, touches=limit.touches)
        self.draft(device).captures.append(CaptureDraft(name, unmodelled=[item]))
        self.done(ledger, device)

    def cut(
        self,
        device: str,
        name: str,
        line: int,
        text: str,
        ledger: Ledger | None,
        why: str = EARLY,
    ) -> None:
        """A file of which a part is missing: what that was to say is not known."""
        if ledger is not None:
            ledger.note = f"{EARLY[:1].upper()}{EARLY[1:]}, at line {line}."
        place = Source(device, name, line, text)
        item = Unmodelled(place, f"{name}: {why}", told=True, touches=LINKS)
        draft = self.draft(device)
        draft.partly = draft.partly or place
        draft.captures.append(CaptureDraft(name, unmodelled=[item]))

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
                quoted = lines[error.line - 1].strip() if 0 < error.line <= len(lines) else ""
                early = data_ends_early(text, error)
                why = EARLY if early else "the file is damaged"
                self.cut(device, name, error.line, quoted, ledger if early else None, why)
            self.done(ledger, device, matters=True)
            return
        if device and pasted.looks_like_data(text):
            self.keep(device, name, text)
            ledger = Ledger(device, name, pasted.KIND, lines)
            self.draft(device).captures.append(pasted.read(device, name, text, ledger))
            self.done(ledger, device)
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
        if device and openconfig.looks_like(root) and not stored.is_startup(root):
            # Also what the running device shows: its models keep both in one tree.
            ledger = Ledger(device, name, openconfig.KIND, lines)
            self.draft(device).parts[name] = (document, ledger)
            return
        for shown in (probes, yang_state):
            if shown.looks_like(root):
                ledger = Ledger(device, name, shown.KIND, lines)
                self.draft(device).captures.append(shown.read(device, name, document))
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
        held = self.drafts.get(device)
        tunnels = {port for c in held.captures for port in c.tunnels} if held else ()
        told = captured.read(document, device, name, tunnels)
        if told is not None:
            ledger = Ledger(device, name, told.kind, lines)
            if told.capture is not None:
                self.draft(device).captures.append(told.capture)
            elif not flat:
                self.draft(device)
            ledger.settle_json(root, told.matters)
            self.done(ledger, device)
            return
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
        expected = (item.value for item in root.items("expected"))
        roles = root.get("roles")
        given = {n: str(node.value) for n, node in roles.members().items()} if roles else {}
        self.said = About(
            root.text("title"),
            root.text("taken_at"),
            root.text("network"),
            tuple(value for value in expected if isinstance(value, str) and value),
            {node: role for node, role in given.items() if role in ROLES},
        )
        root.seen = UNDERSTOOD
        root.use("title", "taken_at", "network", "expected", "roles")
        ledger = Ledger(None, name, "title and time of the survey", document.lines)
        odd = sorted(set(given) - set(self.said.roles))
        if odd:
            ledger.note = (
                f"{odd[0]} cannot be {given[odd[0]]!r}: a role is one of {', '.join(ROLES)}."
            )
        ledger.settle_json(root, False)
        self.keep("", name, document.text)
        self.done(ledger, "")

    def draft(self, device: str) -> DeviceDrafts:
        return self.drafts.setdefault(device, DeviceDrafts())

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
        self.said = before.about
        self.reports += reports
        self.texts = {**before.files, **self.texts}
        unread = {n for n, d in kept.items() if d.role == "unread" and not d.instance}
        drawn_only = unread - set(self.texts)
        devices = {n: d for n, d in kept.items() if n not in drawn_only}
        old = {device.name: device for device in before.network.devices}
        again = {
            name: captured.as_captured(device, old.get(name))
            for name, device in self.devices(before.drawing).items()
        }
        return self.join(before.drawing, {**devices, **again})

    def devices(self, drawing: wiring.Wiring) -> dict[str, Device]:
        roles = {node.name: node.role for node in drawing.nodes.values() if node.role}
        roles |= self.said.roles
        out = {}
        for name, drafts in list(self.drafts.items()):
            out[name] = guarded(
                f"putting {name} together",
                partial(self.device, name, drafts, roles.get(name)),
                partial(self.no_device, name),
            )
        return out

    def device(self, name: str, drafts: DeviceDrafts, role: str | None) -> Device:
        self.parts(name, drafts)
        unstored = self.stored_apart(name, drafts)
        merged = merged_device(name, drafts, role)
        return replace(merged, unstored=unstored) if unstored else merged

    def no_device(self, name: str, error: str) -> Device:
        """A device whose files contradict each other in a way that nobody foresaw."""
        ledger = Ledger(name, "", "damaged device", ["(not shown)"])
        ledger.note = f"Putting its files together broke something here ({error}): it is not read."
        ledger.unknown(1, True, ledger.note, "(not shown)")
        self.done(ledger, name, matters=True)
        return Device(name, role="unread")

    def parts(self, device: str, drafts: DeviceDrafts) -> None:
        """Reads what a device gave of OpenConfig, in as many files as there are."""
        if not drafts.parts:
            return
        read = openconfig.read(device, {name: held[0] for name, held in drafts.parts.items()})
        drafts.configs.append(read.config)
        drafts.captures.append(read.capture)
        if read.config.hostname and read.config.hostname != device:
            named = read.config.hostname
            drafts.parts[read.config.file][
                1
            ].note = f"The data calls itself {named}; the device is listed as {device}."
        for document, ledger in drafts.parts.values():
            ledger.settle_json(document.root)
            self.done(ledger, device)
        drafts.parts = {}
        if read.contradiction is not None:
            self.contradiction(device, drafts, *read.contradiction)

    def stored_apart(self, device: str, drafts: DeviceDrafts) -> Unstored | None:
        """Sets a stored configuration aside, so that only the running one is computed."""
        texts = self.texts.get(device, {})
        if drafts.startup is not None and len(drafts.data) == 1:
            return stored.of_data(device, next(iter(drafts.data.items())), drafts.startup)
        self.two_of_data(device, drafts)
        whole = [c for c in drafts.configs if stored.is_whole(texts.get(c.file, ""))]
        running = [c for c in whole if stored.is_printed(texts[c.file])]
        if len(whole) > 1 and (len(whole) != 2 or len(running) != 1):
            self.several_texts(device, drafts, whole)
            return None
        if len(whole) != 2:
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

    def several_texts(self, device: str, drafts: DeviceDrafts, whole: list[ConfigDraft]) -> None:
        """Several texts of one router that speak of the same things, and nothing says which one
        runs: one is computed, and unless they say the same, nothing about the router is certain.
        Files of single daemons speak of different things and belong together."""
        texts = self.texts[device]
        for number, other in enumerate(whole):
            first = next((c for c in whole[:number] if c.parts() & other.parts()), None)
            if first is None:
                continue
            drafts.configs.remove(other)
            pair = ((first.file, texts[first.file]), (other.file, texts[other.file]))
            if stored.of_text(device, *pair) is not None:
                self.contradiction(device, drafts, first.file, other.file)

    def two_of_data(self, device: str, drafts: DeviceDrafts) -> None:
        """Several documents that each hold the same module, with different content."""
        held: dict[str, str] = {}
        for file, document in drafts.data.items():
            for module, node in document.root.members().items():
                first = held.setdefault(module, file)
                if first == file:
                    continue
                before = drafts.data[first].root.members()[module]
                if before.plain() != node.plain():
                    self.contradiction(device, drafts, first, file)

    def contradiction(self, device: str, drafts: DeviceDrafts, first: str, other: str) -> None:
        why = f"{first} and {other} are both configurations of {device}, and differ"
        place = Source(device, other, 1, self.texts[device][other].split("\n", 1)[0].strip())
        drafts.partly = drafts.partly or place
        item = Unmodelled(place, why, told=True, touches=LINKS)
        drafts.captures.append(CaptureDraft(other, unmodelled=[item]))
        note = (
            f"{why}. Which one runs? Leave the other one out; nothing here is certain until then."
        )
        self.reports = [
            replace(r, note=note) if (r.device, r.file) == (device, other) else r
            for r in self.reports
        ]

    def join(self, drawing: wiring.Wiring, devices: dict[str, Device]) -> Survey:
        heard = wiring.from_heard(devices.values()) if not drawing.links else None
        known = {*self.said.expected, *(h.system for d in devices.values() for h in d.heard)}
        known |= {name.partition(".")[0] for name in known}
        roles = self.said.roles
        segments, unread = wiring.segments_from_wiring(heard or drawing, devices, roles, known)
        if heard is not None:
            segments = [replace(s, reason=wiring.BY_LLDP, inferred=True) for s in segments]
            unread = [*unread, *wiring.segments_from_wiring(drawing, devices, roles, known)[1]]
        absent = {*self.said.expected, *(n for n, role in roles.items() if role != "lan")}
        unread = [*unread, *sorted(absent - devices.keys() - set(unread))]
        taken = {end for segment in segments for end in segment.ends}
        if not drawing.links:
            segments += wiring.infer_segments(devices.values(), taken)
        for name in unread:
            devices[name] = Device(name, role="unread")
        devices = with_leaks(set_apart(devices))
        segments = ends_apart(segments, devices)
        fabric = Fabric(devices, segments)
        cables = tuple(segments) if fabric.switched else ()
        if cables:
            segments = fabric.segments()
        segments += wiring.tunnel_segments(devices.values())
        network = Network(
            tuple(devices[name] for name in sorted(devices)),
            tuple(segments),
            self.said.title,
            self.said.taken_at,
            cables,
            tuple(drawing.planned),
            self.keys_hidden,
        )
        self.reports.sort(key=lambda r: (r.device or "", r.file))
        return Survey(network, tuple(self.reports), self.texts, drawing, self.said)


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
