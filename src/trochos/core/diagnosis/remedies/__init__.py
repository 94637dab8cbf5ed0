"""Remedies: for each kind of finding the edits that undo it, best judged first.

Nothing here decides that a remedy works; that is shown by computing the network again.
"""
