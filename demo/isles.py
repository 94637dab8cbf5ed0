"""The northern isles: the part of the ferry company whose routers talk to each other.

OSPF with a backbone and two areas; the fleet's RIP and the workshop's EIGRP behind borders
that redistribute; three outside systems over BGP. Everything is reached from the rest of
the company over lantern.
"""

from __future__ import annotations

from company import Company, Host, Port, Protocol, Router, Static

BACKBONE = "10.64.128"


def _ospf(router_id: str, *lines: str) -> Protocol:
    return Protocol("router ospf", [f"ospf router-id {router_id}", *lines])


def _transfer(number: int, side: int) -> str:
    return f"{BACKBONE}.{number * 4 + side}/30"


def add(company: Company) -> None:
    """Adds the isles to the healthy company."""
    lantern = company.routers["lantern"]
    lantern.ports.append(Port("eth3", [_transfer(0, 1)], "to fulmar, the isles", ospf=0))
    lantern.protocols.append(
        _ospf("10.64.255.5", "network 10.64.128.0/30 area 0", "default-information originate")
    )
    fulmar = Router(
        "fulmar",
        "frr",
        [
            Port("lo", ["10.64.255.50/32"]),
            Port("eth0", [_transfer(0, 2)], "to lantern", ospf=0),
            Port("eth1", [_transfer(1, 1)], "to puffin", ospf=0),
            Port("eth2", [_transfer(2, 1)], "to auk", ospf=0),
            Port("eth3", [_transfer(4, 1)], "to teal", ospf=0),
            Port("eth4", [_transfer(5, 1)], "to petrel", ospf=0),
            Port("eth5", [_transfer(6, 1)], "to dunlin", ospf=0),
        ],
        protocols=[
            _ospf("10.64.255.50", "network 10.64.128.0/24 area 0", "network 10.64.255.50/32 area 0")
        ],
    )
    puffin = Router(
        "puffin",
        "frr",
        [
            Port("lo", ["10.64.255.51/32"]),
            Port("eth0", [_transfer(1, 2)], "to fulmar", ospf=0),
            Port("eth1", [_transfer(3, 1)], "to auk", ospf=0),
            Port("eth2", ["10.64.160.1/30"], "to rail", ospf=2),
            Port("eth3", ["203.0.113.9/30"], "to tidewater"),
            Port("eth4", ["203.0.113.13/30"], "to harbourbank"),
            Port("eth5", ["203.0.113.17/30"], "to signalco"),
        ],
        [
            Static("10.64.128.0/18", special="discard"),
            Static("10.64.192.0/20", special="discard"),
            Static("198.18.255.50/32", "203.0.113.14"),
        ],
        [
            _ospf(
                "10.64.255.51",
                "redistribute bgp",
                "network 10.64.128.0/24 area 0",
                "network 10.64.160.0/24 area 2",
                "network 10.64.255.51/32 area 0",
                "area 2 range 10.64.160.0/20",
            ),
            Protocol(
                "router bgp 65536",
                [
                    "bgp router-id 10.64.255.51",
                    "neighbor 198.18.255.50 remote-as 65541",
                    "neighbor 198.18.255.50 passive",
                    "neighbor 198.18.255.50 ebgp-multihop 2",
                    "neighbor 198.18.255.50 update-source lo",
                    "neighbor 203.0.113.10 remote-as 65540",
                    "neighbor 203.0.113.18 remote-as 65542",
                    "!",
                    "address-family ipv4 unicast",
                    " network 10.64.128.0/18",
                    " network 10.64.192.0/20",
                    *[
                        f" neighbor {peer} route-map {name} {way}"
                        for peer in ("198.18.255.50", "203.0.113.10", "203.0.113.18")
                        for name, way in (("OUTSIDE", "in"), ("ISLES", "out"))
                    ],
                    "exit-address-family",
                ],
            ),
        ],
        policy=[
            "ip prefix-list ISLES seq 5 permit 10.64.128.0/18",
            "ip prefix-list ISLES seq 10 permit 10.64.192.0/20",
            "ip prefix-list OUTSIDE seq 5 permit 198.18.0.0/15 le 24",
            "route-map ISLES permit 10",
            " match ip address prefix-list ISLES",
            "exit",
            "route-map OUTSIDE permit 10",
            " match ip address prefix-list OUTSIDE",
            "exit",
        ],
    )
    auk = Router(
        "auk",
        "yang",
        [
            Port("lo", ["10.64.255.52/32"]),
            Port("eth0", [_transfer(2, 2)], "to fulmar", ospf=0),
            Port("eth1", [_transfer(3, 2)], "to puffin", ospf=0),
            Port("eth2", ["10.64.144.1/30"], "to shag", ospf=1),
        ],
        protocols=[
            _ospf(
                "10.64.255.52",
                "network 10.64.128.0/24 area 0",
                "network 10.64.144.0/30 area 1",
                "network 10.64.255.52/32 area 0",
                "area 1 stub",
            )
        ],
    )
    shag = Router(
        "shag",
        "frr",
        [
            Port("lo", ["10.64.255.53/32"]),
            Port("eth0", ["10.64.144.2/30"], "to auk", ospf=1),
            Port("eth1", ["10.64.145.1/24"], "Shag Rock, kiosks"),
        ],
        protocols=[
            _ospf(
                "10.64.255.53",
                "passive-interface eth1",
                "network 10.64.144.0/23 area 1",
                "network 10.64.255.53/32 area 1",
                "area 1 stub",
            )
        ],
    )
    rail = Router(
        "rail",
        "yang",
        [
            Port("lo", ["10.64.160.250/32"]),
            Port("eth0", ["10.64.160.2/30"], "to puffin", ospf=2),
            Port("eth1", ["10.64.161.1/24"], "Rail Head, kiosks"),
        ],
        protocols=[
            _ospf("10.64.160.250", "passive-interface eth1", "network 10.64.160.0/23 area 2")
        ],
    )
    teal = Router(
        "teal",
        "openconfig",
        [
            Port("lo", ["10.64.255.55/32"]),
            Port("eth0", [_transfer(4, 2)], "to fulmar", ospf=0),
            Port("eth1", ["10.64.130.1/24"], "seamen's school"),
        ],
        protocols=[
            _ospf(
                "10.64.255.55",
                "passive-interface eth1",
                "network 10.64.128.0/17 area 0",
                "network 10.64.255.55/32 area 0",
            )
        ],
    )
    petrel = Router(
        "petrel",
        "frr",
        [
            Port("lo", ["10.64.255.56/32"]),
            Port("eth0", [_transfer(5, 2)], "to fulmar", ospf=0),
            Port("eth1", ["10.64.176.1/30"], "to noddy"),
            Port("eth2", ["10.64.176.5/30"], "to booby"),
        ],
        protocols=[
            _ospf(
                "10.64.255.56",
                "redistribute connected route-map FLEET",
                "redistribute rip route-map FLEET",
                "network 10.64.128.0/24 area 0",
                "network 10.64.255.56/32 area 0",
            ),
            Protocol(
                "router rip",
                ["default-information originate", "network 10.64.176.0/24", "version 2"],
            ),
        ],
        policy=[
            "ip prefix-list FLEET seq 5 permit 10.64.176.0/24 le 30",
            "ip prefix-list FLEET seq 10 permit 10.64.177.0/24",
            "ip prefix-list FLEET seq 15 permit 10.64.178.0/24",
            "route-map FLEET permit 10",
            " match ip address prefix-list FLEET",
            "exit",
        ],
    )
    noddy = Router(
        "noddy",
        "yang",
        [
            Port("eth0", ["10.64.176.2/30"], "to petrel"),
            Port("eth1", ["10.64.177.1/24"], "the Noddy, bridge"),
        ],
        protocols=[
            Protocol(
                "router rip", ["network 10.64.176.0/23", "passive-interface eth1", "version 2"]
            )
        ],
    )
    booby = Router(
        "booby",
        "frr",
        [
            Port("eth0", ["10.64.176.6/30"], "to petrel"),
            Port("eth1", ["10.64.178.1/24"], "the Booby, bridge"),
        ],
        protocols=[
            Protocol(
                "router rip",
                [
                    "network 10.64.176.4/30",
                    "network 10.64.178.0/24",
                    "passive-interface eth1",
                    "version 2",
                ],
            )
        ],
    )
    dunlin = Router(
        "dunlin",
        "frr",
        [
            Port("lo", ["10.64.255.57/32"]),
            Port("eth0", [_transfer(6, 2)], "to fulmar", ospf=0),
            Port("eth1", ["10.64.192.1/30"], "to knot"),
            Port("eth2", ["10.64.192.5/30"], "to ruff"),
        ],
        protocols=[
            _ospf(
                "10.64.255.57",
                "redistribute connected",
                "redistribute eigrp",
                "network 10.64.128.0/24 area 0",
                "network 10.64.255.57/32 area 0",
            ),
            Protocol("router eigrp 64", ["eigrp router-id 10.64.255.57", "network 10.64.192.0/24"]),
        ],
    )
    knot = Router(
        "knot",
        "yang",
        [
            Port("eth0", ["10.64.192.2/30"], "to dunlin"),
            Port("eth1", ["10.64.193.1/24"], "workshop, lathes"),
        ],
        [Static("0.0.0.0/0", "10.64.192.1")],
        [Protocol("router eigrp 64", ["network 10.64.192.0/30", "network 10.64.193.0/24"])],
    )
    ruff = Router(
        "ruff",
        "yang",
        [
            Port("eth0", ["10.64.192.6/30"], "to dunlin"),
            Port("eth1", ["10.64.194.1/24"], "workshop, presses"),
        ],
        [Static("0.0.0.0/0", "10.64.192.5")],
        [Protocol("router eigrp 64", ["network 10.64.192.4/30", "network 10.64.194.0/24"])],
    )
    outside = [
        _outside("tidewater", 65540, "203.0.113.10", "203.0.113.9", "198.18.40.1", "tide tables"),
        _outside("signalco", 65542, "203.0.113.18", "203.0.113.17", "198.18.60.1", "buoys"),
    ]
    harbourbank = _outside(
        "harbourbank", 65541, "203.0.113.14", "10.64.255.51", "198.18.50.1", "clearing desk"
    )
    harbourbank.ports.insert(0, Port("lo", ["198.18.255.50/32"]))
    harbourbank.statics = [Static("10.64.255.51/32", "203.0.113.13")]
    harbourbank.protocols[0].lines[2:2] = [
        "neighbor 10.64.255.51 ebgp-multihop 2",
        "neighbor 10.64.255.51 update-source lo",
    ]
    for router in (
        fulmar,
        puffin,
        auk,
        shag,
        rail,
        teal,
        petrel,
        noddy,
        booby,
        dunlin,
        knot,
        ruff,
        *outside,
        harbourbank,
    ):
        company.routers[router.name] = router
    for host in (
        Host("shag-kiosk", ["10.64.145.41/24"], ["10.64.145.1"]),
        Host("rail-kiosk", ["10.64.161.41/24"], ["10.64.161.1"]),
        Host("school-desk", ["10.64.130.23/24"], ["10.64.130.1"]),
        Host("noddy-tablet", ["10.64.177.33/24"], ["10.64.177.1"]),
        Host("booby-tablet", ["10.64.178.33/24"], ["10.64.178.1"]),
        Host("lathe", ["10.64.193.12/24"], ["10.64.193.1"]),
        Host("press", ["10.64.194.12/24"], ["10.64.194.1"]),
        Host("tide-tables", ["198.18.40.10/24"], ["198.18.40.1"]),
        Host("bank-desk", ["198.18.50.10/24"], ["198.18.50.1"]),
        Host("buoy-watch", ["198.18.60.10/24"], ["198.18.60.1"]),
    ):
        company.hosts[host.name] = host
    company.links += [
        ("lantern", "eth3", "fulmar", "eth0"),
        ("fulmar", "eth1", "puffin", "eth0"),
        ("fulmar", "eth2", "auk", "eth0"),
        ("puffin", "eth1", "auk", "eth1"),
        ("fulmar", "eth3", "teal", "eth0"),
        ("fulmar", "eth4", "petrel", "eth0"),
        ("fulmar", "eth5", "dunlin", "eth0"),
        ("puffin", "eth2", "rail", "eth0"),
        ("puffin", "eth3", "tidewater", "eth0"),
        ("puffin", "eth4", "harbourbank", "eth0"),
        ("puffin", "eth5", "signalco", "eth0"),
        ("auk", "eth2", "shag", "eth0"),
        ("petrel", "eth1", "noddy", "eth0"),
        ("petrel", "eth2", "booby", "eth0"),
        ("dunlin", "eth1", "knot", "eth0"),
        ("dunlin", "eth2", "ruff", "eth0"),
        ("shag", "eth1", "shag-kiosk", "eth0"),
        ("rail", "eth1", "rail-kiosk", "eth0"),
        ("teal", "eth1", "school-desk", "eth0"),
        ("noddy", "eth1", "noddy-tablet", "eth0"),
        ("booby", "eth1", "booby-tablet", "eth0"),
        ("knot", "eth1", "lathe", "eth0"),
        ("ruff", "eth1", "press", "eth0"),
        ("tidewater", "eth1", "tide-tables", "eth0"),
        ("harbourbank", "eth1", "bank-desk", "eth0"),
        ("signalco", "eth1", "buoy-watch", "eth0"),
    ]


