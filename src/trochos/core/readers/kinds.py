"""The table of kinds of files: for each kind of file, what recognises it and what reads it.

A file's content decides, never its name. Rows are asked from the top, and the first that
recognises a file reads it, so a row stands above another whose signs its files may also show. A new
kind of file is a module that reads it and a row here; docs/manual/files.md lists them
(docs/manual/make.py), and tests/core/test_kinds_of_files.py reads one of each.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from dataclasses import dataclass

from ..network.facts import Source, Unmodelled
from . import (
    gathering,
    hostfiles,
    iproute,
    keepalived,
    limits,
    namespaces,
    nftables,
    pasted,
    probes,
    reports,
    snmp,
    stored,
    wiring,
)
from .collected import ROLES, About, Collected, File
from .drafts import CaptureDraft, ConfigDraft
from .frr import known as frr_known
from .frr import tables as frr_tables
from .frr import text as frr_text
from .located_json import UNDERSTOOD, Document, Node
from .openconfig import data as openconfig
from .report import Ledger
from .whole import EARLY, data_ends_early, text_ends_early, unread_from
from .yang import data as yang
from .yang import state as yang_state

EXPECTATIONS = "expectations"
ABOUT = "survey.json"
NAMED_SO = ("expectations.yaml", "expectations.yml")
"""Who names a file so means it so, even if it is no list: what is wrong with it is told then."""
_SURVEY, _DEVICE = "survey", "device"


@dataclass(frozen=True, slots=True)
class Reader:
    """A kind of file.

    `kind` is what the reading page calls it, and `sign` says in words what it is recognised by.
    `read` puts what the file says into what is collected, and gives every line a fate. `where` is
    "device" for what only a device's file can be, "survey" for what only a file beside the devices
    can be, and "" else. `of_survey` files say something of the whole survey wherever they lie.
    `late` ones are read after the device's other files, since these change what they say.
    """

    kind: str
    sign: str
    recognises: Callable[[File], bool]
    read: Callable[[File, Collected, str], None]
    where: str = ""
    of_survey: bool = False
    late: bool = False

    def takes(self, file: File) -> bool:
        """True if this is what reads the file."""
        if self.where and (self.where == _DEVICE) != bool(file.device):
            return False
        return self.recognises(file)


# -- what recognises ---------------------------------------------------------------------


def _text(looks_like: Callable[[str], bool]) -> Callable[[File], bool]:
    return lambda file: not file.is_data and looks_like(file.text)


def _data(looks_like: Callable[[Node], bool]) -> Callable[[File], bool]:
    return lambda file: file.root is not None and looks_like(file.root)


def _list(*names: str) -> Callable[[File], bool]:
    return lambda file: file.listed in names


_ABOUT = frozenset(("title", "taken_at", "network", "expected", "roles"))
_ENTRY = re.compile(r"^[ \t]*(?:-[ \t]+)?(?:from|to)[ \t]*:", re.M)


def _is_about(root: Node) -> bool:
    return not _ABOUT.isdisjoint(root.members())


def is_expectations(text: str) -> bool:
    """A list in YAML whose entries say `from` or `to`, below comments and a document's start."""
    said = (line for line in text.split("\n") if line.strip() and line.lstrip()[0] not in "#%")
    first = next((line.strip() for line in said if line.rstrip() != "---"), "")
    return (first == "-" or first[:2] == "- ") and _ENTRY.search(text) is not None


# -- what reads --------------------------------------------------------------------------


def _capture(
    read: Callable[[str, str, Document], CaptureDraft], matters: bool = False
) -> Callable[[File, Collected, str], None]:
    """For data that a device showed; `matters` is the judgement for what nobody understood."""

    def reads(file: File, into: Collected, kind: str) -> None:
        ledger = Ledger(file.device, file.name, kind, file.lines)
        draft = read(file.device, file.name, file.document)
        ledger.settle_json(file.document.root, matters)
        into.capture(file.device, draft, ledger)

    return reads


def _captured_text(
    read: Callable[[str, str, str], tuple[CaptureDraft, Ledger]],
) -> Callable[[File, Collected, str], None]:
    return lambda file, into, kind: into.capture(
        file.device, *read(file.device, file.name, file.text)
    )


def _not_kept(file: File, into: Collected, kind: str) -> None:
    held = unread_from(file.text)
    assert held is not None
    into.unreadable(file.device, file.name, *held)


def _empty(file: File, into: Collected, kind: str) -> None:
    into.done(Ledger(file.device or None, file.name, kind, file.lines))


