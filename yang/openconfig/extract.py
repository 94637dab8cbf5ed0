#!/usr/bin/env python3
"""Writes schema.json anew: OpenConfig's models as a JSON Schema of the data that Trochos reads.

The models' definitions come from `ocbindings` 0.1.0 of the package registry (MIT; made by a
generator from the published models, Apache-2.0), in an environment of its own:

    python3 -m venv /tmp/oc && /tmp/oc/bin/pip install ocbindings==0.1.0
    /tmp/oc/bin/python yang/openconfig/extract.py

Only configuration is described. What no reader here looks into is let through as it is.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from ocbindings.acl import acl
from ocbindings.interfaces import interfaces
from ocbindings.lldp import lldp
from ocbindings.network_instances import network_instances
from ocbindings.routing_policy import routing_policy

TOPS = (interfaces, network_instances, routing_policy, acl, lldp)
OPEN = frozenset(
    (
        *("state", "afts", "mpls", "segment-routing", "policy-forwarding", "evpn", "counters"),
        *("connection-points", "lsdb", "rib", "igmp", "pim", "gribi", "srte-policies", "poe"),
        *("traffic-engineering", "penalty-based-aied", "authentication-keys", "fdb", "hold-time"),
        *("segment-routing-policies", "ethernet-segment", "encapsulation"),
    )
)
"""Containers that are let through: state, and what is not looked into."""


class Extract:
    def __init__(self) -> None:
        self.shared: dict[str, Any] = {}

    def name(self, element: Any) -> str:
        return str(element._yang_name)

    def values(self, names: list[str]) -> dict[str, str]:
        """A set of words, said once."""
        text = json.dumps(names)
        key = hashlib.sha256(text.encode()).hexdigest()[:10]
        self.shared[key] = {"enum": names}
        return {"$ref": f"#/$defs/{key}"}

    def members(self, held: Any) -> dict[str, Any]:
        patterns = {}
        for name in held._pyangbind_elements:
            element = getattr(held, name)
            module = element._defining_module
            pattern = f"^(?:{module}:)?{element._yang_name}$"
            patterns[pattern] = self.element(element)
        return {"type": "object", "patternProperties": patterns, "additionalProperties": False}

    def element(self, element: Any) -> Any:
        if self.name(element) in OPEN:
            return True
        if element._is_leaf:
            return self.leaf(element)
        if element._yang_type == "list":
            inner = self.members(element._contained_class())
            keys = [k for k in str(element._keyval).split(" ") if k and k != "False"]
            spelled = [k.replace("_", "-") for k in keys]
            inner["required"] = spelled
            return {"type": "array", "items": inner}
        # A list without keys says of its entries nothing here.
        return self.members(element) if hasattr(element, "_pyangbind_elements") else True

    def leaf(self, element: Any) -> Any:
        if type(element).__mro__[1].__name__.startswith("TypedList"):
            return {"type": "array"}
        if element._yang_type == "empty":
            return {"const": [None]}
        if any(base.__name__ == "YANGBool" for base in type(element).__mro__):
            return {"type": "boolean"}
        restrictions: dict[str, Any] = {}
        for base in type(element).__mro__:
            held = getattr(base, "_restriction_dict", None)
            if held:
                restrictions = {**held, **restrictions}
        if "dict_key" in restrictions:
            words = set()
            for key, told in restrictions["dict_key"].items():
                module = told.get("@module")
                if ":" not in key or (module and key.startswith(f"{module}:")):
                    words.add(key)
            return self.values(sorted(words))
        kinds = {base.__name__ for base in type(element).__mro__}
        kind = str(element._yang_type)
        if kind in ("leafref", "union") or not kinds & {"int", "str"}:
            return {"type": ["string", "number", "boolean"]}
        out: dict[str, Any] = {"type": "string"}
        if "int" in kinds:
            low, high = self.range(restrictions)
            if high is not None and high > 0xFFFFFFFF:
                return {"type": "string", "pattern": "^-?[0-9]+$"}
            out = {"type": "integer"}
            if low is not None:
                out |= {"minimum": low, "maximum": high}
            if ":" in kind:
                # A type of its own name may be a union, of which the bindings show one part.
                out["type"] = ["integer", "string"]
        return out

    @staticmethod
    def range(restrictions: dict[str, Any]) -> tuple[int | None, int | None]:
        parts = restrictions.get("range")
        if not parts:
            return None, None
        ends = [end for part in parts for end in part.replace(" ", "").split("..")]
        try:
            return min(map(int, ends)), max(map(int, ends))
        except ValueError:
            return None, None


def main() -> None:
    extract = Extract()
    properties = {}
    for top in TOPS:
        held = top()
        name = held._yang_name
        module = {
            "interfaces": "openconfig-interfaces",
            "network-instances": "openconfig-network-instance",
            "routing-policy": "openconfig-routing-policy",
            "acl": "openconfig-acl",
            "lldp": "openconfig-lldp",
        }[name]
        properties[f"{module}:{name}"] = extract.members(held)
    schema = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$comment": "Made by extract.py from the published OpenConfig models (Apache-2.0).",
        "type": "object",
        "properties": properties,
        "$defs": extract.shared,
    }
    target = Path(__file__).parent / "schema.json"
    target.write_text(json.dumps(schema, separators=(",", ":"), sort_keys=True) + "\n")


if __name__ == "__main__":
    main()
