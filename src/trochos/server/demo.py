"""Loads the demo network's surveys and complaints, once."""

from __future__ import annotations

import json
from pathlib import Path

from ..gather.inventory import read_inventory
from ..local import read_folder
from .gathering import vault
from .gathering.models import AllowedNetwork, InventoryDevice, Plan, StoredCredential
from .surveys.expected import check_later
from .surveys.jobs import desk_ahead
from .surveys.models import Case, CaseEvidence, ExpectationList, Proposal, StoredSurvey
from .surveys.store import store

FLEET = {
    "fleet": {"username": "surveyor", "password": "lantern-oil"},
    "fleet-snmp": {"community": "ebb-and-flow"},
}
"""What the simulated devices accept (devices/fleet.py); they guard nothing."""


LIVE = {
    "127.0.0.0/8": "the demo's simulated devices",
    "10.0.0.0/8": "the demo's own addresses, to be probed from its devices",
    "198.18.0.0/15": "the demo's own addresses, to be probed from its devices",
    "203.0.113.0/24": "the demo's own addresses, to be probed from its devices",
    "fd00::/8": "the demo's own addresses, to be probed from its devices",
}
"""Where live work may go in the demo."""


def load_live(inventory: Path, drawing: Path) -> None:
    """The simulated devices in the inventory, at the ports where they listen this time.

    Their keys are this installation's own, so they are trusted; what a person changed stays.
    """
    if not AllowedNetwork.objects.filter(note__in=LIVE.values()).exists():
        for network, note in LIVE.items():
            AllowedNetwork.objects.get_or_create(network=network, defaults={"note": note})
    credentials = {}
    for name, parts in FLEET.items():
        held = StoredCredential.objects.filter(name=name).first()
        if held is None:
            held = StoredCredential.objects.create(
                name=name,
                username=parts.get("username", ""),
                parts=sorted(parts),
                sealed=vault.seal(parts),
            )
        credentials[name] = held
    for target in read_inventory(inventory.read_text()):
        InventoryDevice.objects.update_or_create(
            name=target.name,
            credential=credentials[target.credential],
            defaults={
                "address": target.address,
                "method": target.method,
                "port": target.port,
                "group": target.group,
                "key": target.key or "",
            },
        )
    plan = Plan.current()
    if not plan.drawing and drawing.exists():
        plan.drawing = drawing.read_text()
        plan.save()


def _expect(stored: StoredSurvey, file: Path) -> None:
    """What the demo's network is held against, unless somebody said otherwise since."""
    ExpectationList.objects.get_or_create(
        network=stored.network, defaults={"text": file.read_text()}
    )
    check_later(stored)


def load(folder: Path) -> None:
    """Stores every survey named in the story, with its complaints, unless it is there."""
    story = folder / "story.json"
    if not story.exists():
        return
    told = json.loads(story.read_text())
    for entry in told["surveys"]:
        stored = store(read_folder(folder / entry["folder"]), None, None)
        if entry.get("expectations"):
            _expect(stored, folder / entry["expectations"])
        for change in entry.get("changes", []):
            if not stored.proposals.filter(title=change["title"]).exists():
                edits = json.loads((folder / change["file"]).read_text())["edits"]
                question = change.get("question", {})
                Proposal.objects.create(
                    survey=stored, title=change["title"], edits=edits, question=question
                )
        desk_ahead(stored)
        if stored.cases.exists():
            continue
        for case in entry.get("cases", []):
            seen = case.pop("evidence", [])
            opened = Case.objects.create(survey=stored, **case)
            for text in seen:
                CaseEvidence.objects.create(case=opened, **text)
