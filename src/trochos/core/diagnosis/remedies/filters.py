"""Remedies of filters, reverse-path checks and names."""

from __future__ import annotations

from ...change.data import plain
from ...change.paths import at_path
from ...forwarding.endpoints import main_address
from ...network.addressing import Address, Prefix
from ...network.edits import DataEdit, Edit, Remedy, TextEdit
from ...network.facts import Source
from ...network.filters import TERMINAL, Chain, Entry, HostName
from ...readers.located import parse_data
from ...step.filters import Decision, Flow
from .bench import Bench

_NFT = "/nftables/"
_ACL = "/ietf-access-control-list:acls/acl"


def unblock(
    bench: Bench, device: str, decision: Decision, flow: Flow, source: Prefix, target: Address
) -> list[Remedy]:
    """What lets this traffic through: it alone first, then the entry away as a whole."""
    chain = next((c for c in bench.devices[device].filters if c.name == decision.chain), None)
    if chain is None or decision.entry is None:
        return []
    entry = next((e for e in chain.entries if e.source == decision.entry), None)
    if entry is not None and entry.chain:
        return []  # it was decided further down, where a person has to look
    out: list[Remedy] = []
    path = decision.entry.path or ""
    what = f"{flow.protocol}{f' {flow.port}' if flow.port else ''} from {source} to {target}"
    if path.startswith(_NFT):
        edits = _nft(bench, device, chain, entry, flow, source, target)
        if edits:
            out.append(Remedy(f"On {device}: let {what} through in {chain.name}.", edits))
    if entry is not None and entry.matches and path.startswith((_NFT, _ACL)):
        place = path.removesuffix("/rule")
        gone = DataEdit(device, decision.entry.file, place, None, None)
        out.append(Remedy(f"On {device}: take the entry out of {chain.name}.", (gone,)))
    return out


def _nft(
    bench: Bench,
    device: str,
    chain: Chain,
    entry: Entry | None,
    flow: Flow,
    source: Prefix,
    target: Address,
) -> tuple[Edit, ...]:
    """A permission at the end of a chain, or in the place of a closing entry that moves behind."""
    listed = [e for e in chain.entries if (e.source.path or "").startswith(_NFT)]
    file = (entry or chain).source.file
    text = bench.survey.text(device, file) or ""
    total = _length(bench, device, file)
    family, table, name = chain.name.split("/", 2)
    if not text or total is None:
        return ()
    side = "ip" if target.family == 4 else "ip6"
    expr: list[dict[str, object]] = []
    if flow.is_reply:
        state = {"set": ["established", "related"]}
        expr.append(_match({"ct": {"key": "state"}}, state, "in"))
    else:
        net = {"prefix": {"addr": str(source).split("/")[0], "len": source.length}}
        expr.append(_match({"payload": {"protocol": side, "field": "saddr"}}, net))
        expr.append(_match({"payload": {"protocol": side, "field": "daddr"}}, str(target)))
        if flow.protocol in ("tcp", "udp") and flow.port is not None:
            port = {"payload": {"protocol": flow.protocol, "field": "dport"}}
            expr.append(_match(port, flow.port))
        else:
            expr.append(_match({"meta": {"key": "l4proto"}}, flow.word(target.family)))
    expr.append({"accept": None})
    rule = {"rule": {"family": family, "table": table, "chain": name, "expr": expr}}
    if entry is None:
        return (DataEdit(device, file, f"{_NFT}{total}", None, rule),)
    if entry.matches or entry.verdict not in TERMINAL or entry is not listed[-1]:
        return ()
    place = (entry.source.path or "").removesuffix("/rule")
    old = _at(bench, device, file, place)
    if old is None:
        return ()
    return (
        DataEdit(device, file, place, None, rule),
        DataEdit(device, file, f"{_NFT}{total}", None, old),
    )


def _match(left: object, right: object, operator: str = "==") -> dict[str, object]:
    return {"match": {"op": operator, "left": left, "right": right}}


def _length(bench: Bench, device: str, file: str) -> int | None:
    whole = _at(bench, device, file, "/nftables")
    return len(whole) if isinstance(whole, list) else None


def _at(bench: Bench, device: str, file: str, path: str) -> object:
    node = at_path(parse_data(bench.survey.text(device, file) or "null"), path)
    return None if node is None else plain(node)


def unchecked(device: str, line: Source) -> list[Remedy]:
    """A reverse-path check that asks only whether there is a way back at all (RFC 3704, 2.4)."""
    key, _, _ = line.text.partition("=")
    loose = TextEdit(device, line.file, (), (line.text,), (f"{key.strip()} = 2",))
    off = TextEdit(device, line.file, (), (line.text,), (f"{key.strip()} = 0",))
    return [
        Remedy(f"On {device}: check loosely ({key.strip()} = 2).", (loose,)),
        Remedy(f"On {device}: do not check ({key.strip()} = 0).", (off,)),
    ]


def right_name(bench: Bench, device: str, item: HostName, meant: str | None) -> list[Remedy]:
    """The address of the device that a name means."""
    facts = bench.devices.get(meant or "")
    family = 6 if ":" in item.address else 4
    address = main_address(facts, family) if facts is not None else None
    if address is None:
        return []
    line = item.source.text.replace(item.address, str(address), 1)
    edit = TextEdit(device, item.source.file, (), (item.source.text,), (line,))
    return [Remedy(f"On {device}: let {item.name} stand for {address}.", (edit,))]


def right_resolver(bench: Bench, device: str, text: str, line: Source) -> list[Remedy]:
    """The resolver that most others ask."""
    asked: dict[str, int] = {}
    for other in bench.network.devices:
        for address, _ in other.services.resolvers or ():
            if address != text:
                asked[address] = asked.get(address, 0) + 1
    out = []
    for address in sorted(asked, key=lambda a: -asked[a])[:2]:
        edit = TextEdit(device, line.file, (), (line.text,), (f"nameserver {address}",))
        out.append(Remedy(f"On {device}: ask {address} for names.", (edit,)))
    return out
