"""Answers as tables for people; the same documents that --json prints."""

from __future__ import annotations

import sys
import textwrap
from collections.abc import Iterable, Sequence
from typing import Any

from ..core.network.protocols import label
from ..core.step.verdicts import WORDS

_SEVERITY = {"breaks": "Breaks", "risks": "Risks", "notes": "Notes"}


def _out(text: str = "") -> None:
    sys.stdout.write(text + "\n")


def _grid(head: Sequence[str], rows: Iterable[Sequence[str]]) -> None:
    listed = [list(row) for row in rows]
    widths = [max(len(row[i]) for row in [list(head), *listed]) for i in range(len(head))]
    _out("  ".join(text.ljust(width) for text, width in zip(head, widths, strict=True)).rstrip())
    _out("  ".join("-" * width for width in widths))
    for row in listed:
        _out("  ".join(text.ljust(width) for text, width in zip(row, widths, strict=True)).rstrip())


def hop_text(hop: dict[str, Any]) -> str:
    if hop["action"] in ("discard", "reject"):
        return str(hop["action"])
    if hop["action"] == "deliver":
        return f"own address on {hop['interface']}"
    if hop["address"] is None:
        return f"on {hop['interface']}"
    return f"{hop['address']} on {hop['interface']}"


def route_text(route: dict[str, Any]) -> str:
    return " and ".join(hop_text(hop) for hop in route["next_hops"]) or "not usable"


def routes(document: dict[str, Any]) -> None:
    nodes = [
        (f"{device}/{instance}" if instance else device, tables)
        for device, held in document["devices"].items()
        for instance, tables in {"": held, **held.get("instances", {})}.items()
    ]
    for device, families in nodes:
        for family, shown in (("ipv4", "IPv4"), ("ipv6", "IPv6")):
            if not families.get(family):
                continue
            _out(f"{device}, {shown}")
            rows = []
            for route in families[family]:
                kind = route["protocol"] + (f", {route['type']}" if route["type"] else "")
                state = "" if route["selected"] else f"not used: {route['why'] or ''}"
                rows.append(
                    (
                        route["prefix"],
                        kind,
                        str(route["distance"]),
                        str(route["metric"]),
                        route_text(route),
                        state,
                    )
                )
            _grid(("prefix", "from", "distance", "metric", "next hop", ""), rows)
            _out()


def why(document: dict[str, Any]) -> None:
    for item in document["why"]:
        state = "has" if item["present"] else "does not have"
        _out(f"{item['device']} {state} {item['prefix']}")
        for number, step in enumerate(item["chain"], 1):
            lines = ", ".join(_place(e) for e in step["evidence"])
            _out(f"  {number}. {step['says']}" + (f"  [{lines}]" if lines else ""))
        _out()


def _place(evidence: dict[str, Any]) -> str:
    line = f" line {evidence['line']}" if evidence["line"] else ""
    return f"{evidence['device']}/{evidence['file']}{line}"


def path(document: dict[str, Any]) -> None:
    start, end = document["from"], document["to"]
    there = f" ({end['address']})" if end["address"] else ""
    _out(f"{start['device']} ({start['address']}) to {end['device'] or 'nobody surveyed'}{there}")
    _out(document["sentence"])
    for title, leg in (("Outbound", document["outbound"]), ("Return", document["return"])):
        _out()
        if leg is None:
            _out(f"{title}: nobody in the survey owns the target, so nobody replies.")
            continue
        branches = f", {leg['branch_count']} branches" if leg["branch_count"] > 1 else ""
        _out(f"{title}: {WORDS[leg['verdict']]}{branches}")
        for number, branch in enumerate(leg["branches"], 1):
            if leg["branch_count"] > 1:
                _out(f"  Branch {number}: {WORDS[branch['verdict']]}")
            rows = []
            for hop in branch["hops"]:
                route = hop["route"]
                matched = f"{route['prefix']} ({route['protocol']})" if route else "no match"
                rows.append(
                    (
                        f"  {hop['device']}",
                        hop["in"] or "-",
                        matched,
                        hop["out"] or "-",
                        hop["next_hop"] or "-",
                    )
                )
            _grid(("  device", "in", "route", "out", "next hop"), rows)
            _out(f"  {branch['reason']}")
    for caveat in document["caveats"]:
        _out(f"\nNot certain: {_place(caveat)}: {caveat['why']}")
    if "also" in document:
        _out(f"\nThe other address family ({document['also']['family']}):")
        path(document["also"])


