"""The inventory: which devices there are, and how to reach each (CONTRACT.md)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import yaml

METHODS = {"netconf": 830, "restconf": 443, "gnmi": 9339, "ssh": 22, "snmp": 161}
"""Each method with its port (RFC 6242, RFC 8040, the registry of ports, RFC 4253, RFC 3417)."""
MOST = 5000
_NAME = re.compile(r"[A-Za-z0-9][\w.-]{0,99}")
_FIELDS = ("name", "address", "method", "port", "credential", "group", "key")


class InventoryError(ValueError):
    """The inventory cannot be used; the message says where and why."""


@dataclass(frozen=True, slots=True)
class Target:
    """One device to gather from; `key` is the fingerprint that a person trusted, if any."""

    name: str
    address: str
    method: str
    port: int
    credential: str
    group: str = ""
    key: str | None = None


def target_from(entry: object, where: str = "The entry") -> Target:
    """One entry of an inventory.

    Raises:
        InventoryError: something is missing or means nothing.
    """
    if not isinstance(entry, dict):
        raise InventoryError(f"{where} is not a mapping with name, address, method, credential.")
    unknown = sorted(str(k) for k in entry if k not in _FIELDS)
    if "password" in unknown or "secret" in unknown or "community" in unknown:
        raise InventoryError(
            f"{where} holds a secret. Secrets never stand in the inventory; name a credential."
        )
    if unknown:
        raise InventoryError(
            f"{where} has a member {unknown[0]!r} that means nothing here. "
            f"Members: {', '.join(_FIELDS)}."
        )
    name, address = str(entry.get("name") or ""), str(entry.get("address") or "")
    if not _NAME.fullmatch(name):
        raise InventoryError(
            f"{where} needs a name of letters, digits, dots and dashes, not {name!r}."
        )
    if not re.fullmatch(r"[\w.:%-]{1,253}", address):
        raise InventoryError(f"{where} ({name}) needs an address or a host name, not {address!r}.")
    method = entry.get("method")
    if method not in METHODS:
        raise InventoryError(
            f"{where} ({name}) has the method {method!r}. Methods: {', '.join(METHODS)}."
        )
    port = entry.get("port") or METHODS[method]
    if not isinstance(port, int) or isinstance(port, bool) or not 0 < port < 65536:
        raise InventoryError(f"{where} ({name}): a port is a number from 1 to 65535.")
    credential = str(entry.get("credential") or "")
    if not credential:
        raise InventoryError(f"{where} ({name}) names no credential.")
    key = entry.get("key")
    return Target(
        name, address, method, port, credential, str(entry.get("group") or ""), key and str(key)
    )


def read_inventory(text: str) -> tuple[Target, ...]:
    """Reads an inventory from YAML.

    Raises:
        InventoryError: it is not YAML, not a list, or an entry cannot be used.
    """
    try:
        data = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        line = f", line {mark.line + 1}" if mark else ""
        raise InventoryError(f"The inventory is not YAML{line}.") from error
    if not isinstance(data, list) or not data:
        raise InventoryError("The inventory is a list of devices, and there is none in it.")
    if len(data) > MOST:
        raise InventoryError(f"The inventory lists more than {MOST} devices.")
    targets = [target_from(entry, f"Device {number}") for number, entry in enumerate(data, 1)]
    seen: set[str] = set()
    for target in targets:
        if target.name in seen:
            raise InventoryError(f"Two devices are called {target.name}.")
        seen.add(target.name)
    return tuple(targets)


def load_inventory(path: Path) -> tuple[Target, ...]:
    """Reads an inventory file.

    Raises:
        InventoryError: it is not there, or cannot be used.
    """
    try:
        return read_inventory(path.read_text("utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise InventoryError(f"The inventory {path} cannot be read.") from error
