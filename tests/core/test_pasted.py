"""What somebody saw and mailed: outputs of the usual tools, understood and set beside the way."""

from __future__ import annotations

import json
import random

import pytest
from surveys import compute, frr, wired

from trochos.core.diagnosis.probed import Echo, Probed, beside
from trochos.core.readers.pasted import Seen, outputs, read_pasted


def one(text: str) -> Seen:
    (seen,) = outputs(read_pasted(text))
    return seen


PING = """PING booking-db (10.64.9.20) 56(84) bytes of data.
64 bytes from booking-db (10.64.9.20): icmp_seq=1 ttl=61 time=0.412 ms
64 bytes from booking-db (10.64.9.20): icmp_seq=2 ttl=61 time=0.398 ms (DUP!)

--- booking-db ping statistics ---
3 packets transmitted, 2 received, +1 duplicates, 33% packet loss, time 2030ms
rtt min/avg/max/mdev = 0.398/0.405/0.412/0.007 ms
"""
REFUSED = """PING 10.64.9.20 (10.64.9.20) from 10.64.1.10 : 1372(1400) bytes of data.
From 10.64.2.1 icmp_seq=1 Destination Host Unreachable
From gull (10.64.2.1): icmp_seq=2 Destination Host Unreachable

--- 10.64.9.20 ping statistics ---
3 packets transmitted, 0 received, +2 errors, 100% packet loss, time 2049ms
pipe 3
"""
BUSYBOX = """PING 10.64.9.20 (10.64.9.20): 56 data bytes
64 bytes from 10.64.9.20: seq=0 ttl=61 time=0.311 ms

--- 10.64.9.20 ping statistics ---
1 packets transmitted, 1 packets received, 0% packet loss
round-trip min/avg/max = 0.311/0.311/0.311 ms
"""
SIX = """PING 2001:db8:9::20(2001:db8:9::20) 56 data bytes
64 bytes from 2001:db8:9::20: icmp_seq=1 ttl=61 time=0.5 ms
64 bytes from 2001:db8:9::20: icmp_seq=2 ttl=61 time=0.5 ms
"""
SIX_NAMED = """PING booking-db(booking-db.islands.example (2001:db8:9::20)) 56 data bytes
From fe80::1%eth0 icmp_seq=1 Destination unreachable: No route

--- booking-db ping statistics ---
1 packets transmitted, 0 received, +1 errors, 100% packet loss, time 0ms
"""
TRACE = """traceroute to booking-db (10.64.9.20), 30 hops max, 60 byte packets
 1  gull (10.64.1.1)  0.512 ms  0.433 ms  0.401 ms
 2  10.64.12.2 (10.64.12.2)  1.012 ms 10.64.13.2 (10.64.13.2)  1.120 ms  1.099 ms
 3  * * *
 4  10.64.30.1 (10.64.30.1) [AS65540]  2.0 ms !H  2.1 ms !H *
"""
TRACE_N = """traceroute to 10.64.9.20 (10.64.9.20), 30 hops max, 46 byte packets
 1  10.64.1.1  0.005 ms
 2  *
 3  10.64.9.20  0.020 ms
"""
TRACE6 = """traceroute to 2001:db8:9::20 (2001:db8:9::20) from 2001:db8:1::10, 30 hops max
 1  2001:db8:1::1 (2001:db8:1::1)  0.5 ms  0.4 ms  0.4 ms
 2  2001:DB8:9:0::20 (2001:db8:9::20)  1.5 ms  1.4 ms  1.4 ms
"""
PATH = """ 1?: [LOCALHOST]                      pmtu 1500
 1:  gull                                                  0.333ms
 1:  gull                                                  0.201ms
 2:  10.64.12.2                                            0.501ms pmtu 1400
 2:  no reply
 3:  booking-db (10.64.9.20)                               0.902ms reached
     Resume: pmtu 1400 hops 3 back 3
"""
PATH_LOST = """ 1?: [LOCALHOST]     pmtu 1500
 1:  10.64.1.1                                             0.333ms
 2:  no reply
 3:  10.64.13.2                                            3.2ms asymm  2
 4:  10.64.30.1                                            9.9ms !H
     Resume: pmtu 1500
"""
MTR = json.dumps({"report": {"mtr": {"src": "desk", "dst": "10.64.9.20", "tests": 10}, "hubs": [
    {"count": 1, "host": "10.64.1.1", "Loss%": 0.0, "Snt": 10},
    {"count": "2", "host": "???", "Loss%": 100.0, "Snt": 10},
    {"count": 3, "host": "booking-db (10.64.9.20)", "Loss%": 0.0, "Snt": 10},
]}})  # fmt: skip
MTR_REPORT = """Start: 2026-05-04T06:30:00+0000
HOST: desk                        Loss%   Snt   Last   Avg  Best  Wrst StDev
  1.|-- 10.64.1.1                  0.0%    10    0.3   0.3   0.2   0.4   0.1
  2.|-- ???                       100.0    10    0.0   0.0   0.0   0.0   0.0
  3.|-- 10.64.9.20                 0.0%    10    0.9   0.9   0.8   1.0   0.1
"""
ALL = {
    "ping": PING, "refused": REFUSED, "busybox": BUSYBOX, "ping6": SIX, "named6": SIX_NAMED,
    "trace": TRACE, "trace-n": TRACE_N, "trace6": TRACE6, "path": PATH, "path-lost": PATH_LOST,
    "mtr": MTR, "report": MTR_REPORT,
}  # fmt: skip