def pairs(rows: list[dict[str, Any]]) -> None:
    words = {True: "works", False: "fails", "partly": "partly", None: "unknown"}
    _grid(
        ("from", "source", "to", "device", "", "outbound", "return"),
        [
            (
                row["from"],
                row["source"] or "-",
                row["to"],
                row["device"],
                words[row["ok"]],
                WORDS[row["outbound"]],
                WORDS[row["return"]] if row["return"] else "-",
            )
            for row in rows
        ],
    )


def count(rows: list[dict[str, Any]]) -> dict[str, Any]:
    """Counts of a narrowed list of pairs, in the shape of the whole summary."""
    ends: dict[str, int] = {}
    for row in rows:
        ends[row["outbound"]] = ends.get(row["outbound"], 0) + 1
    return {
        "pairs": len(rows),
        "ok": sum(row["ok"] is True for row in rows),
        "partly": sum(row["ok"] == "partly" for row in rows),
        "outbound": dict(sorted(ends.items())),
    }


def summary(document: dict[str, Any]) -> None:
    _out(f"{document['pairs']} pairs: {document['ok']} work, {document['partly']} partly")
    _grid(("outbound", "pairs"), [(WORDS[k], str(v)) for k, v in document["outbound"].items()])


def inspect(document: dict[str, Any]) -> None:
    if not document["findings"]:
        _out("Nothing found.")
    for finding in document["findings"]:
        _out(f"{_SEVERITY[finding['severity']]}: {finding['summary']}")
        for line in textwrap.wrap(finding["detail"], 92):
            _out(f"    {line}")
        for evidence in finding["evidence"]:
            _out(f"    {_place(evidence)}: {evidence['text']}")
        _out()
    _out("Reading")
    _grid(
        ("device", "file", "taken for", "lines", "understood", "irrelevant", "not understood"),
        [
            (
                r["device"] or "-",
                r["file"],
                r["kind"],
                str(r["lines"]),
                str(r["understood"]),
                str(r["irrelevant"]),
                str(len(r["unknown"])),
            )
            for r in document["reading"]
        ],
    )
    short = [(r, line) for r in document["reading"] for line in r.get("abbreviated", ())]
    if short:
        _out("\nLines whose keywords are abbreviated")
        for report, line in short[:200]:
            _out(
                f"  {report['device'] or '-'}/{report['file']} line {line['line']}: "
                f"{line['text']}  (read as {line['read_as'].strip()})"
            )
    open_lines = [
        (report, line)
        for report in document["reading"]
        for line in report["unknown"]
        if line["matters"]
    ]
    if open_lines:
        _out("\nLines that were not understood and could change an answer")
        for report, line in open_lines[:200]:
            why_text = f"  ({line['why']})" if line.get("why") else ""
            _out(
                f"  {report['device'] or '-'}/{report['file']} line {line['line']}: "
                f"{line['text']}{why_text}"
            )


def neighbours(document: dict[str, Any]) -> None:
    """Every pair on a line; under one that does not work, its gates."""
    if not document["pairs"]:
        _out("No routing protocol runs between these devices.")
        return
    for pair in document["pairs"]:
        left, right = pair["left"], pair["right"]
        name = label(pair["protocol"]) + (" (IPv6)" if pair["family"] == "ipv6" else "")
        state = "works" if pair["works"] else f"fails at: {pair['first_failing']}"
        _out(f"{name}: {_end(left)} and {_end(right)}: {state}")
        if pair["works"]:
            continue
        rows = [
            (
                "" if gate["holds"] else "differs",
                gate["gate"],
                gate["left"] or "",
                gate["right"] or "",
                "" if gate["holds"] else gate["stops"],
            )
            for gate in pair["gates"]
        ]
        _grid(("", "gate", left["device"], right["device"], "stops"), rows)
        _out()


def _end(end: dict[str, Any]) -> str:
    where = f" {end['interface']}" if end["interface"] else ""
    return f"{end['device']}{where} ({end['state']})"


