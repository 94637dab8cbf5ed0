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
from ..network.facts import LINKS, Device, Network, Source, Unmodelled, Unstored
from ..network.guard import guarded
from ..network.quiet import without_collecting
from ..network.source import HIDDEN, numbers_in
from . import captured, stored, wiring
from .collected import ROLES, About, Collected, File, Parser
from .drafts import CaptureDraft, ConfigDraft, DeviceDrafts
from .frr import known as frr_known
from .instances import ends_apart, set_apart, with_leaks
from .kinds import ABOUT, EXPECTATIONS, NAMED_SO, Reader, reader_of
from .located import parse_data
from .masking import mask
from .merging import merged_device
from .openconfig import data as openconfig
from .parsed import parsed_again
from .report import FileReport, Ledger

OF_THE_SURVEY = (ABOUT, "topology.json", *NAMED_SO)
"""Names that the contract keeps for files that are no device's."""
__all__ = ["ROLES", "About", "ReadingStopped", "Survey", "places", "read_again", "read_survey"]

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
    about: About = field(default_factory=About)

    def text(self, device: str, file: str) -> str | None:
        return self.files.get(device, {}).get(file)

    @property
    def expectations(self) -> str | None:
        """The text of the list of expectations that lies in the survey, if one does."""
        held = self.files.get("", {})
        known = [r.file for r in self.reading if r.device is None and r.kind == EXPECTATIONS]
        return next((held[name] for name in (*NAMED_SO, *known) if name in held), None)


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
    with without_collecting(), parsed_again.lent() as parser:
        again = _Survey(b"", parser)
        for device, files in changed.items():
            for name, text in sorted(files.items()):
                again.file(device, name, text)
            again.late_ones()
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


class _Survey(Collected):
    def __init__(
        self,
        key: bytes,
        parser: Parser = lambda device, name, text: parse_data(text),
    ) -> None:
        super().__init__()
        self.key = key
        self.parser = parser
        self.keys_hidden = False
        self.keys: set[str] = set()
        self.waiting: list[tuple[File, Reader]] = []

    def read(
        self, files: Mapping[str, bytes], watch: Callable[[int, int, str], bool] | None = None
    ) -> Survey:
        files = _without_common_folder(files)
        flat: list[tuple[str, str]] = []
        foldered = any(path.startswith("devices/") and path.count("/") > 1 for path in files)
        now = ""
        for number, path in enumerate(sorted(files)):
            if watch is not None and not watch(number, len(files), path):
                raise ReadingStopped
            # Who named a file may have written a secret into its name.
            folder, slash, name = path.rpartition("/")
            path, data = folder + slash + mask(name, self.key), files[path]
            parts = path.split("/")
            at = 1 if parts[0] == "devices" else 0
            device = parts[at] if len(parts) > at + 1 else ""
            if device != now:
                self.late_ones()
                now = device
            text = self.decode(device, "/".join(parts[at + 1 :]) if device else path, data)
            if text is None:
                continue
            if device:
                self.file(device, "/".join(parts[at + 1 :]), text)
            elif foldered and at == 0:
                self.file("", path, text)  # beside the devices' folders: of none of them
            else:
                flat.append((path, text))
        self.late_ones()
        self.flat(flat)
        self.late_ones()
        return self.finish()

    def decode(self, device: str, name: str, data: bytes) -> str | None:
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

    # -- which device a file belongs to ------------------------------------------

    def flat(self, files: list[tuple[str, str]]) -> None:
        """Files in no folder: whose each is, its text says, or that of another of the same name,
        or its name."""
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
            self.file(named.get(stem, stem), name, text, loose=True)

    # -- what a file is -----------------------------------------------------------

    def file(self, device: str, name: str, text: str, loose: bool = False) -> None:
        """Reads one file of a device; one that breaks its reader is a damaged one."""
        guarded(
            f"reading {device}/{name}",
            lambda: self.read_file(device, name, text, loose),
            lambda error: self.broke(device, name, text, error),
        )

    def read_file(self, device: str, name: str, text: str, loose: bool) -> None:
        file = File(device, name, text, self.parser, loose)
        row = reader_of(file)
        if loose and not row.of_survey:
            # Nothing but its name says that it is a device's.
            beside = file.beside()
            of_all = reader_of(beside)
            file, row = (beside, of_all) if of_all.of_survey else (file, row)
        self.keep("" if row.of_survey else device, name, text)
        if row.late:
            self.waiting.append((file, row))
        else:
            row.read(file, self, row.kind)

    def late_ones(self) -> None:
        """Reads what waited for the other files of its device."""
        waiting, self.waiting = self.waiting, []
        for file, row in waiting:
            guarded(
                f"reading {file.device}/{file.name}",
                partial(row.read, file, self, row.kind),
                partial(self.broke, file.device, file.name, file.text),
            )

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
        self.about = before.about
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
        roles |= self.about.roles
        out = {}
        for name, drafts in list(self.drafts.items()):
            out[name] = guarded(
                f"putting {name} together",
                partial(self.device, name, drafts, roles.get(name)),
                partial(self.no_device, name),
            )
        return out

    def device(self, name: str, drafts: DeviceDrafts, role: str | None) -> Device:
        # In the order of their files, whichever had to be read first.
        drafts.captures.sort(key=lambda capture: capture.file)
        self.parts(name, drafts)
        unstored = self.stored_apart(name, drafts)
        merged = merged_device(name, drafts, role)
        return replace(merged, unstored=unstored) if unstored else merged

    def no_device(self, name: str, error: str) -> Device:
        """A device whose files contradict each other in a way that nobody foresaw."""
        ledger = Ledger(name, "", "damaged device", ["(not shown)"])
        ledger.note = f"Putting its files together broke something here ({error}): it is not read."
        ledger.unknown(1, True, ledger.note, "(not shown)")
        self.done(ledger, matters=True)
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
            self.done(ledger)
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
        known = {*self.about.expected, *(h.system for d in devices.values() for h in d.heard)}
        known |= {name.partition(".")[0] for name in known}
        roles = self.about.roles
        segments, unread = wiring.segments_from_wiring(heard or drawing, devices, roles, known)
        if heard is not None:
            segments = [replace(s, reason=wiring.BY_LLDP, inferred=True) for s in segments]
            unread = [*unread, *wiring.segments_from_wiring(drawing, devices, roles, known)[1]]
        absent = {*self.about.expected, *(n for n, role in roles.items() if role != "lan")}
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
            self.about.title,
            self.about.taken_at,
            cables,
            tuple(drawing.planned),
            self.keys_hidden,
        )
        self.reports.sort(key=lambda r: (r.device or "", r.file))
        return Survey(network, tuple(self.reports), self.texts, drawing, self.about)


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
