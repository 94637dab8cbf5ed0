"""The outpost at Holm: a kiosk and a tide gauge behind ness, a router of the lighthouse keepers."""

from __future__ import annotations

from company import Company, Host, Port, Router, Static

UNREAD = "ness"
"""It did not answer when the survey after the harbour works was taken."""


def add(company: Company) -> None:
    """As it was built."""
    routers, hosts = company.routers, company.hosts
    routers["heron"].ports.append(Port("ge6", ["10.64.0.49/30"], "to ness, lighthouse"))
    routers["heron"].statics += [
        Static("10.64.50.0/24", "10.64.0.50"),
        Static("10.64.0.52/30", "10.64.0.50"),
        Static("10.64.255.70/31", "10.64.0.50"),
    ]
    routers[UNREAD] = Router(
        UNREAD,
        "frr",
        [
            Port("lo", ["10.64.255.70/32"]),
            Port("eth0", ["10.64.0.50/30"], "to heron"),
            Port("eth1", ["10.64.0.53/30"], "to holm"),
        ],
        [
            Static("10.64.50.0/24", "10.64.0.54"),
            Static("10.64.255.71/32", "10.64.0.54"),
            Static("0.0.0.0/0", "10.64.0.49"),
        ],
    )
    routers["holm"] = Router(
        "holm",
        "frr",
        [
            Port("lo", ["10.64.255.71/32"]),
            Port("eth0", ["10.64.0.54/30"], "to ness, lighthouse"),
            Port("eth1", ["10.64.50.1/24"], "Holm, kiosk and gauge"),
        ],
        [Static("0.0.0.0/0", "10.64.0.53")],
    )
    hosts["holm-kiosk"] = Host("holm-kiosk", ["10.64.50.41/24"], ["10.64.50.1"])
    hosts["holm-gauge"] = Host("holm-gauge", ["10.64.50.20/24"], ["10.64.50.1"])
    company.links += [("ness", "eth0", "heron", "ge6"), ("holm", "eth0", "ness", "eth1")]
    company.lans["holm-lan"] = [
        ("holm", "eth1"),
        ("holm-kiosk", "eth0"),
        ("holm-gauge", "eth0"),
    ]