def diagnosis(document: Any) -> None:
    """The causes of a complaint for people."""
    _out(document["path"]["sentence"])
    if document["works"] == "yes":
        return
    _out(document["says"])
    for cause in document["causes"]:
        proof = cause["proof"]
        _out(f"\n{cause['rank']}. {cause['certainty']}: {cause['summary']}\n   {cause['detail']}")
        for item in cause["evidence"][:6]:
            where = "missing" if item.get("missing") else f"line {item['line']}"
            _out(f"   {item['device']} {item['file']} {where}: {item['text']}")
        if cause["remedy"]:
            _out(f"   Remedy: {cause['remedy']['title']}")
            if cause["remedy"]["basis"]:
                _out(f"   {cause['remedy']['basis']}")
            for edit in cause["remedy"]["edits"]:
                _edit(edit)
        if cause["before"]:
            _out(f"   {cause['before']}")
        _out(
            f"   With it the complaint {'works' if proof['complaint_works'] else 'still fails'}; "
            f"{len(proof['heals'])} pairs heal, {len(proof['breaks'])} break, "
            f"{len(proof['moves'])} take another way."
        )
        for other in cause["alternatives"]:
            _out(f"   Or: {other['title']} {_consequence(other['proof'])}")


def _consequence(proof: Any) -> str:
    if proof is None:
        return "(not tried)"
    return (
        f"(the complaint {'works' if proof['complaint_works'] else 'still fails'}; "
        f"{proof['heals']} heal, {proof['breaks']} break, {proof['moves']} move)"
    )


def _edit(edit: Any) -> None:
    if "path" in edit:
        new = "removed" if edit["new"] is None else edit["new"]
        _out(f"     {edit['device']} {edit['file']} {edit['path']}: {new}")
        return
    context = " / ".join(edit["context"]) or "top level"
    _out(f"     {edit['device']} {edit['file']}, {context}:")
    for line in edit["remove"]:
        _out(f"       without  {line}")
    for line in edit["add"]:
        _out(f"       with     {line}")


def _listed(title: str, pairs: Any, most: int = 12) -> None:
    if not pairs:
        return
    _out(f"{title} ({len(pairs)}):")
    for pair in pairs[:most]:
        _out(f"  {pair['from']} {pair['source']} to {pair['device']} {pair['to']}")
    if len(pairs) > most:
        _out(f"  and {len(pairs) - most} more")


def _relations(change: Any) -> None:
    for key, word in (("gained", "Neighbours gained"), ("lost", "Neighbours lost")):
        for item in change[key]:
            ends = " and ".join(
                " ".join(filter(None, (item[side]["device"], item[side]["interface"])))
                for side in ("left", "right")
            )
            _out(f"{word}: {item['protocol']}, {ends}")


def audit(document: Any) -> None:
    """Every expectation with its answer, those that fail first."""
    results = sorted(document["results"], key=lambda item: (item["holds"], _unsure(item)))
    for item in results:
        word = "holds" if item["holds"] else "not certain" if _unsure(item) else "FAILS"
        _out(f"{word}: {item['name']}\n   {item['reason']}")
    unsure = sum(_unsure(item) for item in results)
    failed = sum(not item["holds"] for item in results) - unsure
    said = f"; of {unsure} it cannot be said" if unsure else ""
    _out(f"\n{len(results)} expectations, {failed} fail{said}.")


def _unsure(item: Any) -> bool:
    """True for what does not count as held because it is not known."""
    path = item["path"]
    return not item["holds"] and path is not None and path["works"] == "unknown"


def rehearsal(document: Any) -> None:
    """What a change does, for people."""
    if not (document["heals"] or document["breaks"] or document["moves"]):
        _out("No pair heals, breaks or takes another way.")
    _listed("Breaks", document["breaks"])
    _listed("Heals", document["heals"])
    _listed("Takes another way", document["moves"])
    _listed("Gone with its own address", document["gone"])
    _out(f"{document['routes_changed']} entries of routing tables change.")
    _relations(document["neighbours"])
    _along(document)
    if document.get("order"):
        _order(document["order"])


def _order(document: Any) -> None:
    _out(document["says"])
    for number, step in enumerate(document["steps"], 1):
        told = f"cuts {step['cuts']}" if step["cuts"] else "cuts nothing"
        if step["unsure"]:
            told += f", not known of {step['unsure']}"
        if step["unreached"]:
            told += f", {', '.join(step['unreached'])} out of reach"
        _out(f"{number}. {step['device']}: {told}")
        for edit in step["edits"]:
            for sign, key in (("-", "remove"), ("+", "add")):
                for line in edit.get(key) or ():
                    _out(f"     {sign} {line}")


def _along(document: Any) -> None:
    if document.get("along"):
        _out(f"Goes along ({len(document['along'])}):")
        for item in document["along"][:40]:
            _out(f"  {item['device']}: {item['what']} {item['text']}")


