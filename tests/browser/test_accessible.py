"""Every main view, in both themes: nothing for axe to find, and nothing cut at two widths."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, Route, expect
from surveys import ROOT

from trochos.server.surveys.models import Case, Proposal, StoredSurvey

AXE = (ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
RUN = """async () => {
  const found = await axe.run(document, {resultTypes: ["violations"]});
  return found.violations.map(v => ({
    id: v.id, help: v.help,
    nodes: v.nodes.map(n =>
      n.target.join(" ") + " | " + n.html.slice(0, 160) + " | " + (n.any[0]?.message ?? "")),
  }));
}"""


def views(survey: int) -> dict[str, tuple[str, str]]:
    """Each main view: its address, and words that it shows when it is whole."""
    case = Case.objects.filter(survey=survey).earliest("id").pk
    change = Proposal.objects.earliest("id")
    edit = f"/s/{change.survey_id}/change/{change.pk}?show=edit"
    quay = StoredSurvey.objects.get(title="The south quay after its first week").pk
    return {
        # The small network's: the desk of the large one takes half a minute.
        "desk": (f"/s/{quay}/desk", "worst first"),
        "failures": (f"/s/{quay}/failures", "What if it fails?"),
        "manual": ("/manual", "sysctl -a"),
        "edit": (edit, "Rehearse this text"),
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


def settle(page: Page, url: str, words: str) -> None:
    """Opens a view and waits until it is whole: its words are there, and nothing is under way."""
    page.goto(url)
    expect(page.locator("main").get_by_text(re.compile(re.escape(words))).first).to_be_visible()
    expect(page.locator("main .skeleton")).to_have_count(0)
    page.wait_for_timeout(300)


@pytest.mark.parametrize("theme", ["chart", "watch"])
def test_axe_finds_nothing_on_any_view(page: Page, broken: int, theme: str) -> None:
    page.emulate_media(reduced_motion="reduce")
    page.add_init_script(
        f"try {{ localStorage.setItem('trochos-theme', '{theme}') }} catch (e) {{}}"
    )
    problems: list[str] = []
    for name, (url, words) in views(broken).items():
        settle(page, url, words)
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


LATER = {
    # Views that show nothing of their own before the answer: its address, what they ask, a heading.
    "neighbours": ("/s/{survey}/neighbours", "**/api/**/neighbours", "Neighbours"),
    "device": ("/s/{survey}/devices/gull", "**/api/**/devices/gull", "gull"),
    "manual": ("/manual", "**/api/manual", "Manual"),
    "gather": ("/gather", "**/api/inventory", "Live devices"),
}


@pytest.mark.parametrize("view", LATER)
def test_a_view_is_named_while_it_waits_and_when_it_fails(
    page: Page, broken: int, view: str
) -> None:
    url, asked, heading = LATER[view]
    held: list[Route] = []
    page.route(asked, lambda route: held.append(route))
    page.goto(url.format(survey=broken))
    expect(page.locator("main .skeleton").first).to_be_attached()
    expect(page.get_by_role("heading", level=1)).to_have_text([heading])
    for request in held:
        request.fulfill(status=500, json={"detail": "The disk is full."})
    expect(page.get_by_role("alert")).to_contain_text("The disk is full.")
    expect(page.get_by_role("heading", level=1)).to_have_text([heading])


MEASURE = """() => {
  const out = [];
  const root = document.scrollingElement;
  if (root.scrollWidth > innerWidth + 1) out.push(`the page is ${root.scrollWidth} px wide`);
  const end = document.querySelector("main").getBoundingClientRect().bottom;
  if (Math.abs(end - innerHeight) > 1) out.push(`the page ends ${innerHeight - end} px too early`);
  for (const node of document.querySelectorAll("body *")) {
    const own = [...node.childNodes].some(n => n.nodeType === 3 && n.textContent.trim());
    if (!own || node.closest(".sr-only, option, title, [hidden], script, style")) continue;
    const box = node.getBoundingClientRect();
    const style = getComputedStyle(node);
    if (!box.width || style.visibility === "hidden") continue;
    const size = parseFloat(style.fontSize), text = node.textContent.trim().slice(0, 40);
    const least = node.closest("svg") ? 11 : 12;
    if (size < least - 0.01) out.push(`${size} px: ${text}`);
    const hides = style.overflowX === "hidden" && !node.closest("svg, table, [role=table]");
    if (hides && node.scrollWidth > node.clientWidth + 1) out.push(`cut: ${text}`);
    const beyond = !node.closest("svg") && box.right > innerWidth + 1;
    if (beyond && !scrolls(node)) out.push(`beyond the edge: ${text}`);
  }
  function scrolls(node) {
    for (let up = node.parentElement; up; up = up.parentElement)
      if (["auto", "scroll"].includes(getComputedStyle(up).overflowX)) return true;
    return false;
  }
  return [...new Set(out)].slice(0, 12);
}"""


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1024, 768)])
def test_nothing_is_cut_or_too_small(page: Page, broken: int, width: int, height: int) -> None:
    page.set_viewport_size({"width": width, "height": height})
    problems: list[str] = []
    for name, (url, words) in views(broken).items():
        settle(page, url, words)
        problems += [f"{name}: {found}" for found in page.evaluate(MEASURE)]
    assert problems == [], "\n".join(problems)
