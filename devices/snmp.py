"""The SNMP agent: v2c by community, v3 by user (RFC 3416, RFC 3414)."""

from __future__ import annotations

import bisect
from collections.abc import Callable
from typing import Any

from pysnmp.carrier.asyncio.dgram import udp
from pysnmp.entity import config, engine
from pysnmp.entity.rfc3413 import cmdrsp, context
from pysnmp.proto import rfc1902, rfc1905
from pysnmp.smi.instrum import AbstractMibInstrumController

from .faults import noise

Oid = tuple[int, ...]
Rows = Callable[[], dict[Oid, Any]]


class _Rows(AbstractMibInstrumController):  # type: ignore[misc]
    """Answers from a sorted list of rows."""

    def __init__(self, rows: Rows, fault: str | None) -> None:
        self.rows, self.fault = rows, fault

    def read_variables(self, *asked: Any, **_: Any) -> list[Any]:
        held = self.rows()
        return [(n, held.get(tuple(n), rfc1905.noSuchInstance)) for n, _ in asked]

    def read_next_variables(self, *asked: Any, **_: Any) -> list[Any]:
        held = self.rows()
        names = list(held)
        out = []
        for name, _ in asked:
            here = tuple(name)
            if self.fault == "lie":
                first = names[0]
                out.append((rfc1902.ObjectName(first), held[first]))
                continue
            if self.fault == "endless":
                step = (*here, 1) if len(here) < 20 else (*here[:-1], here[-1] + 1)
                out.append((rfc1902.ObjectName(step), rfc1902.OctetString(b"x" * 400)))
                continue
            if self.fault == "garbage":
                out.append(
                    (rfc1902.ObjectName((*here, 1)), rfc1902.OctetString(next(noise())[:90]))
                )
                continue
            at = bisect.bisect_right(names, here)
            if at == len(names):
                out.append((name, rfc1905.endOfMibView))
            else:
                out.append((rfc1902.ObjectName(names[at]), held[names[at]]))
        return out


def listen(
    rows: Rows, port: int, community: str, user: str, auth_key: str, fault: str | None = None
) -> engine.SnmpEngine:
    """The agent on loopback; `fault` as in `faults.FAULTS`."""
    agent = engine.SnmpEngine()
    transport = udp.UdpTransport().open_server_mode(("127.0.0.1", port))
    config.add_transport(agent, udp.DOMAIN_NAME, transport)
    config.add_v1_system(agent, "area", community if fault != "refuse" else community + "-not")
    config.add_v3_user(agent, user, config.USM_AUTH_HMAC96_SHA, auth_key)
    for model, name, level in ((2, "area", "noAuthNoPriv"), (3, user, "authNoPriv")):
        config.add_vacm_user(agent, model, name, level, (1,), ())
    held = context.SnmpContext(agent)
    held.unregister_context_name(rfc1902.OctetString(b""))
    held.register_context_name(rfc1902.OctetString(b""), _Rows(rows, fault))
    if fault != "hang":
        cmdrsp.GetCommandResponder(agent, held)
        cmdrsp.NextCommandResponder(agent, held)
        cmdrsp.BulkCommandResponder(agent, held)
    return agent
