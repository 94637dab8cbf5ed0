"""Two surveys side by side: texts, routes, neighbours, verdicts."""

from __future__ import annotations

import difflib
from dataclasses import dataclass

from ..forwarding.reach import Reach
from ..network.addressing import Prefix
from ..protocols.routes import Route
from ..protocols.tables import Tables
from ..readers.survey import Survey
from .rehearse import Effect, compare_pairs, neighbours_changed, same_route


@dataclass(frozen=True, slots=True)
class RouteChange:
    """An entry of a table that is new, gone or leads elsewhere."""

    device: str
    prefix: Prefix
    old: Route | None
    new: Route | None

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "prefix": str(self.prefix),
            "old": self.old.as_json() if self.old else None,
            "new": self.new.as_json() if self.new else None,
        }


def text_changes(old: Survey, new: Survey) -> list[dict[str, object]]:
    """Per file that differs a unified difference of the masked texts."""
    out: list[dict[str, object]] = []
    for device in sorted(old.files.keys() | new.files.keys()):
        before, after = old.files.get(device, {}), new.files.get(device, {})
        for file in sorted(before.keys() | after.keys()):
            left, right = before.get(file), after.get(file)
            if left == right:
                continue
            lines = difflib.unified_diff(
                (left or "").splitlines(),
                (right or "").splitlines(),
                "" if left is None else "old",
                "" if right is None else "new",
                lineterm="",
            )
            out.append({"device": device or None, "file": file, "diff": "\n".join(lines)})
    return out


def route_changes(old: Tables, new: Tables) -> list[RouteChange]:
    """Every entry that differs, by device and prefix."""
    out = []
    for key in sorted(old.tables.keys() | new.tables.keys()):
        before = old.tables[key].best if key in old.tables else {}
        after = new.tables[key].best if key in new.tables else {}
        for prefix in sorted(before.keys() | after.keys()):
            left, right = before.get(prefix), after.get(prefix)
            if not same_route(left, right):
                out.append(RouteChange(key[0], prefix, left, right))
    return out


@dataclass(slots=True)
class Comparison:
    """What differs between two surveys."""

    texts: list[dict[str, object]]
    routes: list[RouteChange]
    neighbours: dict[str, list[dict[str, object]]]
    effect: Effect

    @property
    def same(self) -> bool:
        return not (
            self.texts or self.routes or any(self.neighbours.values()) or not self.effect.nothing
        )

    def as_json(self) -> dict[str, object]:
        """The `compare` document of the contract."""
        return {
            "texts": self.texts,
            "routes": [change.as_json() for change in self.routes],
            "neighbours": self.neighbours,
            "verdicts": {
                **self.effect.as_json(),
                "gone": [pair.as_json() for pair in self.effect.gone],
                "new": [pair.as_json() for pair in self.effect.new],
            },
        }


def compare(
    old: Survey, new: Survey, tables: tuple[Tables, Tables], reach: tuple[Reach, Reach]
) -> Comparison:
    """Compares two surveys; `tables` and `reach` are theirs, old first."""
    return Comparison(
        text_changes(old, new),
        route_changes(*tables),
        neighbours_changed(*tables),
        compare_pairs(*reach),
    )
