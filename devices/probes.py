"""What ping and traceroute print on a simulated device: what its network would do."""

from __future__ import annotations

import itertools
import shlex

from trochos.core.forwarding.endpoints import EndpointError
from trochos.core.forwarding.path import Path, Traffic
from trochos.core.survey import Computed


def said(network: Computed, device: str, command: str) -> str:
    """The output of one command, as far as those who read it look at it."""
    words = shlex.split(command)
    options = dict(itertools.pairwise(words))
    target = words[-1]
    source = options.get("-I") or options.get("-s" if words[0] == "traceroute" else "")
    size = int(options["-s"]) + 28 if words[0] == "ping" and "-s" in options else 0
    try:
        path = network.path(device, target, Traffic(source, size=size))
    except EndpointError as error:
        return f"{words[0]}: {error}\n"
    if words[0] == "ping":
        return _ping(path, target)
    return _trace(network, path, target)


def _ping(path: Path, target: str) -> str:
    received = {"yes": 3, "partly": 2}.get(path.works, 0)
    lines = [f"PING {target} ({target}) 56(84) bytes of data."]
    lines += [f"64 bytes from {target}: icmp_seq={n} ttl=60 time=0.9 ms" for n in range(received)]
    lines += ["", f"--- {target} ping statistics ---"]
    lost = round(100 * (3 - received) / 3)
    lines.append(f"3 packets transmitted, {received} received, {lost}% packet loss, time 2003ms")
    return "\n".join(lines) + "\n"


def _trace(network: Computed, path: Path, target: str) -> str:
    lines = [f"traceroute to {target} ({target}), 24 hops max, 60 byte packets"]
    hops = path.outbound.branches[0].hops
    arrived = path.outbound.branches[0].verdict == "delivered"
    for number, hop in enumerate(hops[1:], 1):
        last = number == len(hops) - 1
        shown = target if last and arrived else _address(network, hop.device, hop.arrived)
        lines.append(f" {number}  {shown}  0.{number} ms" if shown else f" {number}  *")
    return "\n".join(lines) + "\n"


def _address(network: Computed, device: str, interface: str | None) -> str | None:
    facts = network.network.device(device)
    held = facts.interface(interface) if facts is not None and interface else None
    for fact in held.addresses if held is not None else ():
        if not fact.address.is_link_local:
            return str(fact.address)
    return None
