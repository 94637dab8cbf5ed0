"""Groups of devices: areas, systems, instances and places, the same network always cut alike."""

from __future__ import annotations

import pytest
from surveys import ROOT, bare, company, compute, frr, wired

from trochos.core.whole.groups import groupings


def areas(*numbers: tuple[int, int]) -> dict[str, str]:
    """A chain of routers, each in the area to its left and in that to its right."""
    files = {}
    links = []
    for index, (left, right) in enumerate(numbers):
        name = f"quay-{index}" if index < 3 else f"yard-{index}"
        ports = {"lo": f"10.9.0.{index}/32"}
        lines = ["router ospf", f" network 10.9.0.{index}/32 area {left}"]
        if index:
            ports["l"] = f"10.0.{index}.2/30"
            lines.append(f" network 10.0.{index}.0/30 area {left}")
            links.append((last, "r", name, "l"))  # noqa: F821
        if index < len(numbers) - 1:
            ports["r"] = f"10.0.{index + 1}.1/30"
            lines.append(f" network 10.0.{index + 1}.0/30 area {right}")
        files[f"devices/{name}/frr.conf"] = frr(name, ports, *lines, "exit")
        last = name  # noqa: F841
    found = groupings(compute({"topology.json": wired(*links), **files}).tables)
    assert set(found) == {"area", "place"}
    assert set(found["place"].values()) == {"quay", "yard"}
    return found["area"]


def test_a_border_stands_with_the_backbone() -> None:
    found = areas((1, 1), (1, 0), (0, 0), (0, 2), (2, 2), (2, 2))
    assert found == {
        "quay-0": "area 1",
        "quay-1": "area 0",
        "quay-2": "area 0",
        "yard-3": "area 0",
        "yard-4": "area 2",
        "yard-5": "area 2",
    }


@pytest.mark.thorough
def test_who_has_no_group_of_its_own_is_with_the_nearest() -> None:
    survey = company()
    found = groupings(survey.tables)
    assert set(found["area"]) == {device.name for device in survey.network.devices}
    assert len(set(found["system"].values())) > 2
    again = groupings(company().tables)
    assert found == again


def test_levels_of_isis_and_instances_are_groups_too() -> None:
    karst = groupings(bare(ROOT / "tests" / "cases" / "karst-00" / "survey").tables)
    assert "level 2" in karst["area"].values()
    delve = groupings(bare(ROOT / "tests" / "cases" / "delve-00" / "survey").tables)
    assert {"red", "blue"} <= set(delve["instance"].values())


def test_one_group_for_all_is_none() -> None:
    assert groupings(bare(ROOT / "tests" / "cases" / "dale-00" / "survey").tables) == {}
