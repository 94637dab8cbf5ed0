"""Of two ends that differ, a remedy says what tells which is the odd one, or that nothing does."""

from __future__ import annotations

import pytest
from surveys import compute, wired

from trochos.core.survey import Computed

EITHER = "Either end may be the wrong one: nothing tells which."


def line(*ports: str, more: dict[int, list[str]] | None = None) -> Computed:
    """Routers r1, r2, ... in a row. The first two hold the lines given on their common link; the
    other links hold `more` of their number at both ends."""
    count = 2 + len(more or {})
    rows: dict[int, list[str]] = {n: [f"hostname r{n}"] for n in range(1, count + 1)}
    links = []
    for link in range(1, count):
        for side, router in enumerate((link, link + 1)):
            port = "eth1" if side == 0 else "eth0"
            rows[router] += [f"interface {port}", f" ip address 10.1.{link}.{side + 1}/30"]
            said = [ports[side]] if link == 1 else (more or {})[link]
            rows[router] += [*(f" {text}" for text in said if text), "exit"]
        links.append((f"r{link}", "eth1", f"r{link + 1}", "eth0"))
    files = {}
    for router, text in rows.items():
        text += ["interface lo", f" ip address 10.9.0.{router}/32", "exit"]
        text += ["router ospf", f" ospf router-id 10.9.0.{router}"]
        text += [" network 10.0.0.0/8 area 0", "exit"]
        files[f"devices/r{router}/frr.conf"] = "\n".join(text) + "\n"
    return compute({"topology.json": wired(*links), **files})


def told(survey: Computed) -> tuple[str, str | None]:
    """(where the first suspect's remedy is, why there)."""
    found = survey.diagnose("r1", "r2").as_json()
    remedy = found["causes"][0]["remedy"]  # type: ignore[index]
    return remedy["title"].removeprefix("On ")[:2], remedy["basis"]


def test_nothing_tells_which_of_two_intervals_is_odd() -> None:
    survey = line("ip ospf hello-interval 5", "ip ospf hello-interval 7")
    assert told(survey)[1] == EITHER
    # Both remedies are there, and the finding on its own says the same.
    shown = survey.diagnose("r1", "r2").as_json()["causes"][0]  # type: ignore[index]
    assert [other["basis"] for other in shown["alternatives"]] == [EITHER]
    assert all(other["proof"]["complaint_works"] for other in shown["alternatives"])


@pytest.mark.parametrize("odd", ["r1", "r2"])
def test_the_rest_of_the_network_tells(odd: str) -> None:
    usual, strange = "ip ospf hello-interval 5", "ip ospf hello-interval 7"
    ports = (strange, usual) if odd == "r1" else (usual, strange)
    assert told(line(*ports, more={2: [usual]})) == (odd, "3 of 4 ends in this network say 5 s.")


def test_a_line_is_rather_forgotten_than_one_too_many() -> None:
    where, why = told(line("ip ospf authentication message-digest", ""))
    assert where == "r2"
    assert why == "r1 says so in a line, and r2 says nothing: a line is rather forgotten."


def test_what_is_usual_elsewhere_outweighs_that() -> None:
    where, why = told(line("ip ospf authentication message-digest", "", more={2: [], 3: []}))
    assert where == "r1"
    assert why is not None and "say none" in why


def test_intervals_that_fit_each_other_tell() -> None:
    left = "ip ospf dead-interval 40"
    where, why = told(line(left, "ip ospf dead-interval 37"))
    assert where == "r2"
    assert why == "At r1 the dead interval is four times the hello interval, as is usual."


def test_the_address_plan_tells_which_address_moves() -> None:
    survey = line("", "", more={2: [], 3: []})
    files = {
        f"devices/{name}/frr.conf": texts["frr.conf"]
        for name, texts in survey.survey.files.items()
        if name
    }
    text = files["devices/r2/frr.conf"]
    files["devices/r2/frr.conf"] = text.replace("10.1.1.2/30", "10.200.1.2/30")
    topology = survey.survey.files[""]["topology.json"]
    where, why = told(compute({"topology.json": topology, **files}))
    assert where == "r2"
    assert why is not None and "10.1.1.0/30 lies nearer" in why


def test_a_remedy_at_one_end_has_no_choice_to_explain() -> None:
    survey = line("ip ospf passive", "")
    assert told(survey) == ("r1", None)


def test_a_password_for_nobody_tells_whose_line_is_odd() -> None:
    files = {"topology.json": wired(("r1", "eth0", "r2", "eth0"))}
    for mine, other in ((1, 2), (2, 1)):
        peer = f"10.1.0.{other}" if mine == 1 else "11.1.0.1"
        rows = [f"hostname r{mine}", "interface eth0", f" ip address 10.1.0.{mine}/30", "exit"]
        rows += ["interface lo", f" ip address 10.9.0.{mine}/32", "exit"]
        rows += [f"router bgp {mine}", " no bgp ebgp-requires-policy"]
        rows += [f" neighbor 10.1.0.{other} remote-as {other}", f" neighbor {peer} password cockle"]
        rows += [" address-family ipv4 unicast", f"  network 10.9.0.{mine}/32"]
        rows += [" exit-address-family", "exit", ""]
        files[f"devices/r{mine}/frr.conf"] = "\n".join(rows)
    found = compute(files).diagnose("r1", "10.9.0.2").as_json()
    remedy = found["causes"][0]["remedy"]  # type: ignore[index]
    assert remedy["title"] == "On r2: use the password that r1 uses."
    assert "r2 has a line with that password for 11.1.0.1" in remedy["basis"]
