"""How each routing protocol is read, from each format: the one list of it."""

from __future__ import annotations

from .frr import bgp as frr_bgp
from .frr import eigrp as frr_eigrp
from .frr import isis as frr_isis
from .frr import ospf as frr_ospf
from .frr import rip as frr_rip
from .frr.section import TextRow
from .openconfig import bgp as open_bgp
from .openconfig import isis as open_isis
from .openconfig import ospf as open_ospf
from .openconfig.model import Model as OpenModel
from .yang import bgp as yang_bgp
from .yang import eigrp as yang_eigrp
from .yang import isis as yang_isis
from .yang import ospf as yang_ospf
from .yang import rip as yang_rip
from .yang.model import Model

FRR: list[TextRow] = [frr_ospf.TEXT, frr_rip.TEXT, frr_eigrp.TEXT, frr_isis.TEXT, frr_bgp.TEXT]

YANG: dict[str, Model] = (
    yang_ospf.MODELS | yang_rip.MODELS | yang_eigrp.MODELS | yang_isis.MODELS | yang_bgp.MODELS
)
"""By the identity that a control plane protocol's type names."""

OPENCONFIG: dict[str, OpenModel] = open_ospf.MODELS | open_isis.MODELS | open_bgp.MODELS
"""By the identity that OpenConfig gives a protocol."""
