"""YANG data -> facts: one module per data model that is read.

data      the file as a whole: interfaces, addresses, static routes
leaves    small helpers: a value together with its source
ospf      ietf-ospf (RFC 9129)
rip       ietf-rip (RFC 8695)
eigrp     trochos-eigrp (yang/trochos-eigrp.yang)
bgp       trochos-bgp (yang/trochos-bgp.yang)
policy    trochos-policy (yang/trochos-policy.yang): lists, route maps, redistribution
"""
