"""Remedies about routing instances: what is in the wrong one moves."""

from __future__ import annotations

from ...network.edits import Remedy
from ...network.facts import Interface, StaticRoute
from ...network.routing import Process
from ..findings.instances import Moved, place
from ..findings.leaks import Renamed
from .bench import Bench


def renamed(bench: Bench, what: Renamed) -> list[Remedy]:
    """Another route target for what an instance offers."""
    words = what.line.text.split()
    line = " ".join(what.new if word == what.old else word for word in words)
    edits = bench.writer(what.node).swap(what.line, line)
    node = bench.devices[what.node]
    title = f"On {node.chassis}: offer the routes of {place(node)} under {what.new}."
    return [Remedy(title, edits)] if edits else []


def remedies(bench: Bench, moved: Moved) -> list[Remedy]:
    """The move, if the device's language can say it."""
    here, there = bench.devices[moved.here], bench.devices[moved.there]
    writer = bench.writer(moved.here)
    what = moved.what
    if isinstance(what, Interface):
        edits = writer.interface_into(what, there.instance)
        title = f"On {here.chassis}: put {what.name} into {place(there)}."
    elif isinstance(what, StaticRoute):
        edits = writer.static_into(what, there.instance)
        title = f"On {here.chassis}: have the static route to {what.prefix} in {place(there)}."
    else:
        assert isinstance(what, Process)
        edits = writer.process_into(what, there.instance)
        title = f"On {here.chassis}: run {what.name} in {place(there)} instead."
    return [Remedy(title, edits)] if edits else []
