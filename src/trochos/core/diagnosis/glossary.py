"""What the words on the screens mean: how a leg ends, and what the ends of a link have to agree on.

The manual's pages of verdicts and gates are written from here (docs/manual/make.py), and a test
holds that no word is missing.
"""

from __future__ import annotations

VERDICTS: dict[str, tuple[str, str]] = {
    "delivered": (
        "The packet reaches the device that was meant.",
        "If the complaint is true all the same, look at the other leg, at the size, and at the "
        "service.",
    ),
    "no-route": (
        "A device has the packet and no usable route to its target, not even a default.",
        "The decision says which routes cover the target and why none is usable, or why the "
        "device never heard of the prefix.",
    ),
    "discarded": (
        "A route or a rule of the device drops the packet without a word.",
        "Whether that route should be there: a summary's own discard route catches what a longer "
        "prefix should have taken.",
    ),
    "rejected": (
        "A route or a rule of the device refuses the packet and tells the sender.",
        "Whether that route or rule should be there, and what it was to protect.",
    ),
    "next-hop-unresolved": (
        "The route names a next hop to which the device itself has no way.",
        "The next hop's address: is it on a connected subnet, or known by another route?",
    ),
    "next-hop-silent": (
        "The device asks on the link for the next hop, or for the target, and nobody answers.",
        "Who should have that address there: a mistyped address, an interface that is off, a host "
        "that is gone, another VLAN.",
    ),
    "interface-down": (
        "The route leaves by an interface that is down.",
        "Whether it is switched off in the configuration, or has no carrier.",
    ),
    "not-forwarding": (
        "A device that is not the target has the packet and passes nothing on: a host, or a router "
        "whose forwarding is off.",
        "Who sent it there, or the switch that turns forwarding on.",
    ),
    "not-translated-back": (
        "The answer goes another way than the request and meets no device that remembers how the "
        "addresses were rewritten.",
        "Why the two ways differ; both have to pass the device that translates.",
    ),
    "filtered": (
        "A filter or a reverse-path check drops the packet without a word.",
        "The entry that decided; whether something before it should have let the packet pass.",
    ),
    "refused": (
        "A filter refuses the packet, or the target does because nobody listens there.",
        "The entry that decided, or the sockets of the target.",
    ),
    "wrong-segment": (
        "The next hop's address is there, on a link that does not hear the device that asks.",
        "The VLANs of the ports between the two.",
    ),
    "loop": (
        "Devices send the packet to each other in a circle until its hop limit is spent.",
        "The member that should send it out of the circle and does not: often a summary or a "
        "default that points back.",
    ),
    "hop-limit": (
        "The packet passes more devices than its hop limit allows.",
        "Whether the way should be that long.",
    ),
    "too-big": (
        "The packet does not fit an interface on its way, and may not be cut up.",
        "The size at each hop; on tunnels, what the outer header takes away.",
    ),
    "wrong-host": (
        "Another device than the one that was meant has the target's address and takes the packet.",
        "Who had the address first, and who answers on that link.",
    ),
    "no-source": (
        "The sender has no address that it could send from.",
        "Its addresses, and the interface by which it would leave.",
    ),
    "name-unknown": (
        "The name that was asked for has no address where the sender looks it up.",
        "The sender's own list of names and its resolvers.",
    ),
    "unknown": (
        "Something that decides here is not computed, was not read, or cannot be said.",
        "The line or the device that is named: read it, or judge it yourself. What is certain all "
        "the same stands beside it.",
    ),
}
"""Per verdict: what happened, and what to look at."""

