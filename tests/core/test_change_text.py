"""Edits of configuration text: what replaces, what adds, what takes others along."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from surveys import ROOT

from trochos.core.change.derive import edits_between
from trochos.core.change.text import Editor, sections
from trochos.core.network.edits import EditError, TextEdit

TEXT = """frr version 8.4.4
frr defaults traditional
hostname quay
!
ip route 10.1.0.0/16 10.0.0.2
ip prefix-list SHIPS seq 5 permit 10.9.0.0/16
ip prefix-list SHIPS seq 10 deny any
!
interface eth0
 ip address 10.0.0.1/30
 ip ospf hello-interval 5
 ip ospf message-digest-key 1 md5 <secret:0123456789ab>
exit
!
router ospf
 ospf router-id 10.255.0.1
 network 10.0.0.0/30 area 0
exit
!
router bgp 65536
 neighbor 10.0.0.2 remote-as 65537
 neighbor 10.0.0.2 update-source lo
 !
 address-family ipv4 unicast
  network 10.2.0.0/16
  neighbor 10.0.0.2 route-map ALL in
 exit-address-family
exit
!
route-map ALL permit 10
exit
!
end
"""


def changed(
    context: tuple[str, ...] = (), remove: tuple[str, ...] = (), add: tuple[str, ...] = ()
) -> list[str]:
    editor = Editor("quay", "frr.conf", TEXT)
    editor.apply(TextEdit("quay", "frr.conf", context, remove, add))
    return editor.text.splitlines()


def test_a_line_that_sets_a_value_replaces_the_old_one() -> None:
    rows = changed(("interface eth0",), (), ("ip ospf hello-interval 10",))
    assert " ip ospf hello-interval 10" in rows
    assert " ip ospf hello-interval 5" not in rows
    assert len(rows) == len(TEXT.splitlines())


def test_a_line_of_a_list_stands_beside_the_others() -> None:
    rows = changed((), (), ("ip route 10.1.0.0/16 10.0.0.6",))
    at = rows.index("ip route 10.1.0.0/16 10.0.0.6")
    assert rows[at - 1] == "ip route 10.1.0.0/16 10.0.0.2"


def test_the_same_route_with_another_distance_replaces_the_line() -> None:
    rows = changed((), (), ("ip route 10.1.0.0/16 10.0.0.2 200",))
    assert [row for row in rows if row.startswith("ip route")] == [
        "ip route 10.1.0.0/16 10.0.0.2 200"
    ]


def test_removing_a_neighbour_takes_all_its_lines() -> None:
    rows = changed(("router bgp 65536",), ("neighbor 10.0.0.2 remote-as 65537",))
    assert not [row for row in rows if "neighbor" in row]


def test_another_number_for_a_neighbour_leaves_its_other_lines() -> None:
    rows = changed(
        ("router bgp 65536",),
        ("neighbor 10.0.0.2 remote-as 65537",),
        ("neighbor 10.0.0.2 remote-as 65540",),
    )
    assert " neighbor 10.0.0.2 remote-as 65540" in rows
    assert " neighbor 10.0.0.2 update-source lo" in rows
    assert "  neighbor 10.0.0.2 route-map ALL in" in rows


def test_removing_a_section_takes_what_stands_in_it() -> None:
    rows = changed((), ("router bgp 65536",))
    assert not [row for row in rows if "neighbor" in row or "address-family" in row]
    assert "router ospf" in rows and "route-map ALL permit 10" in rows


def test_a_section_that_is_missing_is_made() -> None:
    rows = changed(("router rip",), (), ("network 10.0.0.0/30",))
    at = rows.index("router rip")
    assert rows[at : at + 3] == ["router rip", " network 10.0.0.0/30", "exit"]


def test_a_family_inside_a_section_is_made() -> None:
    rows = changed(
        ("router bgp 65536", "address-family ipv6 unicast"), (), ("network fd00:1::/64",)
    )
    at = rows.index(" address-family ipv6 unicast")
    assert rows[at + 1].strip() == "network fd00:1::/64"
    assert rows[at + 2] == " exit-address-family"


def test_no_shutdown_takes_the_shutdown_away() -> None:
    rows = changed(("interface eth0",), (), ("shutdown",))
    editor = Editor("quay", "frr.conf", "\n".join(rows) + "\n")
    editor.apply(TextEdit("quay", "frr.conf", ("interface eth0",), (), ("no shutdown",)))
    assert editor.text == TEXT


@pytest.mark.parametrize(
    ("context", "remove", "add", "says"),
    [
        ((), ("ip route 10.9.0.0/16 10.0.0.2",), (), "does not stand"),
        (("interface eth9",), ("shutdown",), (), "no section 'interface eth9'"),
        (("router ospf",), (), ("network 10.0.0.0/30 area 1",), "refuses"),
        (
            ("interface eth0",),
            (),
            ("ip ospf message-digest-key 1 md5 <secret:ba9876543210>",),
            "refuses",
        ),
    ],
)
def test_what_the_device_would_refuse_is_refused(
    context: tuple[str, ...], remove: tuple[str, ...], add: tuple[str, ...], says: str
) -> None:
    with pytest.raises(EditError, match=says):
        changed(context, remove, add)


TEXTS = sorted((ROOT / "tests" / "cases").glob("*-00/survey/devices/*/frr.conf"))


def lines_of(text: str) -> dict[str, list[str]]:
    """The lines of a text by section, whatever their order."""
    rows = text.split("\n")
    out: dict[str, list[str]] = {}

    def visit(section, trail: str) -> None:  # type: ignore[no-untyped-def]
        out.setdefault(trail, []).extend(sorted(" ".join(rows[n].split()) for n in section.body))
        for inner in section.inner:
            visit(inner, f"{trail}/{inner.opening}")

    visit(sections(rows), "")
    return {trail: sorted(lines) for trail, lines in out.items() if lines}


@pytest.mark.thorough
@given(st.data())
def test_what_is_edited_comes_back_as_edits(data: st.DataObject) -> None:
    """Lines taken out of a real text: the derived edits make the same text of it again."""
    old = data.draw(st.sampled_from(TEXTS)).read_text()
    rows = old.split("\n")
    inner = [
        n for n, row in enumerate(rows) if row.startswith(" ") and row.strip() not in ("", "!")
    ]
    gone = set(data.draw(st.lists(st.sampled_from(inner), max_size=4))) if inner else set()
    gone = {n for n in gone if "address-family" not in rows[n] and "remote-as" not in rows[n]}
    new = "\n".join(row for n, row in enumerate(rows) if n not in gone)
    editor = Editor("d", "frr.conf", old)
    for edit in edits_between("d", "frr.conf", old, new):
        assert isinstance(edit, TextEdit)
        editor.apply(edit)
    assert lines_of(editor.text) == lines_of(new)


@pytest.mark.thorough
@given(st.data())
def test_the_way_back_leads_back(data: st.DataObject) -> None:
    old = data.draw(st.sampled_from(TEXTS)).read_text()
    rows = old.split("\n")
    routes = [" ".join(row.split()) for row in rows if row.startswith("ip route ")]
    if not routes:
        return
    line = data.draw(st.sampled_from(routes))
    editor = Editor("d", "frr.conf", old)
    editor.apply(TextEdit("d", "frr.conf", (), (line,), ()))
    assert line not in editor.text.split("\n")
    editor.apply(TextEdit("d", "frr.conf", (), (), (line,)))
    assert lines_of(editor.text) == lines_of(old)
