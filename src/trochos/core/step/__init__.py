"""What one device does with one packet, and one packet followed from device to device.

`kernel` decides at each device, on what stands beside it: `links` (what carries), `near` (who
answers on a link), `table` and `rows` (how tables are kept and asked), `nexthops` and `statics`
(which next hops are usable), `filters`, `rules`, `translate`, `sources`. `walk` follows a packet
over every branch and gives `legs`; `tunnels` goes through tunnels by walking the outer packet.

Everybody who sends a packet stands on it: paths and all pairs, sessions of BGP, tunnels, probes.
No protocol is known here, and nothing is uncertain: what is not computed is said by the view on
top (`forwarding.view`).
"""