def _outside(name: str, number: int, address: str, peer: str, lan: str, what: str) -> Router:
    """A router of another system with one network behind it."""
    network = lan.rsplit(".", 1)[0] + ".0/24"
    return Router(
        name,
        "yang",
        [Port("eth0", [f"{address}/30"], "to puffin"), Port("eth1", [f"{lan}/24"], what)],
        [],
        [
            Protocol(
                f"router bgp {number}",
                [
                    f"bgp router-id {lan}",
                    f"neighbor {peer} remote-as 65536",
                    "!",
                    "address-family ipv4 unicast",
                    f" network {network}",
                    f" neighbor {peer} route-map ANY in",
                    f" neighbor {peer} route-map ANY out",
                    "exit-address-family",
                ],
            )
        ],
        ["route-map ANY permit 10", "exit"],
    )


def change(company: Company) -> None:
    """The week of changes in the isles."""
    routers = company.routers

    def lines(name: str, head: str) -> list[str]:
        return next(p for p in routers[name].protocols if p.head.startswith(head)).lines

    def edit(name: str, head: str, old: str, new: str | None) -> None:
        held = lines(name, head)
        at = held.index(old)
        held[at : at + 1] = [] if new is None else [new]

    # shag was replaced, and the new one says hello more slowly.
    routers["shag"].port("eth0").hello = 5
    # The range for Rail Head was meant to tidy up, and hides it instead.
    edit(
        "puffin",
        "router ospf",
        "area 2 range 10.64.160.0/20",
        "area 2 range 10.64.160.0/20 not-advertise",
    )
    # noddy's whole RIP was set passive.
    edit("noddy", "router rip", "passive-interface eth1", "passive-interface default")
    # The list of the fleet's networks was written again from memory.
    routers["petrel"].policy.remove("ip prefix-list FLEET seq 15 permit 10.64.178.0/24")
    # knot's number has its digits swapped.
    routers["knot"].protocols[0].head = "router eigrp 46"
    # ruff's statement names a network that it does not have.
    edit("ruff", "router eigrp", "network 10.64.194.0/24", "network 10.64.149.0/24")
    # harbourbank talks from its port's address now, which puffin does not know.
    edit("harbourbank", "router bgp", "neighbor 10.64.255.51 update-source lo", None)
    # signalco forgot the policy for what it announces.
    edit("signalco", "router bgp", " neighbor 203.0.113.17 route-map ANY out", None)
