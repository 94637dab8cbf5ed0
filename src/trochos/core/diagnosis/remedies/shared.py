"""Remedies of addresses that routers share: statements made to say what the other router says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ...change.braces import has_braces
from ...network.addressing import Address
from ...network.edits import Edit, Remedy, TextEdit
from ...network.facts import Device, StaticRoute
from ...network.mends import Restate
from ...network.shared import SharedGateway
from ...protocols import shared
from ...protocols.gates import NOTHING, Judged, Relation
from ...protocols.shared import SharedEnd
from . import shared_model
from .bench import Bench
from .sides import Ground, Side, with_bases

_FRR_WORDS = {
    "version": "version",
    "priority": "priority",
    "advert_int": "advertisement-interval",
}


def remedies(bench: Bench, relation: Relation) -> list[Remedy]:
    """Either router made to say what the other says; the one that fewer agree with first."""
    failing = [g for g in relation.gates if not g.holds and g.stops != NOTHING]
    sides: list[Side] = []
    for me, other in (relation.ends, relation.ends[::-1]):
        edits: list[Edit] = []
        words: list[str] = []
        for gate in failing:
            row = next(item for item in shared.GATES if item.name == gate.gate)
            mend = row.mend(me, other) if row.mend is not None else None
            made = restated(bench, me, mend) if isinstance(mend, Restate) else None
            if made is None or not isinstance(mend, Restate):
                edits = []
                break
            edits += made
            words.append(_words(gate.gate, mend, other))
        if edits:
            title = f"On {me.device.name}: {', '.join(words)}."
            grounds = _against(bench, failing, me, other)
            sides.append(Side(Remedy(title, tuple(edits)), grounds))
    sides.sort(key=lambda side: side.weight)
    told = with_bases(sides)
    return [told.get(side.remedy, side.remedy) for side in sides]


def _words(gate: str, mend: Restate, other: SharedEnd) -> str:
    """What a mend does, as it follows a device's name."""
    there = other.device.name
    match gate:
        case "link":
            return f"speak on {mend.value}"
        case "authentication" if not mend.value:
            return f"no password, as at {there}"
        case "authentication" | "addresses":
            return f"the {'password' if gate == 'authentication' else gate} of {there}"
        case _:
            return f"{gate} {mend.value}, as at {there}"


def _against(bench: Bench, failing: list[Judged], me: SharedEnd, other: SharedEnd) -> list[Ground]:
    """What speaks against changing this end: more of the network says what it says."""
    out: list[Ground] = []
    everyone = [part for device in bench.network.devices for part in device.shared]
    for gate in failing:
        if gate.gate == "addresses":
            wanted = _gateways(bench)
            mine, theirs = ({v.address for v, _ in end.part.addresses} for end in (me, other))
            named = sum(wanted[a] for a in mine - theirs)
            says = f"{named} lines of the network name what {me.device.name} shares as gateway."
            out.append(Ground(named - sum(wanted[a] for a in theirs - mine), says))
        elif gate.gate in ("version", "interval", "authentication"):
            pick = {"version": "version", "interval": "interval", "authentication": "secret"}
            counts = Counter(getattr(part, pick[gate.gate]) for part in everyone)
            alike = counts[getattr(me.part, pick[gate.gate])]
            says = (
                f"{alike} of {len(everyone)} ends in this network say what {me.device.name} says."
            )
            out.append(Ground(alike - counts[getattr(other.part, pick[gate.gate])], says))
    return out


def _gateways(bench: Bench) -> Counter[Address]:
    """How many lines name an address as gateway."""
    return Counter(
        route.gateway
        for device in bench.network.devices
        for route in device.statics
        if route.gateway is not None
    )