@pytest.mark.parametrize("name", ALL)
def test_every_line_of_a_plain_output_is_understood(name: str) -> None:
    found = read_pasted(ALL[name])
    assert found.unread == []
    assert len(list(outputs(found))) == 1


def test_pings_say_how_many_and_who_answered_instead() -> None:
    seen = one(PING)
    assert (str(seen.target), seen.name, seen.sent, seen.received) == (
        "10.64.9.20", "booking-db", 3, 2,
    )  # fmt: skip
    seen = one(REFUSED)
    assert (str(seen.source), seen.size, seen.sent, seen.received) == ("10.64.1.10", 1400, 3, 0)
    assert seen.says == "10.64.2.1 answered: Destination Host Unreachable"
    assert (one(BUSYBOX).sent, one(BUSYBOX).received) == (1, 1)
    cut = one(SIX)
    assert (str(cut.target), cut.sent, cut.received) == ("2001:db8:9::20", 2, 2), "counted"
    assert "No route" in (one(SIX_NAMED).says or "")


def test_traces_say_who_answered_at_each_hop() -> None:
    seen = one(TRACE)
    assert seen.hops == (("10.64.1.1",), ("10.64.12.2", "10.64.13.2"), (), ("10.64.30.1",))
    assert not seen.reached and seen.says == "10.64.30.1 answered: host unreachable"
    assert one(TRACE_N).hops == (("10.64.1.1",), (), ("10.64.9.20",)) and one(TRACE_N).reached
    six = one(TRACE6)
    assert six.reached and six.hops is not None and six.hops[1] == ("2001:db8:9::20",)
    assert str(six.source) == "2001:db8:1::10"
    path = one(PATH)
    assert path.hops == (("gull",), ("10.64.12.2",), ("10.64.9.20",))
    assert path.reached and path.mtu == 1400
    lost = one(PATH_LOST)
    assert lost.hops == (("10.64.1.1",), (), ("10.64.13.2",), ("10.64.30.1",)) and not lost.reached
    for text in (MTR, MTR_REPORT):
        assert one(text).hops == (("10.64.1.1",), (), ("10.64.9.20",))
        assert one(text).sender == "desk"
    assert one(MTR).reached


def test_mail_and_terminals_around_it_are_taken_off() -> None:
    text = "\n".join(
        [
            "Hello, it still does not work, see below.",
            *("> " + line for line in ("ann@desk:~$ ping -c3 10.64.9.20", *REFUSED.splitlines())),
            "> [ann@desk ~]$ traceroute booking-db",
            *("> " + line for line in TRACE.splitlines()),
            "> ann@desk:~$ ",
        ]
    )
    found = read_pasted(text)
    ping, trace = outputs(found)
    assert ping.sender == trace.sender == "desk"
    assert (ping.tool, trace.tool) == ("ping", "traceroute")
    assert [line for _, line in found.unread] == [
        "Hello, it still does not work, see below.",
    ]


def test_what_was_never_sent_says_why() -> None:
    for text in (
        "$ ping 10.64.9.20\nping: connect: Network is unreachable",
        "ping: sendmsg: Network is unreachable",
        "ping: booking-dbx: Name or service not known",
    ):
        seen = one(text)
        assert seen.received == 0 and seen.says


def test_noise_and_cut_texts_never_raise() -> None:
    rng = random.Random(7)
    for text in ALL.values():
        for _ in range(60):
            mangled = list(text)
            for _ in range(rng.randint(1, 12)):
                at = rng.randrange(len(mangled))
                mangled[at : at + rng.randint(0, 5)] = rng.choice(
                    ["", "*", " ", "\n", "é", "((", "999"]
                )
                if not mangled:
                    break
            read_pasted("".join(mangled))
            read_pasted(text[: rng.randint(0, len(text))])


