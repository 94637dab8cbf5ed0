"""EIGRP in YANG data (yang/trochos-eigrp.yang)."""

from __future__ import annotations

from typing import ClassVar

from ....network.eigrp import EigrpProcess
from ..base import Edits
from .part import YangPart


class EigrpTree(YangPart):
    """`trochos-eigrp`."""

    protocol: ClassVar[str] = EigrpProcess.protocol
    module = "trochos-eigrp:eigrp"
    leaves: ClassVar[dict[str, str]] = {
        "authentication": "authentication",
        "key chain": "key-chain",
        "passive": "passive",
    }

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        if what == "autonomous system":
            return self.writer.set(f"{base}/autonomous-system", int(value))
        if what == "K values":
            named = {f"k{n}": int(k) for n, k in enumerate(value.split()[:5], 1)}
            return self.writer.set(f"{base}/k-values", named)
        return None
