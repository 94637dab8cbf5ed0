"""What BGP sessions refuse, and the line or the missing line behind it."""

from __future__ import annotations

import pytest
from surveys import compute, wired

from trochos.core.network.addressing import parse_prefix
from trochos.core.network.source import Source
from trochos.core.protocols.policy import list_permits
from trochos.core.readers.frr.policy import PolicyReader
from trochos.core.survey import Computed


def speaker(name: str, number: int, links: dict[str, tuple[str, str, int]], *more: str) -> str:
    """A router; `links` are port -> (own address, peer, the peer's AS)."""
    out = ["frr version 8.4.4", f"hostname {name}"]
    for port, (address, _, _) in links.items():
        out += [f"interface {port}", f" ip address {address}/30", "exit"]
    lan = f"10.64.{100 + len(name)}.0"
    out += ["interface lan", f" ip address {lan[:-1]}1/24", "exit"]
    out += [f"router bgp {number}", " no bgp ebgp-requires-policy"]
    out += [f" neighbor {peer} remote-as {other}" for _, peer, other in links.values()]
    out += [line for line in more if line.startswith(" neighbor")]
    out += [" address-family ipv4 unicast", f"  network {lan}/24"]
    out += [f" {line}" for line in more if line.startswith(("  ", " in-family"))]
    out += [" exit-address-family", "exit", *(line for line in more if line[0] != " ")]
    return "\n".join([*out, "end", ""])


def chain(east: int, *more: str) -> Computed:
    """west - middle - east, each a system of its own unless told otherwise."""
    texts = {
        "west": speaker("west", 65536, {"eth0": ("10.64.0.1", "10.64.0.2", 65537)}),
        "middle": speaker(
            "middle",
            65537,
            {
                "eth0": ("10.64.0.2", "10.64.0.1", 65536),
                "eth1": ("10.64.0.5", "10.64.0.6", east),
            },
        ),
        "eastern": speaker("eastern", east, {"eth0": ("10.64.0.6", "10.64.0.5", 65537)}, *more),
    }
    files = {f"devices/{name}/frr.conf": text for name, text in texts.items()}
    files["topology.json"] = wired(
        ("west", "eth0", "middle", "eth0"), ("middle", "eth1", "eastern", "eth0")
    )
    return compute(files)


def ends(survey: Computed) -> tuple[str, str]:
    def lan(name: str) -> str:
        device = survey.network.device(name)
        assert device is not None
        held = device.interface("lan")
        assert held is not None
        return str(held.addresses[0].address)

    return lan("west"), lan("eastern")


def test_without_a_policy_it_works() -> None:
    survey = chain(65538)
    assert survey.path(*ends(survey)).works == "yes"


def test_an_as_path_list_that_denies_is_named_with_its_entry() -> None:
    denied = "bgp as-path access-list FAR seq 5 deny _65536$"
    survey = chain(
        65538,
        "  neighbor 10.64.0.5 filter-list FAR in",
        denied,
        "bgp as-path access-list FAR seq 10 permit .*",
    )
    assert survey.path(*ends(survey)).works == "no"
    (first, *_) = survey.diagnose(*ends(survey)).causes
    assert (first.option.finding.kind, first.certainty) == ("policy-refuses", "proven")
    assert first.option.finding.evidence[0].text == denied
    assert first.option.edits[0].add == (denied.replace("deny", "permit"),)  # type: ignore[union-attr]


def test_two_sites_of_one_system_have_to_accept_their_own_number() -> None:
    survey = chain(65536)
    assert survey.path(*ends(survey)).works == "no"
    found = survey.diagnose(*ends(survey))
    kinds = {cause.option.finding.kind for cause in found.causes}
    assert "own-as-refused" in kinds or len(found.cure) == 2
    healed = survey.rehearse(
        tuple(
            edit
            for cause in found.causes
            if cause.option.finding.id in found.cure
            for edit in cause.option.edits
        )
    ).after
    assert healed.path(*ends(survey)).works == "yes"


@pytest.mark.parametrize("way", ["in", "out"])
def test_a_route_map_that_denies_is_named(way: str) -> None:
    survey = chain(
        65538, f"  neighbor 10.64.0.5 route-map SHUT {way}", "route-map SHUT deny 10", "exit"
    )
    assert survey.path(*ends(survey)).works == "no"
    (first, *_) = survey.diagnose(*ends(survey)).causes
    assert first.option.finding.device == "eastern" and first.certainty == "proven"
    assert "SHUT" in " ".join(source.text for source in first.option.finding.evidence)


@pytest.mark.parametrize(
    ("entries", "taken"),
    [
        (["permit 10.0.0.0 0.0.255.255"], {"10/8", "10/16", "10/24", "10.0.1/24"}),
        (["permit ip 10.0.0.0 0.0.255.255 any"], {"10/8", "10/16", "10/24", "10.0.1/24"}),
        (["permit ip 10.0.0.0 0.0.255.255 255.255.255.0 0.0.0.0"], {"10/24", "10.0.1/24"}),
        (["permit ip host 10.0.0.0 host 255.255.0.0"], {"10/16"}),
        (
            ["deny ip 10.0.1.0 0.0.0.255 any", "permit ip any any"],
            {"10/8", "10/16", "10/24", "10.1/16"},
        ),
        (["permit ip any 255.255.0.0 0.0.255.255"], {"10/16", "10/24", "10.0.1/24", "10.1/16"}),
        (["permit host 10.0.0.0"], {"10/8", "10/16", "10/24"}),
        (["permit 10.0.0.0"], {"10/8", "10/16", "10/24"}),
        (["permit 10.0.0.0/16"], {"10/16", "10/24", "10.0.1/24"}),
        (["permit 10.0.0.0/16 exact-match"], {"10/16"}),
    ],
)
def test_wildcards_compare_bits_and_leave_the_length_open(
    entries: list[str], taken: set[str]
) -> None:
    """As real routers filtered six routes with each of these lists."""
    names = {
        "10/8": "10.0.0.0/8",
        "10/16": "10.0.0.0/16",
        "10/24": "10.0.0.0/24",
        "10.0.1/24": "10.0.1.0/24",
        "10.1/16": "10.1.0.0/16",
    }
    reader = PolicyReader()
    where = Source("r", "frr.conf", 1, "access-list")
    for entry in entries:
        assert reader.top(["access-list", "L", *entry.split()], where) is True
    rules = reader.finish().access_lists[4, "L"]
    found = set()
    for name, text in names.items():
        prefix = parse_prefix(text)
        assert prefix is not None
        if list_permits(rules, prefix)[0]:
            found.add(name)
    assert found == taken
