"""What somebody saw: the output of ping, traceroute, tracepath and mtr, as it was copied.

The text may come out of a mail or a terminal: quoted, with prompts, cut short, with names instead
of addresses, with several answers at one hop. What no rule understands is kept and shown. Forms as
printed by iputils, by the traceroute of Linux distributions, by inetutils, BusyBox and the BSDs,
and by mtr 0.9x (JSON and report).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from ..network.addressing import Address, parse_address
from ..network.facts import ProbeFact, Source
from .drafts import CaptureDraft
from .report import Ledger

KIND = "what somebody saw"
_IP = r"(?:(?:\d{1,3}\.){3}\d{1,3}|[0-9a-fA-F]{0,4}:[0-9a-fA-F:.]+(?:%[\w.-]+)?)"
_NAME = r"[A-Za-z0-9_](?:[\w.-]*\w)?"
_PROMPT = re.compile(
    r"^(?P<before>[^\s#$%>]{0,80}(?:\s[^#$%>]{0,80})?)[#$%>]\s+(?:sudo\s+)?"
    r"(?P<command>(?:ping6?|traceroute6?|tracepath6?|mtr)\b.*)$"
)
_EMPTY_PROMPT = re.compile(r"^(?:\[?[\w.-]+@[\w.-]+\S*(?: \S+\])?|\S{0,20})[#$%]\s*$")
_COMMAND = re.compile(r"^(?:sudo\s+)?(?:ping6?|traceroute6?|tracepath6?|mtr)(?:\s+\S+)+$")
_QUOTED = re.compile(r"^(?:\s*[>|]\s?)+")
_PING = re.compile(
    rf"^PING (?P<name>[^\s(]+)\s*\((?:(?P<inner>[^\s()]+) \()?(?P<target>{_IP})\)?\)"
    rf"(?:[:,]?\s+from (?P<source>{_IP})(?: \S+)?\s*:?)?:?\s*(?P<size>\d+)?"
    r"(?:\(\d+\))?(?: data bytes| bytes of data|\b)"
)
_PING6 = re.compile(rf"^PING6\(.*\) (?P<source>{_IP}) --> (?P<target>{_IP})")
_REPLY = re.compile(r"^\d+ bytes from (?P<who>.+?):? (?:icmp_)?seq[=:]?\s*\d+")
_FROM = re.compile(
    rf"^(?:\d+ bytes )?[Ff]rom (?P<name>{_IP}|[^\s:(]+)(?: \((?P<address>{_IP})\))?:?"
    r"(?: icmp_seq[=:]\s*\d+)? (?P<what>(?:Destination|Time|Packet|Frag|Redirect|Source|Parameter"
    r"|Dest|No route|Address|Communication)\b.*)$"
)
_COUNTED = re.compile(r"^(\d+) packets transmitted, (\d+)(?: packets)? received")
_NOT_SENT = re.compile(
    r"^(?:ping6?|connect|traceroute6?|tracepath6?|mtr|send(?:to|msg))\b.*"
    r"(?:unreachable|no route to host|message too long|network is down|permission denied"
    r"|not permitted|cannot assign|unknown host|not known|failure in name|name resolution)",
    re.I,
)
_PING_ASIDE = re.compile(
    r"^(?:--- .* ---|rtt min/avg|round-trip min/avg|pipe \d+$|no answer yet for icmp_seq"
    r"|Request timeout for icmp_seq|ping: Warning|\^C|WARNING: )"
)
_TRACE = re.compile(
    rf"^traceroute6? to (?P<name>\S+) \((?P<target>{_IP})\)(?:,? from (?P<source>{_IP}))?[,:]?"
)
_HOP = re.compile(r"^\s{0,4}(?P<hop>\d{1,3})(?P<sep>\??:\s*|\s*\.\|--\s*|\s+)(?P<rest>\S.*)$")
_PATH_END = re.compile(r"^\s*(?:Resume: pmtu (?P<mtu>\d+).*|Too many hops:.*)$")
_TOKEN = re.compile(
    rf"(?P<name>{_NAME}) \((?P<address>{_IP})\)|\((?P<alone>{_IP})\)|(?P<bare>{_IP})(?![\w.:])"
    r"|(?P<star>\*)|(?P<flag>![A-Z0-9<>]*)|(?P<time>\d+(?:\.\d+)?\s*ms)"
    r"|(?P<aside>\[[^\]]*\]|<[^>]*>)"
)
_MTR_HEAD = re.compile(r"^(?:HOST|Start):\s*(?P<host>\S+)")
_REFUSED = {
    "!H": "host unreachable",
    "!N": "network unreachable",
    "!P": "protocol unreachable",
    "!X": "refused by a filter",
    "!A": "refused by a filter",
    "!C": "refused by a filter",
    "!F": "a packet too big",
}


@dataclass(slots=True)
class Seen:
    """One output, understood.

    `hops`: who answered at each hop, as addresses or, where none was printed, names; an empty
    hop is one at which nobody did. None if it traces nothing.
    """

    tool: str
    target: Address | None = None
    name: str | None = None
    """What was asked for, as it was typed."""
    source: Address | None = None
    sender: str | None = None
    """The machine it was asked on, if a prompt or a head names it."""
    size: int = 0
    sent: int = 0
    received: int = 0
    says: str | None = None
    """What somebody on the way answered instead, or why nothing was sent."""
    hops: tuple[tuple[str, ...], ...] | None = None
    mtu: int | None = None
    """The smallest MTU of the way, if the tool says."""
    line: int = 1
    last: int = 1

    @property
    def reached(self) -> bool:
        return self.received > 0


@dataclass(slots=True)
class Pasted:
    """Every output in a text, and the lines that no rule understood."""

    seen: list[Seen] = field(default_factory=list)
    understood: set[int] = field(default_factory=set)
    unread: list[tuple[int, str]] = field(default_factory=list)


def read_pasted(text: str) -> Pasted:
    """Reads one or several outputs out of a text; what is between them is shown as not read."""
    stripped = text.strip()
    if stripped.startswith("{"):
        found = _mtr_json(stripped)
        if found is not None:
            lines = len(text.splitlines())
            found.last = lines
            return Pasted([found], set(range(1, lines + 1)))
    return _Reader(text).read()


class _Reader:
    def __init__(self, text: str) -> None:
        self.lines = [_QUOTED.sub("", line).rstrip() for line in text.splitlines()]
        self.out = Pasted()
        self.now: Seen | None = None
        self.hops: list[list[str]] = []
        self.flags: list[str] = []
        self.counted = False
        self.asked: str | None = None

    def read(self) -> Pasted:
        for number, line in enumerate(self.lines, 1):
            if not line.strip():
                self.out.understood.add(number)
            elif self._line(number, line):
                self.out.understood.add(number)
                if self.now is not None:
                    self.now.last = number
            else:
                self.out.unread.append((number, line.strip()))
        self._close()
        return self.out

    def _line(self, number: int, line: str) -> bool:
        if self._opens(number, line):
            return True
        prompt = _PROMPT.match(line)
        if prompt is not None or _COMMAND.match(line.strip()):
            self._close()
            self.asked = _host_of(prompt["before"]) if prompt is not None else None
            return True
        return (
            bool(_EMPTY_PROMPT.match(line))
            or (self.now is not None and self._goes_on(self.now, line))
            or self._not_sent(number, line)
        )

    def _open(self, number: int, seen: Seen) -> bool:
        self._close()
        seen.line = number
        seen.sender = seen.sender or self.asked
        self.asked = None
        self.now, self.hops, self.flags, self.counted = seen, [], [], False
        return True

    def _opens(self, number: int, line: str) -> bool:
        match = _PING.match(line)
        if match is not None:
            target = parse_address(match["target"].partition("%")[0])
            source = parse_address(match["source"]) if match["source"] else None
            header = 48 if target is not None and target.family == 6 else 28
            size = int(match["size"]) + header if match["size"] else 0
            seen = Seen(
                "ping", target, match["name"], source, size=0 if size in (84, 104) else size
            )
            return self._open(number, seen)
        match = _PING6.match(line)
        if match is not None:
            ends = (parse_address(match["target"]), parse_address(match["source"]))
            return self._open(number, Seen("ping", ends[0], str(ends[0]), ends[1]))
        match = _TRACE.match(line)
        if match is not None:
            source = parse_address(match["source"]) if match["source"] else None
            target = parse_address(match["target"].partition("%")[0])
            return self._open(number, Seen("traceroute", target, match["name"], source))
        match = _MTR_HEAD.match(line)
        if match is not None:
            if line.startswith("Start"):
                return True
            return self._open(number, Seen("mtr", sender=match["host"]))
        if re.match(r"^\s*1\?:\s+\[LOCALHOST\]", line):
            return self._open(number, Seen("tracepath", mtu=_pmtu(line)))
        first = _HOP.match(line)
        if self.now is None and first is not None and first["hop"] == "1":
            if not _answers(first["rest"])[2]:
                return False
            tool = "tracepath" if ":" in first["sep"] else "traceroute"
            tool = "mtr" if "|--" in first["sep"] else tool
            self._open(number, Seen(tool))
            return self._goes_on(self.now, line) if self.now is not None else False
        return False

    def _not_sent(self, number: int, line: str) -> bool:
        if not _NOT_SENT.match(line.strip()):
            return False
        if self.now is None:
            self._open(number, Seen(line.split(":")[0].strip().rstrip("6") or "ping"))
        assert self.now is not None
        self.now.says = self.now.says or line.strip().partition(": ")[2] or line.strip()
        return True

    def _goes_on(self, seen: Seen, line: str) -> bool:
        if seen.tool == "ping":
            return self._ping_line(seen, line)
        end = _PATH_END.match(line)
        if end is not None:
            seen.mtu = int(end["mtu"]) if end["mtu"] else seen.mtu
            return True
        return self._hop_line(seen, line)

    def _ping_line(self, seen: Seen, line: str) -> bool:
        counted = _COUNTED.match(line)
        if counted is not None:
            seen.sent, seen.received = int(counted[1]), min(int(counted[2]), int(counted[1]))
            self.counted = True
            return True
        told = _FROM.match(line)
        if told is not None:
            who = told["address"] or told["name"]
            seen.says = seen.says or f"{who} answered: {told['what'].strip()[:80]}"
            seen.sent += not self.counted
            return True
        if _REPLY.match(line):
            if not self.counted:
                seen.sent, seen.received = seen.sent + 1, seen.received + 1
            return True
        if line.startswith(("no answer yet", "Request timeout")) and not self.counted:
            seen.sent += 1
        if line.startswith("---"):
            # The sums follow; without them the lines were counted.
            return True
        return bool(_PING_ASIDE.match(line)) or self._local_error(seen, line)

    def _local_error(self, seen: Seen, line: str) -> bool:
        match = re.match(r"^ping6?: (?:local error|sendmsg|sendto): (.*)$", line)
        if match is None:
            return False
        seen.says = seen.says or match[1].strip()
        seen.sent += not self.counted
        return True

    def _hop_line(self, seen: Seen, line: str) -> bool:
        match = _HOP.match(line)
        if match is None:
            # Further answers of the hop above stand on lines of their own.
            if not self.hops or not re.match(r"^\s{3,}\S", line):
                return False
            who, flags, understood = _answers(line.strip())
            if not understood:
                return False
            self.hops[-1] += [w for w in who if w not in self.hops[-1]]
            self.flags += flags
            return True
        hop = int(match["hop"])
        if "?" in match["sep"]:
            seen.mtu = _pmtu(line) or seen.mtu
            return "LOCALHOST" in line
        if hop < len(self.hops) or hop > len(self.hops) + 30 or hop == 0:
            return False
        rest = match["rest"]
        who, flags, understood = (
            _mtr_host(rest) if "|--" in match["sep"]
            else _path_host(rest) if ":" in match["sep"]
            else _answers(rest)
        )  # fmt: skip
        if not understood:
            return False
        while len(self.hops) < hop:
            self.hops.append([])
        self.hops[-1] += [w for w in who if w not in self.hops[-1]]
        self.flags += flags
        if seen.tool == "tracepath":
            seen.mtu = _pmtu(line) or seen.mtu
        return True

    def _close(self) -> None:
        seen = self.now
        self.now = None
        if seen is None:
            return
        if seen.tool != "ping":
            _traced(seen, self.hops, self.flags)
        self.out.seen.append(seen)


def _traced(seen: Seen, hops: list[list[str]], flags: list[str]) -> None:
    """What a trace says of its target: reached if it answered last, and without a complaint."""
    while hops and not hops[-1]:
        hops.pop()
    seen.hops = tuple(tuple(hop) for hop in hops)
    last = hops[-1] if hops else []
    refused = [flag for flag in flags if flag not in ("reached", "!")]
    goal = {str(seen.target)} if seen.target is not None else set()
    goal |= {seen.name} if seen.name else set()
    reached = "reached" in flags or (bool(goal & set(last)) and not refused)
    seen.sent, seen.received = 1, int(reached)
    if refused and not reached:
        what = _REFUSED.get(refused[-1][:2], refused[-1])
        seen.says = f"{last[-1] if last else 'somebody'} answered: {what}"
    if "reached" in flags and seen.target is None and last:
        seen.target = parse_address(last[-1])
        seen.name = last[-1]


def _answers(text: str) -> tuple[list[str], list[str], bool]:
    """(who answered, flags, whether all of it was understood) of a hop's line of traceroute."""
    who: list[str] = []
    flags: list[str] = []
    at = 0
    something = False
    for match in _TOKEN.finditer(text):
        if text[at : match.start()].strip():
            # A name without its address stands before a time.
            word = text[at : match.start()].strip()
            if not re.fullmatch(_NAME, word) or match["time"] is None:
                return [], [], False
            who.append(word)
        at = match.end()
        found = match["address"] or match["alone"] or match["bare"]
        if found:
            who.append(found.partition("%")[0])
        if match["flag"]:
            flags.append(match["flag"])
        something = something or bool(found or match["star"] or match["time"])
    if text[at:].strip() or not something:
        return [], [], False
    return list(dict.fromkeys(_plain(w) for w in who)), flags, True


