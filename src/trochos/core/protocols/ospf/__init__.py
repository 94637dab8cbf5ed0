"""OSPF version 2 (RFC 2328, 3101) and version 3 (RFC 5340), for all routers at once.

interfaces   which interfaces take part, with every setting that is in force there
neighbours   the gates between two ends, designated routers, adjacencies
areas        the graph of every area: its routers, the ways between them, what each announces
router       one router, and what a cell of the arrays says
holdings     what all routers hold for all prefixes, as arrays
origins      where it came from, by number; sentences on demand
ways         the ways to routers that announce externals
summaries    what borders announce into one area
borders      what is announced between areas, and the inter-area routes
externals    what redistribution announces
choice       how externals travel, and which a router uses
rows         the arrays as a table takes them in
domain       the whole, and the routes of each router
speakers     the whole as the scheduler sees it
"""