def _damaged(file: File, into: Collected, kind: str) -> None:
    error = file.damage
    assert error is not None
    ledger = Ledger(file.device or None, file.name, f"damaged {file.encoding}", file.lines)
    ledger.note = f"Line {error.line}: {error}. The file was left aside."
    ledger.unknown(error.line, True, str(error))
    if file.device:
        into.draft(file.device).unread_files += 1
        early = data_ends_early(file.text, error)
        why = EARLY if early else "the file is damaged"
        place = Source(file.device, file.name, error.line, file.line(error.line))
        into.cut(place, ledger if early else None, why)
    into.done(ledger, matters=True)


def _pasted(file: File, into: Collected, kind: str) -> None:
    ledger = Ledger(file.device, file.name, kind, file.lines)
    into.capture(file.device, pasted.read(file.device, file.name, file.text, ledger), ledger)


def _wiring(file: File, into: Collected, kind: str) -> None:
    into.wirings.append(wiring.read(file.document, file.name))
    _settled(file, into, Ledger(None, file.name, kind, file.lines))


def _settled(file: File, into: Collected, ledger: Ledger, matters: bool = False) -> None:
    ledger.settle_json(file.document.root, matters)
    into.done(ledger)


def _about(file: File, into: Collected, kind: str) -> None:
    root = file.document.root
    expected = (item.value for item in root.items("expected"))
    roles = root.get("roles")
    given = {n: str(node.value) for n, node in roles.members().items()} if roles else {}
    said = About(
        root.text("title"),
        root.text("taken_at"),
        root.text("network"),
        tuple(value for value in expected if isinstance(value, str) and value),
        {node: role for node, role in given.items() if role in ROLES},
    )
    root.seen = UNDERSTOOD
    root.use(*_ABOUT)
    ledger = Ledger(None, file.name, kind, file.lines)
    odd = sorted(set(given) - set(said.roles))
    if odd:
        ledger.note = f"{odd[0]} cannot be {given[odd[0]]!r}: a role is one of {', '.join(ROLES)}."
    # The one that is named so is the one in which a person's choices are written.
    if into.about_file is None or file.name == ABOUT:
        into.about, into.about_file = said, file.name
    else:
        ledger.note = f"{into.about_file} says it already, so this was left aside."
    _settled(file, into, ledger)


def _set_aside(file: File, into: Collected, kind: str) -> None:
    """For text that is known, and says nothing that is computed with."""
    ledger = Ledger(file.device or None, file.name, kind, file.lines)
    for number in range(1, len(file.lines) + 1):
        ledger.irrelevant(number)
    into.draft(file.device)
    into.done(ledger)


def _reported(file: File, into: Collected, kind: str) -> None:
    file.document.root.ignore_all()
    if file.device:
        into.draft(file.device)
    _settled(file, into, Ledger(file.device or None, file.name, kind, file.lines))


def _gathering(file: File, into: Collected, kind: str) -> None:
    ledger = Ledger(file.device, file.name, kind, file.lines)
    capture, ledger.note = gathering.read(file.device, file.name, file.document)
    if capture.unmodelled or capture.read_at:
        into.draft(file.device).captures.append(capture)
    into.draft(file.device).unread_files += ledger.note is not None
    _settled(file, into, ledger)


def _part(file: File, into: Collected, kind: str) -> None:
    """Also what the running device shows: these models keep both in one tree."""
    ledger = Ledger(file.device, file.name, kind, file.lines)
    into.draft(file.device).parts[file.name] = (file.document, ledger)


def _startup(file: File, into: Collected, kind: str) -> None:
    ledger = Ledger(file.device, file.name, kind, file.lines)
    into.draft(file.device).startup = (file.name, file.document)
    file.document.root.use_all()
    _settled(file, into, ledger)


def _yang(file: File, into: Collected, kind: str) -> None:
    ledger, root = Ledger(file.device, file.name, kind, file.lines), file.document.root
    draft = into.draft(file.device)
    config = yang.read(file.device, file.name, file.document)
    if config.filters and not (config.interfaces or config.routes):
        # Access lists alone do not make the file the device's configuration.
        draft.captures.append(CaptureDraft(file.name, filters=config.filters))
    else:
        draft.configs.append(config)
        draft.data[file.name] = file.document
    tables = CaptureDraft(file.name)
    if (routing := root.peek("ietf-routing:routing")) is not None:
        yang_state.tables(tables, routing)
    if tables.gathered:
        draft.captures.append(tables)
    ledger.note = _other_name("data", config, file.device)
    _settled(file, into, ledger, matters=True)


def _other_name(what: str, config: ConfigDraft, device: str) -> str | None:
    if not config.hostname or config.hostname == device:
        return None
    return f"The {what} calls itself {config.hostname}; the device is listed as {device}."