def _path_host(text: str) -> tuple[list[str], list[str], bool]:
    """The same of a hop's line of tracepath."""
    if text.startswith("no reply"):
        return [], [], True
    match = re.match(rf"^(?P<name>\S+)(?:\s+\((?P<address>{_IP})\))?(?P<rest>(?:\s+.*)?)$", text)
    if match is None or not re.search(r"\d ?ms|pmtu|reached|asymm|!", match["rest"]):
        return [], [], False
    flags = re.findall(r"![A-Z]\S*", match["rest"])
    if "reached" in match["rest"]:
        flags.append("reached")
    return [_plain(match["address"] or match["name"])], flags, True


def _mtr_host(text: str) -> tuple[list[str], list[str], bool]:
    """The same of a hop's line of mtr's report."""
    match = re.match(rf"^(?:AS\S+\s+)?(?P<name>\S+)(?:\s+\((?P<address>{_IP})\))?\s+[\d.]+%?", text)
    if match is None:
        return [], [], False
    if match["name"] == "???":
        return [], [], True
    return [_plain(match["address"] or match["name"])], [], True


def _mtr_json(text: str) -> Seen | None:
    """The JSON of mtr: one report with its hubs."""
    try:
        document: Any = json.loads(text)
    except (ValueError, RecursionError):
        return None
    report = document.get("report") if isinstance(document, dict) else None
    if not isinstance(report, dict) or not isinstance(report.get("hubs"), list):
        return None
    told = report.get("mtr")
    head: dict[str, Any] = told if isinstance(told, dict) else {}
    name = str(head.get("dst") or "") or None
    seen = Seen("mtr", parse_address(name or ""), name, sender=str(head.get("src") or "") or None)
    hops: list[list[str]] = []
    for hub in report["hubs"]:
        host = str(hub.get("host") or "???") if isinstance(hub, dict) else "???"
        inner = re.search(rf"\(({_IP})\)", host)
        word = inner.group(1) if inner else host.split()[0] if host.split() else "???"
        hops.append([] if word == "???" else [_plain(word)])
    _traced(seen, hops, [])
    if seen.target is None and hops and hops[-1] and name is not None:
        # Asked by name: whoever answered at the end, if it is called so.
        seen.received = int(hops[-1][-1] == name or not report["hubs"][-1].get("Loss%", 100) >= 100)
        seen.target = parse_address(hops[-1][-1])
    return seen


