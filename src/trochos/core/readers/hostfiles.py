"""Plain host files: kernel settings as `sysctl -a` prints them."""

from __future__ import annotations

import re

from ..network.facts import Source, Unmodelled
from .drafts import CaptureDraft
from .report import Ledger, split_lines

SYSCTL_KIND = "kernel settings"
_SYSCTL = re.compile(r"^([\w./-]+)\s*=\s*(.*)$")
_FORWARDING = {
    "net.ipv4.ip_forward": 0,
    "net.ipv4.conf.all.forwarding": 0,
    "net.ipv6.conf.all.forwarding": 1,
}
_RP_FILTER = re.compile(r"^net\.ipv4\.conf\.([^ ]+)\.rp_filter$")


def looks_like_sysctl(text: str) -> bool:
    lines = [line for line in split_lines(text)[:60] if line.strip() and line[0] != "#"]
    hits = sum(1 for line in lines if _SYSCTL.match(line.strip()) and "." in line.split("=")[0])
    return bool(lines) and hits * 2 > len(lines)


def read_sysctl(device: str, file: str, text: str) -> tuple[CaptureDraft, Ledger]:
    """Reads forwarding; reverse-path checks are reported, since they are not computed."""
    lines = split_lines(text)
    ledger = Ledger(device, file, SYSCTL_KIND, lines)
    draft = CaptureDraft(file)
    for number, line in enumerate(lines, 1):
        match = _SYSCTL.match(line.strip())
        if match is None:
            if line.strip() and not line.strip().startswith("#"):
                ledger.unknown(number, False)
            else:
                ledger.irrelevant(number)
            continue
        key, value = match.group(1).replace("/", "."), match.group(2).strip()
        if key in _FORWARDING and value in ("0", "1"):
            draft.forwarding[_FORWARDING[key]] = value == "1"
            draft.forwarding_source = Source(device, file, number, line.strip())
            ledger.understood(number)
            continue
        rp_filter = _RP_FILTER.match(key)
        if rp_filter is not None and value == "1":
            why = "reverse-path checks are not computed"
            ledger.unknown(number, True, why)
            name = rp_filter.group(1)
            draft.unmodelled_if_router.append(
                Unmodelled(
                    Source(device, file, number, line.strip()),
                    why,
                    4,
                    None if name in ("all", "default") else name,
                )
            )
            continue
        ledger.irrelevant(number)
    return draft, ledger
