"""Small simulated devices on loopback: they serve a survey's network as live devices would.

They stand in for routers in the demo and in the tests; no packet is forwarded here.

datastore    YANG data that can be asked with filters and changed (RFC 6241)
device       one device: its texts, its tables, its key, and perhaps a fault
shell        SSH: the commands of a Linux system or an open-source router
netconf      NETCONF on that SSH (RFC 6242)
restconf     RESTCONF over HTTPS (RFC 8040)
mib, snmp    SNMP tables of what the device is, and the agent that gives them
faults       the ways in which a device can be bad
fleet        all devices of a survey, each at a port of its own
"""
