"""What a person does in the browser, reading only what a person sees."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.surveys.store import store

from .doing import type_over


def open_case(page: Page, complaint: str) -> None:
    page.get_by_role("link", name="Cases", exact=True).click()
    page.get_by_role("link", name=complaint).click()
    page.get_by_test_id("journey").wait_for()


@pytest.mark.parametrize(
    ("complaint", "answer", "where", "marked"),
    [
        # a missing way back: the decision names the prefix, the source shows the gap
        (
            "The bridge tablet gets no weights from the yard scale",
            "arrives at yard-scale, and the reply dies: yard has no route to 10.64.40.33.",
            "yard",
            "missing: a route to 10.64.40.0/24",
        ),
        # the wrong neighbour: the packet dies at the yard, whose neighbour should not have sent it
        (
            "Planning cannot see the kiosk at Skerry",
            "yard has no route to 10.64.22.41.",
            "yard",
            "missing: a route to 10.64.22.0/24",
        ),
        # a wrong exit beside the right one
        (
            "The Tern kiosk reaches the bridge tablet only sometimes",
            "Only some flows get there: tern asks for 10.64.40.33 itself on eth2",
            "tern",
            "ip route 10.64.40.0/24 eth2",
        ),
        # an interface shut at the far end
        (
            "The gate printer has lost the booking database",
            "the far end, heron ge1, is shut down.",
            "gull",
            "ip route 0.0.0.0/0 10.64.0.1",
        ),
        # a loop of defaults
        (
            "Card payments fail in the office",
            "heron and lantern send it to each other for ever.",
            "lantern",
            "ip route 0.0.0.0/0 10.64.0.21",
        ),
        # a wrong gateway on the host itself
        (
            "The new crane panel sees nothing at all",
            "nobody on the LAN yard-lan has 10.64.30.254.",
            "crane-panel",
            '"gateway": "10.64.30.254"',
        ),
        # an IPv6 static whose exit is down
        (
            "The camera at Tern Sound cannot store pictures over IPv6",
            "the gateway fd00:64:0:a::1 is on eth1, which is down",
            "tern",
            "ipv6 route fd00:64:65::/64 fd00:64:0:a::1",
        ),
        # a discard route left behind
        (
            "The log box on the ship never answers planning",
            "office discards packets to 10.64.40.64/26.",
            "office",
            '"blackhole"',
        ),
    ],
)
def test_a_complaint_is_solved_by_looking(
    page: Page, broken: int, complaint: str, answer: str, where: str, marked: str
) -> None:
    open_case(page, complaint)
    expect(page.get_by_test_id("answer")).to_contain_text(answer)
    expect(page.get_by_role("region", name="The decision")).to_contain_text(
        f"The decision at {where}"
    )
    source = page.get_by_role("region", name="The source", exact=True)
    shown = source.locator("[data-missing]" if marked.startswith("missing") else "[data-marked]")
    expect(shown.filter(has_text=marked).first).to_be_in_viewport()


def test_a_complaint_that_is_not_true_says_so(page: Page, broken: int) -> None:
    open_case(page, "The Tern kiosk cannot reach the booking database")
    expect(page.get_by_test_id("answer")).to_have_text(
        "It works: tern-kiosk reaches booking-db, and the reply comes back."
    )
    journey = page.get_by_test_id("journey")
    expect(journey).to_contain_text("Outbound: delivered")
    expect(journey).to_contain_text("Return: delivered")


def test_the_cause_of_a_wrong_neighbour_is_one_click_away(page: Page, broken: int) -> None:
    open_case(page, "Planning cannot see the kiosk at Skerry")
    page.get_by_role("button", name="outbound, mole").click()
    expect(page.get_by_role("region", name="The decision")).to_contain_text("10.64.0.38 on ge3")
    expect(page.get_by_role("region", name="The ends")).to_contain_text("yard ge0")
    expect(page).to_have_url(f"{page.url.split('?')[0]}?hop=o0.2")
    page.reload()
    expect(page.get_by_role("region", name="The decision")).to_contain_text("The decision at mole")


def test_asking_by_keyboard_alone(page: Page, broken: int) -> None:
    page.get_by_role("table", name="cases").wait_for()
    page.keyboard.press("/")
    page.keyboard.type("gate-k")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    page.keyboard.type("roster")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("answer")).to_contain_text("The request does not get there")
    expect(page).to_have_url(
        f"{page.url.split('/s/')[0]}/s/{broken}/case?from=gate-kiosk&to=roster"
    )
    page.locator("[data-hop][tabindex='0']").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("region", name="The decision")).to_contain_text("at gate-kiosk")
    page.get_by_role("button", name="Keep as case").click()
    page.get_by_label("What was said").fill("The kiosk shows yesterday's roster")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The kiosk shows yesterday's roster")).to_be_visible()
    expect(page).to_have_url(re.compile(r"/cases/\d+$"))


def test_a_wrong_word_in_the_sentence_is_answered_with_a_sentence(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/case?from=gul&to=booking-db")
    expect(page.get_by_role("alert")).to_contain_text("Did you mean gull?")
    page.get_by_role("textbox", name="Service").fill("smoke signals")
    page.keyboard.press("Tab")
    expect(page.get_by_text("'smoke signals' is no service that is known here")).to_be_visible()
    for text in ("banana", "tcp 99999"):
        page.get_by_role("textbox", name="Service").fill(text)
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert").filter(has_text=text)).to_be_visible()
        assert "protocol=" not in page.url, "nothing is asked in its place"


def test_a_service_is_asked_by_its_name(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/case?from=bridge-tablet&to=booking-db")
    page.get_by_test_id("answer").wait_for()
    page.get_by_role("textbox", name="Service").fill("postgresql")
    page.keyboard.press("Enter")
    page.wait_for_url("**/case?**protocol=tcp&port=5432**")
    expect(page.get_by_role("textbox", name="Service")).to_have_value("tcp/5432")


def test_the_palette_goes_anywhere_and_asks(page: Page, broken: int) -> None:
    page.get_by_role("table", name="cases").wait_for()
    page.keyboard.press("Control+k")
    page.keyboard.type("lantern")
    page.get_by_role("option", name="lantern").first.click()
    expect(page.get_by_role("heading", name="lantern")).to_be_visible()
    page.keyboard.press("Control+k")
    page.keyboard.type("gull > roster")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("journey")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Shortcuts").click()
    expect(page.get_by_role("dialog", name="Shortcuts")).to_contain_text("write a complaint")


def test_a_zip_comes_in_with_its_reading_report(page: Page, tmp_path: Path) -> None:
    page.get_by_role("link", name="Surveys").click()
    archive = tmp_path / "tuesday.zip"
    with zipfile.ZipFile(archive, "w") as packed:
        packed.writestr(
            "devices/mill/frr.conf",
            "frr version 8.4.4\nhostname mill\n"
            "interface eth1\n ip address 10.64.0.1/30\nexit\nfrobnicate softly\n",
        )
        packed.writestr("devices/pc/ip-addr.json", "[]")
    page.get_by_label("Title").fill("Tuesday")
    page.get_by_label("Files of the survey").set_input_files(archive)
    expect(page.get_by_role("heading", name="What was read")).to_be_visible()
    lines = page.get_by_role("region", name="Lines that matter")
    expect(lines).to_contain_text("1 line was not understood and could change an answer")
    lines.get_by_role("link", name="mill frr.conf line 6").click()
    expect(page.get_by_role("region", name="The source")).to_contain_text("frobnicate softly")


def test_a_folder_comes_in(page: Page) -> None:
    page.get_by_role("link", name="Surveys").click()
    page.get_by_label("Folder of the survey").set_input_files(ROOT / "tests/cases/dale-01/survey")
    # Nothing is asked about it, so one lands where one begins.
    page.wait_for_url("**/desk")
    expect(page.get_by_role("heading", name="Where to begin")).to_be_visible()
    page.goto(page.url.replace("desk", "reading"))
    expect(
        page.get_by_text("Every line that could change an answer was understood.")
    ).to_be_visible()
    page.goto(page.url.replace("reading", "case?from=h1&to=h2"))
    expect(page.get_by_test_id("answer")).to_contain_text("send it to each other for ever")


def test_a_refused_upload_says_why(page: Page, tmp_path: Path) -> None:
    page.get_by_role("link", name="Surveys").click()
    photo = tmp_path / "photo.jpg"
    photo.write_bytes(b"\x00\x01\x02")
    page.get_by_label("Files of the survey").set_input_files(photo)
    expect(page.get_by_role("alert")).to_contain_text("No device was recognised")


def test_a_long_journey_folds_and_fits_and_can_be_shown_whole(page: Page, broken: int) -> None:
    page.set_viewport_size({"width": 900, "height": 768})
    page.goto(f"/s/{broken}/case?from=lathe&to=yard-scale")
    journey = page.get_by_test_id("journey")
    fold = journey.get_by_role("button", name=re.compile("devices that only pass it on"))
    expect(fold).to_be_visible()
    assert journey.evaluate("(box) => box.scrollWidth <= box.clientWidth")
    hops = journey.locator("[data-hop]")
    few = hops.count()
    fold.press("Enter")
    expect(fold).to_have_count(0)
    assert hops.count() > few
    page.get_by_role("button", name="Fold what only passes it on").click()
    expect(hops).to_have_count(few)


def test_the_map_in_groups_that_open_and_close(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/map")
    drawing = page.get_by_role("group", name="Map of the network")
    expect(drawing.get_by_role("button", name="heron,")).to_be_visible()
    page.get_by_label("Draw groups").select_option("system")
    closed = drawing.get_by_role("button", name=re.compile("^AS 65536, a group of [0-9]+ routers"))
    expect(closed).to_be_visible()
    expect(drawing.get_by_role("button", name="heron,")).to_have_count(0)
    expect(drawing.get_by_role("button")).to_have_count(4)
    closed.press("Enter")
    expect(drawing.get_by_role("button", name="heron,")).to_be_visible()
    expect(closed).to_have_count(0)
    page.reload()  # what is open stands in the address
    expect(drawing.get_by_role("button", name="heron,")).to_be_visible()
    page.get_by_role("button", name="Close AS 65536").click()
    expect(closed).to_be_visible()
    # A journey's devices are drawn whatever group they are in.
    page.goto(f"/s/{broken}/map?by=system&from=gate-printer&to=booking-db")
    expect(drawing.get_by_role("button", name=re.compile("^gate-printer, host"))).to_be_visible()
    expect(drawing.get_by_role("button", name=re.compile("a group of"))).not_to_have_count(0)


def test_the_map_draws_the_case_and_opens_a_device(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/map?from=gate-printer&to=booking-db")
    expect(page.get_by_text("heron ge1, is shut down")).to_be_visible()
    drawing = page.get_by_role("group", name="Map of the network")
    expect(drawing.get_by_role("button", name="gull, router, interface down")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("button", name="SVG").click()
    assert Path(download.value.path()).read_text().startswith("<svg")
    # One begins where the packet dies, at a size that can be read; the rest is one button away.
    page.get_by_role("button", name="Fit").click()
    drawing.get_by_role("button", name="office, router").click()
    expect(page.get_by_role("heading", name="office")).to_be_visible()


def test_the_map_zooms_where_one_points_and_moves_by_dragging(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/map")
    drawing = page.get_by_role("group", name="Map of the network")
    page.get_by_role("button", name="Fit").click()
    office = drawing.get_by_role("button", name="office, router")

    def middle() -> tuple[float, float, float]:
        box = office.bounding_box()
        assert box is not None
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, box["width"]

    x, y, width = middle()
    page.mouse.move(x, y)
    page.mouse.wheel(0, -400)
    near = middle()
    # What one points at stays beneath the pointer.
    assert near[2] > 1.3 * width and abs(near[0] - x) < 3 and abs(near[1] - y) < 3, near
    page.mouse.down()
    page.mouse.move(x - 60, y + 40, steps=4)
    page.mouse.up()
    moved = middle()
    assert abs(moved[0] - x + 60) < 3 and abs(moved[1] - y - 40) < 3, moved
    # Who dragged a device did not open it; who clicks it does.
    assert page.url.endswith("/map")
    office.click()
    expect(page.get_by_role("heading", name="office")).to_be_visible()


def test_a_device_shows_what_is_odd_and_its_line(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/devices/tern")
    expect(page.get_by_role("table", name="interfaces")).to_contain_text(
        "down: the far end, mole ge1, is shut down"
    )
    page.get_by_role("button", name="Routes").click()
    routes = page.get_by_role("table", name="routes")
    page.get_by_label("Filter routes").fill("not used 64.0/23")
    expect(routes.get_by_role("row")).to_have_count(2)
    routes.get_by_role("button", name="line 8").click()
    expect(page.locator("[data-marked]")).to_contain_text("ip route 10.64.64.0/23 10.64.0.9")
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").click()
    assert "10.64.64.0/23" in Path(download.value.path()).read_text()


def test_computed_stands_beside_gathered(page: Page) -> None:
    page.get_by_role("link", name="Surveys").click()
    page.get_by_label("Folder of the survey").set_input_files(ROOT / "tests/cases/dale-00/survey")
    page.wait_for_url("**/desk")
    page.goto(page.url.replace("desk", "devices/mill"))
    page.get_by_role("button", name="Computed beside gathered").click()
    expect(page.get_by_text("Every entry is the same.")).to_be_visible()


def test_nothing_but_the_sign_in_page_without_an_account(page: Page, broken: int) -> None:
    page.get_by_role("link", name="Account").click()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.goto(f"/s/{broken}/cases")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    expect(page.get_by_text("yard scale")).to_have_count(0)
    page.get_by_label("Name").fill("ada")
    page.get_by_label("Password").fill("not the password")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("is not right")


@pytest.mark.parametrize("theme", ["chart", "watch"])
def test_both_themes_keep_their_contrast(page: Page, broken: int, theme: str) -> None:
    page.evaluate("theme => localStorage.setItem('trochos-theme', theme)", theme)
    page.reload()
    open_case(page, "The bridge tablet gets no weights from the yard scale")
    poor = page.evaluate(CONTRAST)
    assert poor == []


# Every visible text against the first opaque ground below it (WCAG 2.2, 1.4.3: 4.5 to 1).
CONTRAST = """() => {
  const canvas = document.createElement('canvas').getContext('2d', {willReadFrequently: true});
  const rgb = (colour) => { canvas.clearRect(0, 0, 1, 1); canvas.fillStyle = colour;
    canvas.fillRect(0, 0, 1, 1); return [...canvas.getImageData(0, 0, 1, 1).data]; };
  const light = ([r, g, b]) => { const f = (v) => { v /= 255;
    return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; };
    return 0.2126 * f(r) + 0.7152 * f(g) + 0.0722 * f(b); };
  const out = [];
  for (const element of document.querySelectorAll('body *')) {
    const own = [...element.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    if (!own || !element.checkVisibility()) continue;
    const style = getComputedStyle(element);
    const svg = element instanceof SVGElement;
    const colour = rgb(svg ? style.fill : style.color);
    let ground = [0, 0, 0, 0];
    for (let at = element; at && ground[3] < 250; at = at.parentElement) {
      if (!(at instanceof SVGElement)) ground = rgb(getComputedStyle(at).backgroundColor);
    }
    const [a, b] = [light(colour), light(ground)].sort((x, y) => y - x);
    const ratio = (a + 0.05) / (b + 0.05);
    if (ratio < 4.5) out.push([element.textContent.trim().slice(0, 30), ratio.toFixed(2)]);
  }
  return out;
}"""


def test_a_case_from_complaint_to_proposal(page: Page) -> None:
    """The first suspect is rehearsed, handed over, and proposed for the case."""
    open_case(page, "The kiosk at Shag Rock sells no tickets")
    page.get_by_role("button", name="Confirm").click()
    expect(page.get_by_test_id("case-state")).to_have_text("confirmed")
    first = page.get_by_test_id("suspect").first
    expect(first).to_contain_text("hello interval")
    expect(first).to_contain_text("proven")
    page.get_by_role("button", name="This is the cause").click()
    expect(page.get_by_test_id("case-state")).to_have_text("cause found")
    first.get_by_role("button", name="Rehearse", exact=True).click()
    does = page.get_by_role("region", name="What the change does")
    expect(does).to_contain_text("the complaint is healed")
    expect(page.get_by_role("img", name=re.compile("heals: "))).to_be_visible()
    page.get_by_role("tab", name="difference").click()
    expect(page.get_by_role("cell", name="ip ospf hello-interval 2").first).to_be_visible()
    page.get_by_role("tab", name="journey").click()
    expect(page.get_by_role("region", name="With the change")).to_contain_text("It works")
    page.get_by_role("tab", name="hand over").click()
    with page.expect_download() as got:
        page.get_by_role("button", name="Download all").click()
    assert "ip ospf hello-interval 2" in Path(got.value.path()).read_text()
    page.get_by_role("button", name="Propose for the case").click()
    expect(page.get_by_test_id("case-state")).to_have_text("remedy proposed")
    page.get_by_role("link", name="Report").click()
    report = page.get_by_role("article")
    expect(report).to_contain_text("The way back")
    expect(report).to_contain_text("remedy proposed")


def test_a_filter_that_pings_pass_is_found_and_opened(page: Page) -> None:
    """J8 and J21: the ping works, the service does not, and the entry is named."""
    open_case(page, "Planning's booking screen hangs, though the database answers pings")
    expect(page.get_by_test_id("answer")).to_contain_text("booking-db drops it silently")
    expect(page.get_by_role("region", name="The decision")).to_contain_text(
        "drops it: whatever no entry matches"
    )
    first = page.get_by_test_id("suspect").first
    expect(first).to_contain_text("proven")
    expect(first).to_contain_text("let tcp 5432 from 10.64.64.0/24 to 10.64.65.10 through")


def test_a_name_that_does_not_resolve_is_told_from_a_way_that_is_broken(page: Page) -> None:
    open_case(page, "The Tern kiosk finds no booking server")
    expect(page.get_by_test_id("answer")).to_contain_text("The name does not resolve")
    rungs = page.get_by_role("region", name="From the host outward")
    expect(rungs).to_contain_text("resolver 10.64.65.2: next hop silent")
    expect(page.get_by_role("region", name="The source")).to_contain_text("nameserver 10.64.65.2")
    first = page.get_by_test_id("suspect").first
    expect(first).to_contain_text("ask 10.64.65.20 for names")


def test_the_switch_port_that_drops_is_named(page: Page) -> None:
    """J20: both hang on one switch, and a port puts one of them into another VLAN."""
    open_case(page, "The gate kiosk does not print since it was moved")
    expect(page.get_by_test_id("answer")).to_contain_text("gull-lan port2 does not carry VLAN 30")
    first = page.get_by_test_id("suspect").first
    expect(first).to_contain_text("make 20 the port VLAN of port3")
    expect(first).to_contain_text("8 heal")


def test_a_service_that_nobody_runs_is_told_from_the_network(page: Page) -> None:
    open_case(page, "The roster's page does not open in the office")
    expect(page.get_by_test_id("answer")).to_contain_text("nobody there listens on tcp port 443")
    suspects = page.get_by_role("region", name="Suspects")
    expect(suspects).to_contain_text("it has to be started on roster")


def test_what_is_meant_in_a_line_of_a_hundred_routes_is_in_sight(page: Page) -> None:
    # As a host prints its table by itself: all of it in one line, the deciding route last.
    files = dict(read_folder(ROOT / "tests" / "cases" / "dale-01" / "survey"))
    table = "devices/h1/ip-route.json"
    more = [
        {"dst": f"10.77.{number}.0/24", "gateway": "10.64.10.1", "dev": "eth0"}
        for number in range(120)
    ]
    files[table] = json.dumps([*more, *json.loads(files[table])]).encode()
    survey = store(files, "One line", None)
    page.goto(f"/s/{survey.pk}/case?from=h1&to=h2")
    page.get_by_test_id("journey").locator("[data-hop='o0.0']").click()
    source = page.get_by_role("region", name="Source of h1")
    meant = source.locator("mark")
    expect(meant).to_contain_text('"dst": "default"')
    expect(meant).to_be_in_viewport()
    expect(source.locator("[data-marked]")).to_have_count(1)


def test_a_change_of_ones_own_is_rehearsed_and_kept(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/change")
    type_over(page, "tern", "ip route 10.64.40.0/24 eth2", "")
    # What was there stands beside, and can be put back.
    gone = page.locator(".cm-deletedLine").filter(has_text="ip route 10.64.40.0/24 eth2")
    expect(gone).to_be_visible()
    page.get_by_role("button", name="Put it back").click()
    expect(gone).to_be_hidden()
    expect(page.get_by_role("button", name="Rehearse this text")).to_be_disabled()
    type_over(page, "tern", "ip route 10.64.40.0/24 eth2", "")
    page.get_by_role("button", name="Rehearse this text").click()
    does = page.get_by_role("region", name="What the change does")
    expect(does).to_contain_text("pairs heal")
    page.get_by_role("tab", name="edit").click()
    page.get_by_label("Device to take down").fill("office")
    page.keyboard.press("Enter")
    page.get_by_role("region", name="Take down").get_by_role("button", name="Down").nth(1).click()
    page.get_by_role("tab", name="effect").click()
    expect(page.get_by_role("img", name=re.compile("breaks: "))).to_be_visible()
    page.get_by_label("What the change is called").fill("Without the office")
    page.get_by_role("button", name="Keep as proposal").click()
    page.wait_for_url(re.compile(r"/change/\d+$"))
    expect(page.get_by_role("heading", name="Without the office")).to_be_visible()


def test_faults_that_hide_each_other_are_rehearsed_together(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/case?from=shag-kiosk&to=bank-desk")
    suspects = page.get_by_role("region", name="Suspects")
    # The search shows its progress meanwhile; on a slow machine it takes its time.
    expect(suspects).to_contain_text("2 faults hide behind each other")
    suspects.get_by_role("button", name="Rehearse them together").click()
    expect(page.get_by_role("region", name="What the change does")).to_contain_text("is healed")


def test_two_surveys_are_compared(page: Page, broken: int) -> None:
    page.goto("/surveys")
    page.get_by_role("link", name="Compare two").click()
    said = page.get_by_test_id("compared")
    expect(said).to_contain_text("no longer work")
    expect(page.get_by_role("table", name="pairs that differ")).to_contain_text("fails now")
    page.get_by_role("tab", name="texts").click()
    expect(page.get_by_role("region", name="mole running.json").first).to_be_visible()
    page.get_by_role("tab", name="routes").click()
    expect(page.get_by_role("table", name="routes that differ")).to_be_visible()
    page.get_by_role("tab", name="neighbours").click()
    expect(page.get_by_role("table", name="neighbours that differ")).to_contain_text("lost")
    # The address says all of it, so that it can be sent to somebody.
    page.reload()
    expect(page.get_by_role("table", name="neighbours that differ")).to_contain_text("lost")


def test_a_survey_is_pinned(page: Page, broken: int) -> None:
    page.goto("/surveys")
    pin = page.get_by_role("button", name="Pin Before the season")
    pin.click()
    expect(pin).to_have_attribute("aria-pressed", "true")
    page.reload()
    expect(pin).to_have_attribute("aria-pressed", "true")