GATES: dict[str, str] = {
    "switched on": "Both ends are not shut down.",
    "line": "The link is up at both ends: plugged in, switched on, with a carrier.",
    "IPv4 subnet": "Both ends have an IPv4 address in one subnet, with masks of the same length.",
    "IPv6 subnet": "Both ends have an IPv6 address in one subnet, with prefixes of one length.",
    "next hop answers": "Somebody on the link has the address that the route names.",
    "MTU": "Both ends take packets of the same size; OSPF compares it on the way to full.",
    "enabled": "The protocol runs on both interfaces.",
    "not passive": "Neither end is passive: it announces its subnet and talks to nobody there.",
    "filter": "No filter of either device stops the protocol's own packets.",
    "subnet": "Both ends lie in one subnet, as each of them sees it.",
    "mask": "On a shared network both ends have the same mask (RFC 2328, 10.5).",
    "area": "Both ends are in one area.",
    "area type": "Both ends take the area for the same sort: normal, stub or not so stubby.",
    "hello interval": "Both ends say hello equally often (RFC 2328, 10.5).",
    "dead interval": "Both ends give a silent neighbour up after the same time.",
    "authentication type": "Both ends authenticate in the same way, or neither does.",
    "authentication key": "Both ends hold the same key. Keys are compared by their fingerprints.",
    "authentication": "Both ends authenticate in the same way and with the same key.",
    "router ids differ": "The two routers have different router ids.",
    "network type": "Both ends treat the link as the same sort of network: broadcast or point to "
    "point.",
    "link-local address": "Both ends have a link-local address, over which OSPFv3 talks.",
    "instance": "Both ends use one instance number on the link (RFC 5340).",
    "neighbour listed": "Where nobody is found by multicast, each end lists the other one.",
    "virtual link": "Each end of the virtual link names the other's router id.",
    "transit area": "Both ends name the same area to pass through.",
    "transit area type": "The area that is passed through carries all prefixes: no stub area does.",
    "way through the area": "The area that is passed through connects the two ends.",
    "virtual authentication": "Both ends of the virtual link authenticate in the same way.",
    "virtual key": "Both ends of the virtual link hold the same key.",
    "virtual hello interval": "Both ends of the virtual link say hello equally often.",
    "virtual dead interval": "Both ends give a silent end of the virtual link up after the same "
    "time.",
    "version": "Both ends speak one version, or one hears what the other sends.",
    "autonomous system": "Both ends have the same number of the autonomous system.",
    "K values": "Both ends weigh metrics alike (RFC 7868).",
    "level": "Both ends speak a level in common on this circuit.",
    "system id": "The two routers have different system ids.",
    "hello password": "Both ends authenticate their hellos alike.",
    "hello size": "Hellos are padded to the size of the link, so both ends have to take it.",
    "address family": "Both ends route a family in common over this circuit.",
    "topology": "Both ends carry IPv6 in the same topology.",
    "metric style": "Each end understands the metrics that the other announces, and uses IPv6 "
    "with its own.",
    "announcement password": "What the other end announces is authenticated as this one expects.",
    "configured": "Each end names the other as its peer.",
    "peer address": "Each end names an address that the other one has.",
    "reachable": "Each end has a way to the address of the other, and packets come back.",
    "opens the session": "At least one end may open the session: a passive one only waits.",
    "source address": "Each end sends from the address that the other one expects.",
    "hop limit": "The session's packets get as far as they have to: multihop and TTL security.",
    "password": "Both ends hold the same password, or none.",
    "AS number": "Each end has the AS number that the other one expects.",
    "role": "The roles of the two ends fit (RFC 9234).",
    "prefix limit": "Neither end is told more prefixes than it accepts.",
    "external policy": "Between different systems, a policy lets routes in and out (RFC 8212).",
    "IPv4 family": "Both ends have switched IPv4 on for this peer.",
    "IPv6 family": "Both ends have switched IPv6 on for this peer.",
    "peer near": "An external peer one hop away is on a connected network; else its routes stay "
    "unused.",
    "link": "The routers that share an address hear each other on one link.",
    "router id": "They take part in the same virtual router.",
    "interval": "They advertise equally often.",
    "unicast peers": "Where they talk to named peers, each names the others.",
    "addresses": "They share the same addresses.",
    "tracked": "What one of them tracks does not take its priority away.",
}
"""Per gate: what holds where it holds."""
