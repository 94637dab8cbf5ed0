"""One constructor of what is asked about, for every caller."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from trochos.core.forwarding.traffic import (
    SERVICES,
    Traffic,
    TrafficError,
    read_service,
    read_traffic,
)


@pytest.mark.parametrize(
    ("text", "means"),
    [
        ("tcp/443", ("tcp", 443)),
        ("TCP 443", ("tcp", 443)),
        (" udp/53 ", ("udp", 53)),
        ("443", ("tcp", 443)),
        ("https", ("tcp", 443)),
        ("HTTPS", ("tcp", 443)),
        ("domain", ("udp", 53)),
        ("postgresql", ("tcp", 5432)),
        ("", ("icmp", None)),
        ("icmp", ("icmp", None)),
    ],
)
def test_a_service_is_what_the_contract_says(text: str, means: tuple[str, int | None]) -> None:
    assert read_service(text) == means


@pytest.mark.parametrize(
    "text",
    ["banana", "tcp 99999", "tcp/0", "tcp", "udp", "icmp 8", "0", "70000", "tcp/443x", "tcp//443",
     "-1", "4 43", "²", "1" * 5000],
)  # fmt: skip
def test_anything_else_is_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(TrafficError) as refused:
        read_service(text)
    assert str(refused.value).endswith(".") and len(str(refused.value)) < 6000


@pytest.mark.parametrize(
    ("said", "says"),
    [
        ({"protocol": "sctp"}, "none of icmp, tcp, udp"),
        ({"port": "80"}, "ICMP has no ports"),
        ({"protocol": "tcp", "port": "http"}, "from 1 to 65535"),
        ({"size": "big"}, "number of bytes"),
        ({"size": "-1"}, "number of bytes"),
        ({"source": "h1"}, "is not an address"),
        ({"dont_fragment": "maybe"}, "true or false"),
        ({"service": "https", "port": 443}, "not both"),
    ],
)
def test_every_other_word_is_checked_too(said: dict[str, object], says: str) -> None:
    with pytest.raises(TrafficError, match=says):
        read_traffic(said)


def test_text_and_values_are_the_same_packet() -> None:
    typed = read_traffic(
        {"protocol": "tcp", "port": "443", "size": "1400", "dont_fragment": "true"}
    )
    held = read_traffic({"protocol": "tcp", "port": 443, "size": 1400, "dont_fragment": True})
    named = read_traffic({"service": "https", "size": 1400, "dont_fragment": True})
    assert typed == held == named == Traffic(None, "tcp", 443, 1400, True)


@given(st.sampled_from(sorted(SERVICES)))
def test_what_a_service_is_written_as_reads_back(name: str) -> None:
    protocol, port = read_service(name)
    assert read_service(Traffic(protocol=protocol, port=port).service) == (protocol, port)


@given(st.text(max_size=30))
def test_no_text_raises_anything_else(text: str) -> None:
    try:
        protocol, port = read_service(text)
    except TrafficError:
        return
    assert protocol in ("icmp", "tcp", "udp") and (port is None) == (protocol == "icmp")
