"""OpenConfig data -> facts: one module per part of the models.

data        all OpenConfig files of a device as one tree, and what is read of it
answers     what gNMI wraps around data, taken off
held        small helpers: a container with its `config`, values together with their sources
interfaces  openconfig-interfaces, -if-ip, -if-ethernet, -vlan, -if-tunnel
instances   openconfig-network-instance: which instance is which, static routes, connections
model       what reads one routing protocol; each has a module that bears its name
policy      openconfig-routing-policy, -bgp-policy: sets and definitions as route maps
acl         openconfig-acl
state       what a device shows of itself: neighbours on its links, its forwarding tables

`config` decides; `state` fills in what configuration cannot say. Where the models say nothing,
the same behaviour is assumed as for the routers that can be measured.
"""
