"""Secrets in changes: masked as they come in, put back only into texts that held them.

What somebody types into a change may hold a secret. It becomes a fingerprint before anything
else sees the edit, as in every text that is read. Only `rehearse --out` on a local folder goes
the other way: kept lines are copied from the input, and a fingerprint in a new line becomes
the secret that the input texts, or the change itself, hold for it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping

from ..network.edits import DataEdit, Down, Edit, EditError, TextEdit
from ..network.source import MARK
from ..readers.masking import mask
from .apply import edit_texts
from .data import DataEditor
from .text import Editor

_MARK = re.compile(MARK)


def secrets_of(raw: str, masked: str) -> dict[str, str]:
    """Fingerprint -> secret, read off a text and its masked twin line by line."""
    out: dict[str, str] = {}
    for plain, hidden in zip(raw.split("\n"), masked.split("\n"), strict=False):
        if plain == hidden or not _MARK.search(hidden):
            continue
        pattern = "".join(
            "(.+?)" if _MARK.fullmatch(part) else re.escape(part)
            for part in re.split(f"({MARK})", hidden)
        )
        found = re.fullmatch(pattern, plain)
        if found is not None:
            out.update(zip(_MARK.findall(hidden), found.groups(), strict=True))
    return out


def _pieces(edit: Edit) -> list[str]:
    """The texts of an edit that may hold a secret, each as a reader would meet it."""
    if isinstance(edit, TextEdit):
        return [*edit.context, *edit.remove, *edit.add]
    if isinstance(edit, DataEdit):
        leaf = edit.path.rpartition("/")[2]
        return [json.dumps({leaf: value}, ensure_ascii=False) for value in (edit.old, edit.new)]
    return []


def mask_edits(edits: Iterable[Edit], key: bytes) -> tuple[Edit, ...]:
    """The edits with fingerprints in the place of secrets."""
    out: list[Edit] = []
    for edit in edits:
        hidden = [mask(piece, key) for piece in _pieces(edit)]
        if isinstance(edit, TextEdit):
            one, two = len(edit.context), len(edit.context) + len(edit.remove)
            out.append(
                edit._replace(
                    context=tuple(hidden[:one]),
                    remove=tuple(hidden[one:two]),
                    add=tuple(hidden[two:]),
                )
            )
        elif isinstance(edit, DataEdit):
            old, new = (next(iter(json.loads(text).values())) for text in hidden)
            out.append(edit._replace(old=old, new=new))
        else:
            out.append(edit)
    return tuple(out)


def secrets_in(edits: Iterable[Edit], key: bytes) -> dict[str, str]:
    """Fingerprint -> secret of what a change itself holds."""
    out: dict[str, str] = {}
    for edit in edits:
        for piece in _pieces(edit):
            out |= secrets_of(piece, mask(piece, key))
    return out


def changed_files(
    files: Mapping[str, bytes],
    place_of: Mapping[tuple[str, str], str],
    masked: dict[str, dict[str, str]],
    edits: Iterable[Edit],
    key: bytes,
    typed: Mapping[str, str] | None = None,
) -> dict[str, bytes]:
    """All files of a survey after edits, with secrets copied through.

    Args:
        files: path -> content as read from the folder.
        place_of: (device, file) -> path.
        masked: device -> file -> masked text, as in the survey.
        edits: the edits; failures change no text.
        key: the key under which secrets became fingerprints.
        typed: fingerprint -> secret of what the change itself holds (`secrets_in`).
    """
    edits = [edit for edit in edits if not isinstance(edit, Down)]
    raw = {place: files[path].decode("utf-8-sig", "replace") for place, path in place_of.items()}
    known: dict[str, str] = dict(typed or {})
    for text in raw.values():
        known |= secrets_of(text, mask(text, key))

    def shown(text: str) -> str:
        return _MARK.sub(lambda m: known.get(m.group(0), m.group(0)), text)

    out = dict(files)
    for place, editor in edit_texts(masked, edits).items():
        path = place_of.get(place)
        if path is None:
            raise EditError(f"{place[0]}, {place[1]}: the file is not in the folder.")
        if isinstance(editor, Editor):
            rows = raw[place].split("\n")
            lines = [
                rows[line.origin - 1] if line.origin is not None else shown(line.text)
                for line in editor.lines
            ]
            out[path] = ("\n".join(lines) + ("\n" if editor.trailing else "")).encode()
            continue
        again = DataEditor(place[0], place[1], raw[place])
        for edit in edits:
            if isinstance(edit, DataEdit) and (edit.device, edit.file) == place:
                old = shown(edit.old) if isinstance(edit.old, str) else edit.old
                new = shown(edit.new) if isinstance(edit.new, str) else edit.new
                again.apply(edit._replace(old=old, new=new))
        out[path] = again.text.encode()
    return out
