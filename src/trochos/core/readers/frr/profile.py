"""How an FRR 8.4 router on Linux behaves where standards leave it open."""

from ...network.facts import Profile
from ...network.habits import BgpHabits, EigrpHabits, OspfHabits, RipHabits

FRR = Profile(
    name="FRR on Linux",
    static_distance=1,
    down_keeps_connected=True,
    shut_keeps_ipv4=True,
    shut_keeps_ipv6=False,
    exit_hides_plain_gateway=True,
    answers_arp_for_all=True,
    ospf=OspfHabits(
        statement_ignores_mask=True,
        last_statement_wins=True,
        ranges_hide_others=True,
        hears_own_subnet_only=True,
        own_subnet_keeps_name=True,
        translation_resets_metric=True,
        own_stub_blinds_to_transit=True,
        virtual_link_makes_border=True,
        asks_for_external=True,
        translation_takes_over=True,
    ),
    rip=RipHabits(version=2, shares_equal_cost=False),
    eigrp=EigrpHabits(
        statement_ignores_mask=True,
        fixed_metrics=True,
        ignores_passive=True,
        ignores_redistribution=True,
        ignores_summaries=True,
    ),
    bgp=BgpHabits(max_paths=64),
)
