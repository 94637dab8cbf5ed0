"""How an FRR 8.4 router on Linux behaves where standards leave it open."""

from ...network.facts import Profile
from ..protocols import FRR as ROWS

FRR = Profile(
    name="FRR on Linux",
    static_distance=1,
    down_keeps_connected=True,
    shut_keeps_ipv4=True,
    shut_keeps_ipv6=False,
    exit_hides_plain_gateway=True,
    answers_arp_for_all=True,
    habits=tuple(row.habits for row in ROWS),
)
