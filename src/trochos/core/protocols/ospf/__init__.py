"""OSPF version 2 (RFC 2328, 3101) and version 3 (RFC 5340), for all routers at once.

interfaces   which interfaces take part, with every setting that is in force there
neighbours   the gates between two ends, designated routers, adjacencies
spf          shortest paths and equal-cost next hops inside one area
domain       the whole: areas, borders and ranges, externals, the routes of each router
externals    what redistribution announces, and how routers choose among it
"""
