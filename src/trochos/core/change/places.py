"""Where edits would strike: the lines they take, the places they fill."""

from __future__ import annotations

from collections.abc import Iterable

from ..network.edits import DataEdit, Edit, EditError, TextEdit
from ..network.source import Source
from ..readers.located import DataError, parse_data
from ..readers.located_json import Document
from ..readers.report import split_lines
from ..readers.survey import Survey
from .braces import editor_of
from .paths import at_path

MOST = 3
"""How many places are named: a long remedy is read as a whole, not line by line."""


def places_of(survey: Survey, edits: Iterable[Edit]) -> list[Source]:
    """The lines that edits would replace or remove, then those they would add.

    Empty for edits that cannot be made on the texts as they stand.
    """
    taken: list[Source] = []
    added: list[Source] = []
    for edit in edits:
        if isinstance(edit, DataEdit):
            taken += value_at(survey, edit)
            continue
        text = survey.text(edit.device, edit.file) if isinstance(edit, TextEdit) else None
        if not isinstance(edit, TextEdit) or text is None:
            continue
        editor = editor_of(edit.device, edit.file, text)
        try:
            editor.apply(edit)
        except EditError:
            return []
        kept = {line.origin for line in editor.lines}
        for number, row in enumerate(text.split("\n"), 1):
            if number not in kept and row.strip() not in ("", "!", "exit", "}"):
                taken.append(Source(edit.device, edit.file, number, row.strip()))
        after: int | None = None
        for line in editor.lines:
            if line.origin is not None:
                after = line.origin
            elif line.text.strip() not in ("", "!", "exit", "}", *edit.context):
                added.append(
                    Source(
                        edit.device, edit.file, None, line.text.strip(), missing=True, after=after
                    )
                )
    # What replaces a line stands at that line; only what is nowhere yet is missing.
    return (taken or added)[:MOST]


def value_at(survey: Survey, edit: DataEdit) -> list[Source]:
    """The line of the value that stands where an edit of data changes something; none where there
    is nothing yet, or the text cannot be read."""
    text = survey.text(edit.device, edit.file)
    if text is None:
        return []
    try:
        root = parse_data(text)
        node = at_path(root, edit.path)
    except (DataError, EditError):
        return []
    if node is None:
        return []
    quoted = Document(text, split_lines(text), root).quote(node)
    return [Source(edit.device, edit.file, node.key_line, quoted, edit.path)]