def comparison(document: Any) -> None:
    """What differs between two surveys, for people."""
    if document["note"]:
        _out(document["note"])
    for item in document["missing"]:
        _out(
            f"Missing: {item['device']} is not in the newer survey; nothing is known of "
            f"{item['pairs']} pairs that worked with it."
        )
    for item in document["texts"]:
        _out(f"{item['device'] or 'survey'} {item['file']}")
        for line in item["diff"].split("\n")[2:]:
            _out(f"  {line}")
    for item in document["facts"]:
        was, now = item["old"] or "nothing", item["new"] or "nothing"
        _out(f"{item['device']}, {item['what']}: {was} before, {now} now")
    for item in document["routes"]:
        state = "new" if item["old"] is None else "gone" if item["new"] is None else "changed"
        _out(f"Route {state}: {item['device']} {item['prefix']}")
    _relations(document["neighbours"])
    _listed("Breaks", document["verdicts"]["breaks"])
    _listed("Heals", document["verdicts"]["heals"])
    _listed("Takes another way", document["verdicts"]["moves"])


def desk(document: Any) -> None:
    """What fails now, for people."""
    pairs = document["pairs"]
    _out(f"{pairs['ok']} of {pairs['n']} pairs work, {pairs['partly']} for some flows only.")
    if not any(not group["folded"] for group in document["groups"]):
        _out("Nothing fails that should work.")
    for group in document["groups"]:
        _out(f"{'On purpose: ' if group['folded'] else ''}{group['summary']}")
        cause = group["cause"]
        if cause is not None and cause["remedy"] is not None:
            _out(f"  {cause['remedy']['title']}")
        _out(f"  for example: path {group['example']['from']} {group['example']['to']}")
    turned = document["turned"]
    if turned is not None:
        _out(
            f"Since the older survey {turned['broken']} pairs broke and {turned['healed']} healed."
        )
    if document["unread"]:
        _out(f"Not read: {', '.join(document['unread'])}.")
    if document["doubtful"]:
        _out(f"Of {document['doubtful']} pairs it is not known whether they work.")


def since(document: Any) -> None:
    """Which differences broke a complaint, for people."""
    _out(f"Worked then: {document['works_then']}. Works now: {document['works_now']}.")
    _out(document["says"])
    for item in document["guilty"]:
        for source in (*item["old"], *item["new"]):
            line = f" line {source['line']}" if source["line"] else ""
            _out(f"  {source['device']} {source['file']}{line}: {source['text']}")
        _out(f"  taken back: {item['proof']['heals']} pairs heal, {item['proof']['breaks']} break")
    _out(f"{document['innocent']} of {document['differences']} differences are innocent.")


def unknowns(document: Any) -> None:
    """What was not read or understood, for people."""
    _out(f"{document['questions']} questions are open.")
    for item in document["unread"]:
        _out(
            f"{item['rank']}. {item['device']}: {item['why']} {item['questions']} hang on it, "
            f"{item['decides']} on it alone."
        )
    for line in document["lines"]:
        place = f"{line['device']} {line['file']}" + (
            f" line {line['line']}" if line["line"] else ""
        )
        _out(
            f"{place}: {line['text']} ({line['why']}); {line['questions']} questions hang on it "
            "alone."
        )


def sweep(document: Any) -> None:
    """Every single failure, for people."""
    _out(
        f"{document['tried']} of {document['of']} failures tried, {len(document['threads'])} cut "
        "something."
    )
    for item in document["threads"][:60]:
        down = item["down"]
        ends = down.get("link") or [down]
        name = " - ".join(f"{end['device']} {end.get('interface') or ''}".strip() for end in ends)
        fallen = (
            f"; {', '.join(item['expectations'])} would not hold" if item["expectations"] else ""
        )
        _out(f"{name}: cuts {item['cuts']}, moves {item['moves']}{fallen}")


def ladder(document: Any) -> None:
    """The rungs from a host outward, for people."""
    failing = document["first_failing"]
    for number, rung in enumerate(document["rungs"]):
        holds = rung["verdict"] == "delivered"
        mark = "holds" if holds else rung["verdict"].replace("-", " ")
        _out(f"{number + 1}. {rung['what']}, {rung['target']}: {mark}")
        if not holds:
            _out(f"   {rung['reason']}")
    if failing is None:
        _out("Every rung holds.")
    else:
        unknown = document["rungs"][failing]["verdict"] == "unknown"
        what = "of which it cannot be said" if unknown else "that fails"
        _out(f"The first {what} is rung {failing + 1}.")
