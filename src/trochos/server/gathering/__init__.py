"""Gathering from live devices: the inventory, the vault, the queue, and what came of it.

models   what is stored: devices, credentials (sealed), gatherings and their parts
vault    sealing credentials under a key that is not in the database
queueing the queue as those see it who put work into it
tasks    the work that workers take from the queue
runs     beginning, ending and giving up a gathering
shapes   the API's documents
views    the API
"""
