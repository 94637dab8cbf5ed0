"""How each routing protocol is written, in each language: the one list of it."""

from __future__ import annotations

from .base import Part
from .frr.bgp import BgpText
from .frr.eigrp import EigrpText
from .frr.isis import IsisText
from .frr.ospf import OspfText
from .frr.rip import RipText
from .openconfig.bgp import BgpOpen
from .openconfig.isis import IsisOpen
from .openconfig.ospf import OspfOpen
from .yang.bgp import BgpTree
from .yang.eigrp import EigrpTree
from .yang.isis import IsisTree
from .yang.ospf import OspfTree
from .yang.rip import RipTree

FRR: list[type[Part]] = [OspfText, RipText, EigrpText, IsisText, BgpText]
YANG: list[type[Part]] = [OspfTree, RipTree, EigrpTree, IsisTree, BgpTree]
OPENCONFIG: list[type[Part]] = [OspfOpen, IsisOpen, BgpOpen]
