"""`gather`: from live devices to a survey's folder."""

from __future__ import annotations

import argparse
import asyncio
import json
import sys
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import yaml

from ..core.network.addressing import Address, parse_address
from ..local import InputError, fingerprint_key


def trusted_keys(path: Path) -> dict[str, str]:
    """The keys that a person trusted, device -> fingerprint.

    Raises:
        InputError: the file is damaged.
    """
    if not path.exists():
        return {}
    try:
        held = yaml.safe_load(path.read_text("utf-8"))
    except (OSError, UnicodeDecodeError, yaml.YAMLError) as error:
        raise InputError(f"The trusted keys in {path} cannot be read.") from error
    if not isinstance(held, dict):
        raise InputError(f"The trusted keys in {path} are no mapping from device to key.")
    return {str(name): str(key) for name, key in held.items()}


def _given(items: list[str]) -> dict[str, str]:
    out = {}
    for item in items:
        name, mark, key = item.partition("=")
        if not mark or not key.startswith("SHA256:"):
            raise InputError(f"--trust takes DEVICE=SHA256:..., not {item!r}.")
        out[name] = key
    return out


def _asked(items: list[str], targets: tuple[Any, ...]) -> list[tuple[Any, Address]]:
    """What `--probe` asks of whom, checked before anybody is asked."""
    known = {target.name: target for target in targets}
    out = []
    for item in items:
        name, mark, text = item.partition("=")
        address = parse_address(text)
        if not mark or address is None:
            raise InputError(f"--probe takes DEVICE=ADDRESS, not {item!r}.")
        if name not in known:
            raise InputError(f"--probe names {name!r}, which is not in the inventory.")
        out.append((known[name], address))
    return out


def run_gather(options: argparse.Namespace) -> int:
    """Gathers every device of an inventory; 1 if a device failed."""
    try:
        from ..gather.credentials import from_environment
        from ..gather.inventory import InventoryError, load_inventory
        from ..gather.probes import FILE, Question, as_file, probe
        from ..gather.problems import Problem
        from ..gather.run import gather_all
        from ..gather.survey import as_json, device_files, survey_files
    except ImportError as error:
        raise InputError(
            "What talks to devices is not installed. Call ./trochos gather, which installs it."
        ) from error

    inventory = Path(options.inventory)
    out = Path(options.out)
    try:
        targets = load_inventory(inventory)
    except InventoryError as error:
        raise InputError(str(error)) from error
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise InputError(f"{out} is there already. Name a folder that is new or empty.")
    drawing = None
    if options.topology:
        try:
            drawing = Path(options.topology).read_text("utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise InputError(f"The wiring {options.topology} cannot be read.") from error
    keys_path = inventory.with_suffix(".keys.yaml")
    keys = trusted_keys(keys_path) | _given(options.trust)
    targets = tuple(replace(t, key=t.key or keys.get(t.name)) for t in targets)
    wanted = _asked(options.probe, targets)
    started = datetime.now(UTC)

    def say(text: str) -> None:
        if not options.json:
            print(text, file=sys.stderr)

    def told(outcome: Any) -> None:
        say(f"{outcome.target.name}: {outcome.problem or _gaps(outcome) or 'gathered'}")

    outcomes = asyncio.run(
        gather_all(
            targets,
            from_environment,
            at_once=options.at_once,
            finished=lambda o: None if _first(o) and options.trust_new else told(o),
        )
    )
    new = {o.target.name: o.shown_key or "" for o in outcomes if _first(o)}
    if new and options.trust_new:
        # Only keys that nobody knew; one that changed is never taken.
        say(f"Trusting {len(new)} keys that are shown for the first time.")
        keys |= new
        again = [replace(t, key=new[t.name]) for t in targets if t.name in new]
        more = asyncio.run(
            gather_all(again, from_environment, at_once=options.at_once, finished=told)
        )
        by_name = {o.target.name: o for o in more}
        outcomes = [by_name.get(o.target.name, o) for o in outcomes]
    if keys:
        keys_path.write_text(yaml.safe_dump(dict(sorted(keys.items()))))
    probed: dict[str, list[Any]] = {}
    refused: list[str] = []
    for target, address in wanted:
        target = replace(target, key=target.key or keys.get(target.name))
        question = Question(address)
        try:
            seen = asyncio.run(probe(target, from_environment(target.credential), question))
        except Problem as problem:
            refused.append(f"{target.name} was not asked for {address}: {problem}")
            say(refused[-1])
            continue
        say(f"{target.name} asked for {address}: {seen.echo.received} of {seen.echo.sent} echoes")
        probed.setdefault(target.name, []).append((question, seen, datetime.now(UTC)))
    secret = fingerprint_key()
    title = options.title or f"Gathered from {inventory.name}"
    devices = {o.target.name: device_files(o, secret) for o in outcomes}
    for name, taken in probed.items():
        devices[name][FILE] = as_file(taken)
    asked = [outcome.target.name for outcome in outcomes]
    files = survey_files(devices, title, started, drawing, asked)
    try:
        for path, data in files.items():
            place = out / path
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(data)
    except OSError as error:
        raise InputError(f"{out} cannot be written: {error.strerror or error}.") from error
    failed = [o for o in outcomes if o.problem is not None]
    document: dict[str, Any] = {
        "survey": str(out),
        "not_probed": refused,
        "devices": [
            {"name": o.target.name, **as_json(o), "shown_key": o.shown_key} for o in outcomes
        ],
    }
    if options.json:
        json.dump(document, sys.stdout, ensure_ascii=False, separators=(",", ":"))
        sys.stdout.write("\n")
    else:
        print(f"{len(outcomes) - len(failed)} of {len(outcomes)} devices are in {out}.")
        if new and not options.trust_new:
            print(
                "Compare the keys that are shown with the devices' own, then trust each with "
                "--trust DEVICE=KEY, or all of them with --trust-new."
            )
    return 1 if failed or refused else 0


def _first(outcome: Any) -> bool:
    """True if the device showed a key that nobody knew."""
    return bool(outcome.kind == "key-unknown" and outcome.shown_key)


def _gaps(outcome: Any) -> str:
    return " ".join(outcome.gathered.missing.values())