def _plain(who: str) -> str:
    """An address as everything here writes it; a name as it stands."""
    address = parse_address(who.partition("%")[0])
    return str(address) if address is not None else who


def _pmtu(line: str) -> int | None:
    match = re.search(r"\bpmtu (\d+)", line)
    return int(match[1]) if match else None


def _host_of(prompt: str) -> str | None:
    """The machine that a prompt names: `ann@desk:~`, `[ann@desk ~]`, `desk`."""
    match = re.search(rf"(?:@|^\[?)(?P<host>{_NAME})(?:[:\s~\]]|$)", prompt.strip())
    return match["host"] if match else None


# -- as a file of a survey ------------------------------------------------------------------------


def looks_like(text: str) -> bool:
    """True for a text in which one of the tools is at work on its first lines."""
    head = "\n".join(text.lstrip().splitlines()[:6])
    if not re.search(r"^(?:\S.*[#$%>] )?\W*(?:PING|traceroute6?|tracepath6?|mtr|ping6?)\b|LOCALHOST"
                     r"|^HOST: |^Start: |^\s*1[: ]\s*\S", head, re.M):  # fmt: skip
        return False
    return any(seen.hops or seen.sent or seen.says for seen in read_pasted(text).seen)


def looks_like_data(text: str) -> bool:
    """True for mtr's JSON."""
    return '"hubs"' in text and _mtr_json(text.strip()) is not None


def read(device: str, file: str, text: str, ledger: Ledger) -> CaptureDraft:
    """Reads a file as probes of the device in whose folder it lies."""
    draft = CaptureDraft(file)
    found = read_pasted(text)
    for number in found.understood:
        ledger.understood(number)
    for number, _ in found.unread:
        ledger.unknown(number, False)
    lines = text.splitlines()
    for seen in found.seen:
        if seen.target is None:
            continue
        line = Source(device, file, seen.line, lines[seen.line - 1].strip()[:200])
        draft.probes.append(fact_of(seen, line))
    return draft


def fact_of(seen: Seen, line: Source) -> ProbeFact:
    """What somebody saw, as a fact about the device it was seen on."""
    assert seen.target is not None
    return ProbeFact(
        seen.target, seen.source, seen.size, False, seen.sent, seen.received, seen.says,
        seen.hops, None, line,
    )  # fmt: skip


def outputs(found: Pasted) -> Iterator[Seen]:
    """The outputs that say something."""
    return (seen for seen in found.seen if seen.hops or seen.sent or seen.says)