# -- beside the computed way ----------------------------------------------------------------------

LINKS = [
    ("desk", "eth0", "gull", "eth0"), ("gull", "eth1", "heron", "eth1"),
    ("gull", "eth2", "tern", "eth1"), ("heron", "eth2", "dock", "eth1"),
    ("tern", "eth2", "dock", "eth2"), ("dock", "eth0", "pier", "eth0"),
]  # fmt: skip


def network(shared: dict[str, str] | None = None):  # type: ignore[no-untyped-def]
    ospf = ("router ospf", " network 10.64.0.0/16 area 0", "exit")
    ports = {
        "gull": {"eth0": "10.64.1.1/24", "eth1": "10.64.12.1/30", "eth2": "10.64.13.1/30"},
        "heron": {"eth1": "10.64.12.2/30", "eth2": "10.64.24.1/30"},
        "tern": {"eth1": "10.64.13.2/30", "eth2": "10.64.34.1/30"},
        "dock": {"eth0": "10.64.9.1/24", "eth1": "10.64.24.2/30", "eth2": "10.64.34.2/30"},
    }
    files = {"topology.json": wired(*LINKS), **(shared or {})}
    files |= {f"devices/{n}/frr.conf": frr(n, held, *ospf) for n, held in ports.items()}
    for name, address, gateway in (("desk", "10.64.1.10/24", "10.64.1.1"),
                                   ("pier", "10.64.9.20/24", "10.64.9.1")):  # fmt: skip
        files[f"devices/{name}/frr.conf"] = frr(
            name, {"eth0": address}, f"ip route 0.0.0.0/0 {gateway}"
        )
    return compute(files)


def judged(text: str):  # type: ignore[no-untyped-def]
    survey, seen = network(), one(text)
    path = survey.path("desk", "10.64.9.20")
    probed = Probed(Echo(seen.sent, seen.received, seen.says), seen.hops)
    return beside(survey.forwarding, path, probed)


def traced(*hops: str) -> str:
    lines = ["traceroute to 10.64.9.20 (10.64.9.20), 30 hops max, 60 byte packets"]
    return "\n".join(lines + [f" {n}  {hop}  1.0 ms" if hop != "*" else f" {n}  * * *"
                              for n, hop in enumerate(hops, 1)])  # fmt: skip


def test_a_trace_is_laid_beside_the_way_hop_by_hop() -> None:
    good = judged(traced("10.64.1.1", "10.64.12.2", "10.64.24.2", "10.64.9.20"))
    assert good.agrees and [row.state for row in good.hops] == ["same"] * 4
    other = judged(traced("10.64.1.1", "10.64.13.2", "10.64.34.2", "10.64.9.20"))
    assert other.agrees and [row.state for row in other.hops][1] == "branch"
    quiet = judged(traced("10.64.1.1", "*", "10.64.24.2", "10.64.9.20"))
    assert quiet.agrees and quiet.hops[1].state == "silent" and "Hop 2 did not" in quiet.says
    stranger = judged(traced("10.64.1.1", "192.0.2.7", "10.64.24.2", "10.64.9.20"))
    assert not stranger.agrees and stranger.hops[1].state == "stranger"
    assert "192.0.2.7, which nobody surveyed has" in stranger.says
    named = judged(PATH.replace("booking-db (10.64.9.20)", "10.64.9.20").replace(
        " 3:  10.64.9.20", " 3:  dock  0.8ms\n 4:  10.64.9.20"))  # fmt: skip
    assert named.agrees and named.hops[0].device == "gull"
    ends = judged(traced("10.64.1.1", "10.64.12.2", "*"))
    assert not ends.agrees and ends.hops[3].state == "stops"


def test_a_mailed_output_in_a_survey_is_set_beside_it() -> None:
    survey = network({"devices/desk/mail.txt": traced("10.64.1.1", "192.0.2.7", "10.64.9.20"),
                      "devices/desk/mtr.json": MTR})  # fmt: skip
    desk = survey.network.device("desk")
    assert desk is not None and len(desk.probes) == 2
    kinds = {r.file: r.kind for r in survey.survey.reading}
    assert kinds["mail.txt"] == kinds["mtr.json"] == "what somebody saw"
    assert [f.device for f in survey.findings if f.kind == "probe-disagrees"] == ["desk"]
    assert survey.routes_json() == network().routes_json(), "it changes no table"
