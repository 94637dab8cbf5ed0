"""Live devices -> a survey, over open protocols.

inventory    which devices there are, and how to reach each
credentials  what a device is told so that it answers; never written anywhere from here
problems     what can go wrong with one device, as a sentence for a person
bounds       how long and how much one device may take
methods/     one module per protocol: netconf, restconf, ssh, snmp
collect      one device: connect, check its key, fetch, try again where that helps
run          many devices at once, with a limit; what each gave, or why not
probes       what a device sees when it asks for a target
survey       the results as the files of a survey

Nothing here writes to a device: every request is a read, from a fixed list.
"""
