"""YANG data -> facts: one module per data model that is read.

data      the file as a whole: interfaces, addresses, static routes
leaves    small helpers: a value together with its source
model     what reads one routing protocol; each has a module that bears its name
policy    trochos-policy (yang/trochos-policy.yang): lists, route maps, redistribution
"""
