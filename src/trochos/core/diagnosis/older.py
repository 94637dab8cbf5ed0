"""What an older survey of the network says of a remedy: whether it was so before.

Of two ends that differ, or of two devices with one address, the older survey says who was there
first. It decides nothing alone: a remedy is proven by computing the network with it, as ever.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..change.data import plain
from ..change.paths import Step, down, steps_of, wrapped
from ..change.text import Section, sections, slot, squeeze
from ..network.edits import DataEdit, Edit, EditError, Remedy, TextEdit
from ..readers.frr.abbreviations import spelled
from ..readers.located import Node, parse_data
from ..readers.survey import Survey

RESTORES, NEW, STOOD = -1, 0, 1
"""How an edit stands to the older survey: it puts back what was there; it changes what came since,
or of which nothing is known; it changes what stood there before already."""


def _alike(node: Node | None, steps: list[Step]) -> list[Any]:
    """Every value at a path in which places of lists stand for all of them: captures list what
    they list in any order."""
    if node is None:
        return []
    if not steps:
        return [plain(node)]
    step, rest = steps[0], steps[1:]
    if step[0].isdigit():
        return [value for entry in node.elements() for value in _alike(entry, rest)]
    return _alike(down(node, step), rest)


class Older:
    """The texts of an older survey of the same network."""

    def __init__(self, survey: Survey) -> None:
        self.survey = survey
        self._lines: dict[tuple[str, str], tuple[Section, list[str]]] = {}

    def standing(self, edits: Iterable[Edit]) -> int:
        """How a remedy stands to it: `RESTORES` if every edit does, `STOOD` if any changes what
        was there before, else `NEW`."""
        found = [self._edit(edit) for edit in edits]
        if not found or STOOD in found:
            return STOOD if found else NEW
        return RESTORES if all(one == RESTORES for one in found) else NEW

    def _edit(self, edit: Edit) -> int:
        if isinstance(edit, DataEdit):
            return self._data(edit)
        return self._text(edit) if isinstance(edit, TextEdit) else NEW

    def _data(self, edit: DataEdit) -> int:
        text = self.survey.text(edit.device, edit.file)
        if text is None:
            return NEW
        try:
            held = _alike(wrapped(parse_data(text)), steps_of(edit.path))
        except (EditError, ValueError):
            return NEW
        if edit.new in held if edit.new is not None else edit.old not in held:
            return RESTORES if edit.old is None or edit.old not in held else NEW
        return STOOD if edit.old is not None and edit.old in held else NEW

    def as_it_was(self, remedy: Remedy) -> Remedy | None:
        """The same places put back to what stood there before, if that is something else."""
        out: list[Edit] = []
        said: list[str] = []
        for edit in remedy.edits:
            was: tuple[Edit, str] | None = None
            if isinstance(edit, DataEdit):
                was = self._value(edit)
            elif isinstance(edit, TextEdit):
                was = self._line(edit)
            if was is None:
                return None
            out.append(was[0])
            said.append(was[1])
        if tuple(out) == remedy.edits or not out:
            return None
        device = remedy.edits[0].device
        what = ", ".join(f'"{text}"' for text in dict.fromkeys(said))
        return Remedy(f"On {device}: put back {what}, as it was before.", tuple(out))

    def _value(self, edit: DataEdit) -> tuple[DataEdit, str] | None:
        """An edit that sets a value to the one of before; None if there was none, or it is."""
        text = self.survey.text(edit.device, edit.file)
        if text is None or edit.old is None or isinstance(edit.old, dict | list):
            return None
        try:
            held = _alike(wrapped(parse_data(text)), steps_of(edit.path))
        except (EditError, ValueError):
            return None
        if len(held) != 1 or held[0] in (edit.old, None) or isinstance(held[0], dict | list):
            return None
        return edit._replace(new=held[0]), str(held[0])

    def _line(self, edit: TextEdit) -> tuple[TextEdit, str] | None:
        """An edit that puts a line back that the device takes instead of the one that stands."""
        if len(edit.remove) != 1 or len(edit.add) != 1:
            return None
        opening = edit.context[-1] if edit.context else ""
        place = slot(opening, squeeze(edit.remove[0]))
        held = self._held(edit.device, edit.file, edit.context)
        if place is None or held is None or squeeze(edit.remove[0]) in held:
            return None
        found = [line for line in held if slot(opening, line) == place]
        return (edit._replace(add=(found[0],)), found[0]) if len(found) == 1 else None

    def _text(self, edit: TextEdit) -> int:
        held = self._held(edit.device, edit.file, edit.context)
        if held is None:
            return NEW
        removed = {squeeze(line) for line in edit.remove} - {squeeze(line) for line in edit.add}
        added = {squeeze(line) for line in edit.add} - {squeeze(line) for line in edit.remove}
        if added <= held and not removed & held:
            return RESTORES
        return STOOD if removed & held else NEW

    def _held(self, device: str, file: str, context: tuple[str, ...]) -> set[str] | None:
        """The lines that stood in a section; None if the device was not there."""
        text = self.survey.text(device, file)
        if text is None:
            return None
        key = (device, file)
        if key not in self._lines:
            lines = spelled(text)
            self._lines[key] = (sections(lines), lines)
        root, lines = self._lines[key]
        level = [root]
        for opening in context:
            level = [item for here in level for item in here.inner if item.opening == opening]
        out = {squeeze(lines[number]) for here in level for number in here.body}
        return out | {item.opening for here in level for item in here.inner}

    def says(self, standing: int) -> str | None:
        """What it says of a remedy, for people."""
        name = " of ".join(
            part
            for part in (
                self.survey.network.title and f'"{self.survey.network.title}"',
                (self.survey.network.taken_at or "")[:10],
            )
            if part
        )
        if standing == RESTORES:
            return f"It stood so in the survey before, {name}." if name else "It stood so before."
        if standing == STOOD:
            return (
                f"What it changes stood there already in the survey before, {name}."
                if name
                else "What it changes stood there already before."
            )
        return None