def _frr(file: File, into: Collected, kind: str) -> None:
    config, ledger = frr_text.read(file.device, file.name, file.text)
    into.draft(file.device).configs.append(config)
    early = text_ends_early(file.text)
    if early is not None:
        into.cut(Source(file.device, file.name, early, file.line(early)), ledger)
    else:
        ledger.note = _other_name("text", config, file.device)
    into.done(ledger)


def _links(file: File, into: Collected, kind: str) -> None:
    """Of ports of which a list of tunnels tells, only that one is asked."""
    held = into.drafts.get(file.device)
    tunnels: Collection[str] = {n for c in held.captures for n in c.tunnels} if held else ()
    ledger = Ledger(file.device, file.name, kind, file.lines)
    draft = iproute.read_links(file.device, file.name, file.document, tunnels)
    ledger.settle_json(file.document.root, True)
    into.capture(file.device, draft, ledger)


def _nothing(file: File, into: Collected, kind: str) -> None:
    """For an empty list, which says nothing, but was gathered of its device."""
    file.document.root.ignore_all()
    if not file.loose:
        into.draft(file.device)
    _settled(file, into, Ledger(file.device, file.name, kind, file.lines))


def _limited(file: File, into: Collected, kind: str) -> None:
    """A feature that is recognised and not computed."""
    found = limits.of_text(file.text)
    assert found is not None
    limit, number = found
    ledger = Ledger(file.device, file.name, limit.name, file.lines)
    ledger.unknown(number, True, limit.why)
    for other in range(1, len(file.lines) + 1):
        ledger.irrelevant(other)
    ledger.note = f"This is {limit.name}: {limit.why}."
    source = Source(file.device, file.name, number, file.line(number))
    item = Unmodelled(source, limit.why, touches=limit.touches)
    into.capture(file.device, CaptureDraft(file.name, unmodelled=[item]), ledger)


def _unknown_data(file: File, into: Collected, kind: str) -> None:
    ledger = Ledger(file.device or None, file.name, f"{file.encoding} that is {kind}", file.lines)
    if file.device:
        into.draft(file.device).unread_files += 1
    _settled(file, into, ledger)


def _unknown_text(file: File, into: Collected, kind: str) -> None:
    ledger = Ledger(file.device or None, file.name, kind, file.lines)
    ledger.note = "Nothing here reads this kind of file, so it was left aside."
    into.draft(file.device).unread_files += 1
    into.done(ledger)


# -- the table ---------------------------------------------------------------------------

