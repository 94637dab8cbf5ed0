"""The report of a case, as Markdown: complaint, journey, cause, change, what came after."""

from __future__ import annotations

from ...core.change.handover import hand_over
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.path import Path
from ...core.network.edits import EditError, read_edits
from ...core.step.legs import Leg
from ...core.survey import Computed
from .models import Case

_DID = {
    "confirm": "confirmed",
    "not-reproduced": "not reproduced",
    "cause": "cause found",
    "propose": "remedy proposed",
    "verify": "verified",
    "close": "closed unverified",
    "reopen": "opened again",
    "note": "note",
}


def _leg(title: str, leg: Leg | None) -> list[str]:
    if leg is None:
        return []
    out = [f"### {title}: {leg.verdict.replace('-', ' ')}", ""]
    branch = leg.decisive
    out += ["| device | route | leaves by | next hop |", "|---|---|---|---|"]
    for hop in branch.hops:
        route = f"{hop.route.prefix} ({hop.route.protocol})" if hop.route else ""
        out.append(f"| {hop.device} | {route} | {hop.out or ''} | {hop.next_hop or ''} |")
    out += ["", branch.reason, ""]
    if leg.branch_count > 1:
        out += [f"This is one of {leg.branch_count} equal-cost branches, the one that decides.", ""]
    return out


def markdown(case: Case, survey: Computed) -> str:
    """The whole report."""
    out = [f"# Case {case.id}: {case.complaint}", ""]
    facts = [
        ("state", case.state.replace("-", " ")),
        ("told by", case.reporter),
        ("who", case.sender),
        ("to", case.receiver),
        ("service", case.traffic.service or "ping"),
        ("source", case.source),
        ("size", f"{case.size} bytes" if case.size else ""),
        ("in one piece", "yes" if case.dont_fragment else ""),
        ("survey", f"{case.survey.title}, taken {_when(case.survey.taken_at)}"),
        ("opened", _when(case.opened_at)),
    ]
    out += ["| | |", "|---|---|", *(f"| {name} | {value} |" for name, value in facts if value), ""]
    path: Path | None = None
    try:
        path = survey.path(case.sender, case.receiver, case.traffic)
        out += ["## The journey", "", path.sentence(), ""]
        out += _leg("Outbound", path.outbound) + _leg("Return", path.back)
    except EndpointError as error:
        out += ["## The journey", "", str(error), ""]
    if case.cause:
        out += ["## The cause", "", case.cause["summary"], ""]
        for item in case.cause["evidence"]:
            line = "missing" if item.get("missing") else f"line {item['line']}"
            out.append(f"- {item['device']}, {item['file']}, {line}: `{item['text']}`")
        out.append("")
    if case.proposal is not None:
        out += ["## The change", "", case.proposal.title, ""]
        out += _change(case, survey)
    if case.verified_on is not None:
        taken = _when(case.verified_on.taken_at)
        out += [
            "## What the next survey showed",
            "",
            f"{case.verified_on.title}, taken {taken}.",
            "",
            *(step.text for step in case.steps.filter(step="verify").order_by("-id")[:1]),
            "",
        ]
    steps = case.steps.select_related("by")
    if steps:
        out += ["## What was done", ""]
        for step in steps:
            by = f" by {step.by.username}" if step.by else ""
            said = f": {step.text}" if step.text else ""
            out.append(f"- {_when(step.at)}{by}, {_DID.get(step.step, step.step)}{said}")
        out.append("")
    return "\n".join(out)


def _change(case: Case, survey: Computed) -> list[str]:
    assert case.proposal is not None
    try:
        parts = hand_over(survey.survey, read_edits({"edits": case.proposal.edits}))
    except EditError as error:
        return [str(error), ""]
    out: list[str] = []
    for number, part in enumerate(parts, 1):
        out += [f"### {number}. {part.device}, {part.language}", "", "```", part.apply, "```", ""]
        out += ["The way back:", "", "```", part.back, "```", ""]
    return out


def _when(moment: object) -> str:
    return moment.strftime("%d %b %Y, %H:%M") if hasattr(moment, "strftime") else "not known"
