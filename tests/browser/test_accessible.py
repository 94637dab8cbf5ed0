"""Every main view, in both themes: nothing for axe to find, and nothing cut at two widths."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from surveys import ROOT

from trochos.server.surveys.models import Case, Proposal

AXE = (ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
RUN = """async () => {
  const found = await axe.run(document, {resultTypes: ["violations"]});
  return found.violations.map(v => ({
    id: v.id, help: v.help,
    nodes: v.nodes.map(n => n.target.join(" ") + " | " + n.html.slice(0, 160) + " | " + (n.any[0]?.message ?? "")),
  }));
}"""


def views(survey: int) -> dict[str, tuple[str, str]]:
    """Each main view: its address, and words that it shows when it is whole."""
    case = Case.objects.filter(survey=survey).earliest("id").pk
    change = Proposal.objects.earliest("id")
    return {
        "cases": (f"/s/{survey}/cases", "complaint"),
        "case": (f"/s/{survey}/cases/{case}", "Suspects"),
        "ask": (f"/s/{survey}/case?from=planning-desk&to=skerry-kiosk", "proven"),
        "map": (f"/s/{survey}/map", "Map"),
        "neighbours": (f"/s/{survey}/neighbours", "Neighbours"),
        "devices": (f"/s/{survey}/devices", "Devices"),
        "device": (f"/s/{survey}/devices/gull", "gull"),
        "change": (f"/s/{change.survey_id}/change/{change.pk}", "heal"),
        "expectations": (f"/s/{survey}/expectations", "Expectations"),
        "findings": (f"/s/{survey}/findings", "Findings"),
        "reading": (f"/s/{survey}/reading", "What was read"),
        "surveys": ("/surveys", "Monday after the harbour works"),
        "gather": ("/gather", "Live devices"),
        "account": ("/account", "Tokens for automation"),
        "administration": ("/administration", "ada"),
        "trail": ("/administration?tab=trail", "Audit trail"),
    }


@pytest.mark.parametrize("theme", ["chart", "watch"])
def test_axe_finds_nothing_on_any_view(page: Page, broken: int, theme: str) -> None:
    page.emulate_media(reduced_motion="reduce")
    page.add_init_script(
        f"try {{ localStorage.setItem('trochos-theme', '{theme}') }} catch (e) {{}}"
    )
    problems: list[str] = []
    for name, (url, words) in views(broken).items():
        page.goto(url)
        expect(page.get_by_text(re.compile(re.escape(words))).first).to_be_visible()
        page.wait_for_timeout(400)
        page.evaluate(AXE)
        for found in page.evaluate(RUN):
            if found["id"] == "label-content-name-mismatch":
                # Words in drawings are shortened to fit; their names say them whole.
                found["nodes"] = [node for node in found["nodes"] if "| <g " not in node]
            if not found["nodes"]:
                continue
            problems.append(
                f"{name}: {found['id']} ({found['help']}): " + "\n    ".join(found["nodes"])
            )
    assert problems == [], "\n".join(problems)