def restated(bench: Bench, end: SharedEnd, mend: Restate) -> Sequence[Edit] | None:
    """The edits of a text in which a statement says something else; None if it cannot."""
    part, device = end.part, end.device.name
    file = part.source.file
    text = bench.survey.text(device, file)
    if text is None:
        return None
    if has_braces(text):
        return _in_braces(device, part, mend)
    if part.source.path is not None:
        return shared_model.restated(bench, device, part, mend)
    word = _FRR_WORDS.get(mend.what)
    if word is None:
        return None
    value = f"{float(mend.value) * 1000:g}" if mend.what == "advert_int" else mend.value
    line = part.line(word)
    removed = (line.text,) if line is not None else ()
    added = (f"vrrp {part.router_id} {word} {value}",)
    return [TextEdit(device, file, (f"interface {part.interface}",), removed, added)]


def _in_braces(device: str, part: SharedGateway, mend: Restate) -> list[TextEdit]:
    file, block = part.source.file, (part.source.text.rstrip("{ \t"),)
    line = part.line(mend.what)
    removed = (line.text,) if line is not None else ()
    if mend.what == "auth_pass":
        if not mend.value:
            return [TextEdit(device, file, block, ("authentication",), ())]
        added = (*(() if line is not None else ("auth_type PASS",)), f"auth_pass {mend.value}")
        return [TextEdit(device, file, (*block, "authentication"), removed, added)]
    if mend.what == "virtual_ipaddress":
        wanted = dict.fromkeys(mend.value.split())
        gone = tuple(s.text for value, s in part.addresses if str(value) not in wanted)
        there = {str(value) for value, _ in part.addresses}
        come = tuple(f"{value} dev {part.place}" for value in wanted if value not in there)
        edits = [TextEdit(device, file, (*block, "virtual_ipaddress"), (), come)] if come else []
        if gone:
            edits.append(TextEdit(device, file, (*block, "virtual_ipaddress"), gone, ()))
        return edits
    return [TextEdit(device, file, block, removed, (f"{mend.what} {mend.value}",))]


def take_over(bench: Bench, spare: SharedEnd, missing: SharedEnd) -> list[Remedy]:
    """A router that shares the addresses which another one beside it cannot hold."""
    wanted = " ".join(str(value) for value, _ in missing.part.addresses)
    edits = restated(bench, spare, Restate("virtual_ipaddress", wanted))
    title = f"On {spare.device.name}: the addresses of {missing.device.name}."
    return [Remedy(title, tuple(edits))] if edits else []


def prefer(bench: Bench, end: SharedEnd) -> list[Remedy]:
    """A router that is to hold the address whenever it can."""
    higher = min(254, end.part.priority + 20)
    edits = restated(bench, end, Restate("priority", str(higher)))
    if not edits or higher == end.part.priority:
        return []
    address = end.part.addresses[0][0].address
    title = f"On {end.device.name}: priority {higher}, so that it holds {address}."
    return [Remedy(title, tuple(edits))]


def look_at(
    bench: Bench, device: str, part: SharedGateway, spare: SharedGateway, dead: tuple[str, ...]
) -> list[Remedy]:
    """A holder that gives its addresses up when its way out is down."""
    text = bench.survey.text(device, part.source.file)
    in_data = part.source.path is not None
    if text is None or not dead or not (in_data or has_braces(text)):
        return []
    less = part.priority - spare.priority + 10
    usual = [-t.weight for t in (*spare.tracked, *part.tracked) if -t.weight >= less]
    weight = usual[0] if usual else less
    title = f"On {device}: look at {' and '.join(dead)} while holding {part.addresses[0][0]}."
    if in_data:
        return [Remedy(title, tuple(shared_model.looked_at(device, part, dead, weight)))]
    block = (part.source.text.rstrip("{ \t"), "track_interface")
    lines = tuple(f"{name} weight -{weight}" for name in dead)
    return [Remedy(title, (TextEdit(device, part.source.file, block, (), lines),))]


def use(bench: Bench, host: Device, route: StaticRoute, address: Address) -> list[Remedy]:
    """A host that has the shared address as gateway."""
    edits = bench.writer(host.name).move_static(route, address)
    if edits is None:
        return []
    return [Remedy(f"On {host.name}: use the shared address {address} as gateway.", edits)]
