"""Addresses and prefixes against the standard library, and the tree of longest matches."""

from __future__ import annotations

import ipaddress

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from trochos.core.forwarding.matching import match_columns
from trochos.core.network.addressing import (
    BITS,
    Address,
    Prefix,
    eui64_link_local,
    format_address,
    mask_length,
    parse_address,
    parse_interface_address,
    parse_prefix,
    prefix_of,
)
from trochos.core.step.routes import NextHop, Route
from trochos.core.step.rows import Columns, Row, Winners
from trochos.core.step.table import Lookup

families = st.sampled_from([4, 6])


@st.composite
def addresses(draw: st.DrawFn, family: int | None = None) -> Address:
    chosen = family or draw(families)
    return Address(chosen, draw(st.integers(0, 2 ** BITS[chosen] - 1)))


@st.composite
def prefixes(draw: st.DrawFn, family: int | None = None) -> Prefix:
    address = draw(addresses(family))
    return prefix_of(address, draw(st.integers(0, BITS[address.family])))


@given(addresses())
def test_text_is_the_standard_form(address: Address) -> None:
    assert str(address) == str(ipaddress.ip_address(str(address)))
    assert parse_address(str(address)) == address


@given(st.text(alphabet="0123456789abcdef.:/ g", max_size=24))
def test_what_is_not_an_address_is_refused_like_the_library_does(text: str) -> None:
    try:
        expected = ipaddress.ip_address(text)
    except ValueError:
        # Leading zeros are refused by the library; routers write none.
        assert parse_address(text) is None or "0" in text
    else:
        found = parse_address(text)
        assert found is not None and int(expected) == found.value


@given(prefixes(), addresses())
def test_containing(prefix: Prefix, address: Address) -> None:
    network = ipaddress.ip_network(str(prefix))
    same = prefix.family == address.family
    assert prefix.contains(address) == (same and ipaddress.ip_address(str(address)) in network)
    assert parse_prefix(str(prefix)) == prefix


@given(families.flatmap(lambda f: st.tuples(prefixes(f), prefixes(f))))
def test_covering(pair: tuple[Prefix, Prefix]) -> None:
    one, other = pair
    a, b = ipaddress.ip_network(str(one)), ipaddress.ip_network(str(other))
    assert one.covers(other) == b.subnet_of(a)  # type: ignore[arg-type]
    assert one.overlaps(other) == a.overlaps(b)


def _route(prefix: Prefix) -> Route:
    return Route(
        prefix,
        "static",
        1,
        0,
        (NextHop("forward", None, f"eth{prefix.length % 3}"),),
        selected=True,
    )


class _OneOfThree(Row):
    """Offers some prefixes, each over one of three interfaces."""

    protocol = "static"

    def __init__(self, columns: Columns, offered: set[Prefix]) -> None:
        self.columns = columns
        self.sets = [(), *((NextHop("forward", None, f"eth{n}"),) for n in range(3))]
        self.ids = np.array(
            [p.length % 3 + 1 if p in offered else 0 for p in columns.prefixes], dtype=np.int32
        )

    def route(self, column: int) -> Route:
        return _route(self.columns.prefixes[column])

    @property
    def values(self) -> tuple[np.ndarray, ...]:
        return ()

    def rest_on_same(self, columns: np.ndarray, other: Row, theirs: np.ndarray) -> bool:
        return other is self


@pytest.mark.thorough
@given(
    families.flatmap(
        lambda f: st.tuples(
            st.lists(st.lists(prefixes(f), max_size=12), min_size=1, max_size=4),
            st.lists(addresses(f), min_size=1, max_size=12),
        )
    )
)
def test_all_longest_matches_at_once_equal_one_by_one(
    drawn: tuple[list[list[Prefix]], list[Address]],
) -> None:
    held, wanted = drawn
    # Addresses at random seldom hit anything, so the networks' own addresses come along.
    wanted = [*wanted, *(Address(p.family, p.network) for table in held for p in table)]
    columns = Columns(dict.fromkeys(p for table in held for p in table[::2]))
    tables = [
        Winners(
            {p: _route(p) for p in table if p not in table[::2]},
            [(row := _OneOfThree(columns, set(table[::2])), row.ids > 0)],
        )
        for table in held
    ]
    for singly in (True, False):
        index, routes = match_columns(tables, wanted, singly)
        assert index.shape == (len(tables), len(wanted))
        for at, table in enumerate(tables):
            lookup = Lookup(table)
            for column, address in enumerate(wanted):
                found = lookup(address)
                number = index[at, column]
                assert (number < 0) == (found is None)
                if found is not None:
                    one = routes[at][number]
                    assert one.next_hops == found.next_hops
                    assert singly is False or one.prefix == found.prefix
    index, routes = match_columns(tables, wanted, True)
    for row, table in enumerate(tables):
        lookup = Lookup(table)
        for column, address in enumerate(wanted):
            direct = max(
                (p for p in table if p.contains(address)), key=lambda p: p.length, default=None
            )
            at = index[row, column]
            assert (None if at < 0 else routes[row][at].prefix) == direct
            found = lookup(address)
            assert (found.prefix if found else None) == direct


def test_oddities() -> None:
    assert parse_interface_address("10.64.0.1/33") is None
    assert parse_interface_address("10.64.0.1") is None
    assert parse_address("256.1.1.1") is None
    assert parse_address("fe80::1%eth0") is None
    assert mask_length(Address(4, 0xFFFFFF00)) == 24
    assert mask_length(Address(4, 0xFF00FF00)) is None
    assert format_address(6, 1) == "::1"
    link_local = eui64_link_local("02:51:57:bb:b7:5c")
    assert str(link_local) == "fe80::51:57ff:febb:b75c"
    assert eui64_link_local("not a mac") is None
