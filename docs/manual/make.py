#!/usr/bin/env python3
"""Writes findings.md, limits.md, verdicts.md, gates.md, claims.md and files.md from what the engine
knows, so that they cannot differ.

.venv/bin/python docs/manual/make.py
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "src"))

from trochos.core.diagnosis import glossary, suspects  # noqa: E402
from trochos.core.diagnosis.findings import FAMILIES, KINDS  # noqa: E402
from trochos.core.network import claims  # noqa: E402
from trochos.core.protocols import shared  # noqa: E402
from trochos.core.protocols.registry import protocols  # noqa: E402
from trochos.core.readers import limits  # noqa: E402
from trochos.core.readers.kinds import READERS  # noqa: E402
from trochos.core.step.verdicts import WORDS  # noqa: E402


def page() -> str:
    """The whole page."""
    out = [
        "# Findings",
        "",
        "What `inspect` finds whoever asks, by family. Each finding has one sentence, the exact",
        "lines, why it stops traffic, and where the engine can say one, a remedy.",
        "",
    ]
    for family in FAMILIES:
        title = (family.__doc__ or "").split("\n")[0].rstrip(".")
        out += [f"## {title}", "", "| kind | is |", "|---|---|"]
        out += [f"| `{kind}` | {text} |" for kind, text in sorted(family.KINDS.items())]
        out.append("")
    out += [
        "## Of Trochos itself",
        "",
        "| kind | is |",
        "|---|---|",
        f"| `check-broke` | {KINDS['check-broke']} |",
        "",
        "# Suspects",
        "",
        "What `diagnose` looks for because a leg dies: nothing here contradicts anything by",
        "itself. A suspect is a cause only if the complaint works with its remedy.",
        "",
        "| kind | is |",
        "|---|---|",
        *(f"| `{kind}` | {text} |" for kind, text in sorted(suspects.KINDS.items())),
        "",
    ]
    return "\n".join(out)


def limits_page() -> str:
    """What is recognised and not computed."""
    touches = {
        "routed": "packets that follow a route there",
        "links": "whatever it passes on",
        "all": "whatever reaches the device",
    }
    out = [
        "# Limits",
        "",
        "What Trochos recognises and does not compute. Every answer that such a line or file",
        "touches is `unknown` and names the line; nothing that rests on it is called broken, and",
        "nothing is proven by it.",
        "",
        "| feature | what the screen says | what is unknown |",
        "|---|---|---|",
        *(f"| {r.name} | {r.why} | {touches[r.touches]} |" for r in limits.ROWS),
        *(f"| {name} | {said} | what it touches |" for name, said in limits.SAID_BY_READERS),
        "",
        "A device that stands in the wiring, in `survey.json` (`expected`, `roles`), or was heard",
        "over LLDP, and has no folder, could not be read. It is taken not to announce prefixes",
        "inside those that other devices own; it may offer any other way and drop whatever passes",
        "through it. It is on nobody's way if it has one link.",
        "",
        "Two links of IS-IS between the same two routers, of different costs: a real daemon",
        "(FRR 8.4) sometimes goes by the one at the cost of the other, or by neither, depending on",
        "which came up first. The answers here are those of the standard, and nothing on the",
        "screen says so.",
        "",
    ]
    return "\n".join(out)


def verdicts_page() -> str:
    """How a leg can end."""
    out = [
        "# Verdicts",
        "",
        "How one leg of a conversation ends. A complaint works when both legs are `delivered`; of",
        "several ways that differ, the worst one speaks for the leg, and it works `partly`.",
        "",
        "| verdict | what happened | what to look at |",
        "|---|---|---|",
        *(
            f"| `{WORDS[name]}` | {happened} | {look} |"
            for name, (happened, look) in glossary.VERDICTS.items()
        ),
        "",
    ]
    return "\n".join(out)


def gates_page() -> str:
    """What the ends of a link and of a neighbour relation have to agree on."""
    used: dict[str, list[str]] = {}
    for protocol in protocols():
        for gate in protocol.gates:
            used.setdefault(gate.name, []).append(protocol.named.label)
    for gate in shared.GATES:
        used.setdefault(gate.name, []).append("shared gateways")
    out = [
        "# Gates",
        "",
        "What has to hold between two ends, compared at both: the first gate that does not hold is",
        "where the relation gets stuck. The view of neighbours shows them with the lines that say",
        "so, and the finding of each names the same gate.",
        "",
        "| gate | holds when | asked by |",
        "|---|---|---|",
    ]
    for name, meaning in glossary.GATES.items():
        asked = ", ".join(dict.fromkeys(used.get(name, ["links" if name in LINKS else "BGP"])))
        out.append(f"| `{name}` | {meaning} | {asked} |")
    return "\n".join([*out, ""])


def claims_page() -> str:
    """What each step of an explanation claims."""
    out = [
        "# Claims",
        "",
        "Each step of an explanation (why a prefix is in a table, or why it is not) claims one",
        "thing, and its sentence follows from that. In documents it stands beside the sentence, as",
        "`claim`: the kind, the device, and what else it names.",
        "",
        "| kind | sentence | what has to be true |",
        "|---|---|---|",
    ]
    for name, (sentence, meaning) in claims.KINDS.items():
        said = sentence if sentence != "{of}" else "(in words of its own, under `of`)"
        out.append(f"| `{name}` | {said} | {meaning} |")
    return "\n".join([*out, ""])


def files_page() -> str:
    """What each kind of file is recognised by."""
    where = {"": "anywhere", "device": "a device's folder", "survey": "beside the devices' folders"}
    out = [
        "# Files that are recognised",
        "",
        "What a file is, is told by its content and never by its name; the first row whose signs",
        "it shows reads it. Whose it is, its folder says, or the name that its text gives itself.",
        "",
        "| is taken for | if it is | and lies |",
        "|---|---|---|",
        *(f"| {row.kind} | {row.sign} | {where[row.where]} |" for row in READERS),
        "",
        "A file that is not recognised is kept, and the reading page says so.",
        "",
    ]
    return "\n".join(out)


LINKS = ("IPv4 subnet", "IPv6 subnet", "next hop answers")

if __name__ == "__main__":
    (ROOT / "docs" / "manual" / "verdicts.md").write_text(verdicts_page())
    (ROOT / "docs" / "manual" / "claims.md").write_text(claims_page())
    (ROOT / "docs" / "manual" / "gates.md").write_text(gates_page())
    (ROOT / "docs" / "manual" / "files.md").write_text(files_page())
    (ROOT / "docs" / "manual" / "limits.md").write_text(limits_page())
    (ROOT / "docs" / "manual" / "findings.md").write_text(page())