READERS = (
    Reader(
        "not text",
        "bytes that are no text, or what stands for them where a survey was stored",
        lambda file: unread_from(file.text) is not None,
        _not_kept,
    ),
    Reader("empty file", "nothing but white space", lambda file: not file.text.strip(), _empty),
    Reader(
        "damaged data",
        "begins as JSON or XML do, and is neither",
        lambda file: file.damage is not None,
        _damaged,
    ),
    # Of data
    Reader(
        pasted.KIND,
        "the JSON of a trace with its hubs",
        lambda file: file.root is not None and pasted.looks_like_data(file.text),
        _pasted,
        where=_DEVICE,
    ),
    Reader(
        wiring.KIND,
        "`ietf-network:networks` (RFC 8345)",
        _data(wiring.looks_like),
        _wiring,
        of_survey=True,
    ),
    Reader(
        "title and time of the survey",
        "an object beside the devices' folders with a title, a time, a network, or nodes",
        _data(_is_about),
        _about,
        where=_SURVEY,
        of_survey=True,
    ),
    Reader(
        gathering.KIND,
        "`trochos-gathering:device`",
        _data(gathering.looks_like),
        _gathering,
    ),
    Reader(
        openconfig.KIND,
        "members of OpenConfig's modules, also as answers of gNMI",
        _data(lambda root: openconfig.looks_like(root) and not stored.is_startup(root)),
        _part,
        where=_DEVICE,
    ),
    Reader(
        probes.KIND,
        "`trochos-probes:probes`",
        _data(probes.looks_like),
        _capture(probes.read),
    ),
    Reader(
        yang_state.KIND,
        "an instance data set (RFC 9195) of the operational datastore",
        _data(yang_state.looks_like),
        _capture(yang_state.read),
    ),
    Reader(
        stored.KIND,
        "an instance data set (RFC 9195) of the startup datastore",
        _data(stored.is_startup),
        _startup,
    ),
    Reader(
        yang.KIND,
        "members of the standard modules (RFC 7951, RFC 9195), as JSON or XML",
        _data(yang.looks_like),
        _yang,
    ),
    Reader(
        nftables.KIND,
        "an object `nftables`",
        _data(nftables.looks_like),
        _capture(nftables.read, True),
    ),
    Reader(
        hostfiles.SYSCTL_KIND,
        "an object of `net.`, `kernel.`, `vm.` and `fs.` settings",
        _data(hostfiles.looks_like_settings),
        _capture(hostfiles.read_settings),
    ),
    Reader(
        namespaces.KIND,
        "an object of instances, each with `netns` and `interfaces`",
        _data(namespaces.looks_like),
        _capture(namespaces.read),
    ),
    Reader(
        frr_tables.KIND,
        "an object whose members are prefixes",
        _data(frr_tables.looks_like),
        _capture(frr_tables.read),
    ),
    Reader(
        iproute.KINDS["addr"],
        "a list whose entries have `ifname` and `addr_info`",
        _list("addr"),
        _links,
        late=True,
    ),
    Reader(
        iproute.KINDS["link"],
        "a list whose entries have `ifname` and `flags`",
        _list("link"),
        _links,
        late=True,
    ),
    Reader(
        iproute.KINDS["route"],
        "a list whose entries have `dst`",
        _list("route"),
        _capture(iproute.read_routes, True),
    ),
    Reader(
        iproute.KINDS["neigh"],
        "a list whose entries have `dst` and `lladdr`, or a state",
        _list("neigh"),
        _capture(iproute.read_neighbours),
    ),
    Reader(
        iproute.KINDS["rule"],
        "a list whose entries have `priority` and `table`",
        _list("rule"),
        _capture(iproute.read_rules),
    ),
    Reader(
        iproute.KINDS["vlan"],
        "a list whose entries have `ifname` and `vlans`",
        _list("vlan"),
        _capture(iproute.read_vlans, True),
    ),
    Reader(
        iproute.KINDS["tunnel"],
        "a list whose entries have `ifname`, `mode` and ends",
        _list("tunnel"),
        _capture(iproute.read_tunnels, True),
    ),
    Reader(iproute.KINDS["empty"], "`[]`", _list("empty"), _nothing),
    Reader(
        reports.KIND,
        "JSON of a routing daemon about itself",
        _data(reports.looks_like_json),
        _reported,
    ),
    Reader(
        "an empty object",
        "`{}`",
        _data(lambda root: isinstance(root.value, dict) and not root.value),
        _reported,
    ),
    Reader(
        "not recognised",
        "any other JSON or XML",
        lambda file: file.root is not None,
        _unknown_data,
    ),
    # Of text
    Reader(
        EXPECTATIONS,
        "a list in YAML beside the devices' folders, whose entries say `from` and `to`",
        _text(is_expectations),
        _set_aside,
        where=_SURVEY,
        of_survey=True,
    ),
    Reader(
        keepalived.KIND,
        "`vrrp_instance`, `vrrp_sync_group` or `virtual_server` and a name",
        _text(keepalived.looks_like),
        _captured_text(keepalived.read),
        where=_DEVICE,
    ),
    Reader(
        "a feature that is not computed",
        "the lines of the features in [limits](limits.md)",
        _text(lambda text: limits.of_text(text) is not None),
        _limited,
        where=_DEVICE,
    ),
    Reader(
        frr_text.KIND,
        "its first words (`frr version`, `router ospf`, ...), also abbreviated",
        _text(frr_known.looks_like),
        _frr,
    ),
    Reader(
        snmp.KIND,
        "an object identifier and a value on nearly every line",
        _text(snmp.looks_like),
        _captured_text(snmp.read),
    ),
    Reader(
        hostfiles.SYSCTL_KIND,
        "a dotted name, `=` and a value on most lines",
        _text(hostfiles.looks_like_sysctl),
        _captured_text(hostfiles.read_sysctl),
    ),
    Reader(
        hostfiles.RESOLVERS_KIND,
        "`nameserver`, and only words of resolv.conf",
        _text(hostfiles.looks_like_resolvers),
        _captured_text(hostfiles.read_resolvers),
    ),
    Reader(
        hostfiles.SOCKETS_KIND,
        "the columns of `ss -tuln`",
        _text(hostfiles.looks_like_sockets),
        _captured_text(hostfiles.read_sockets),
    ),
    Reader(
        hostfiles.HOSTS_KIND,
        "an address and names on every line",
        _text(hostfiles.looks_like_hosts),
        _captured_text(hostfiles.read_hosts),
        where=_DEVICE,
    ),
    Reader(
        pasted.KIND,
        "what `ping`, `traceroute`, `tracepath` or `mtr` print",
        _text(pasted.looks_like),
        _pasted,
    ),
    Reader(
        reports.KIND,
        "the headings of a routing daemon's own lists",
        _text(reports.looks_like_text),
        _set_aside,
    ),
    Reader("not recognised", "any other text", lambda file: True, _unknown_text),
)


def reader_of(file: File) -> Reader:
    """The row that reads a file; the last one takes any."""
    return next(row for row in READERS if row.takes(file))
