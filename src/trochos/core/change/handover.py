"""A change as somebody else can make it: per device, in order, with the way back.

Configuration text becomes the lines to enter; YANG data becomes a NETCONF edit (RFC 6241,
section 7.2); what was only captured of a host, and plain files, become sentences.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any
from xml.sax.saxutils import escape

from ..network.edits import DataEdit, Edit, EditError, TextEdit
from ..readers.frr.known import looks_like as configuration
from ..readers.located import parse_data
from ..readers.survey import Survey
from .apply import edit_texts
from .braces import has_braces
from .data import plain
from .derive import edits_between
from .elements import elements, leaf, scalar, space_of, split_name
from .gnmi import as_set
from .paths import ancestors, at_path, steps_of, wrapped
from .text import refused_beside, slot

_OPENCONFIG = "/openconfig-"
_MODELS = ("/ietf-", _OPENCONFIG)
"""Data whose models a device serves over NETCONF; OpenConfig's also over gNMI."""
_BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"


@dataclass(slots=True)
class DeviceChange:
    """What to do on one device: `apply` and `back` as text in its `language`."""

    device: str
    language: str
    """`configuration lines`, `NETCONF edit`, `gNMI Set` (the same as the NETCONF edit beside it) or
    `in words`."""
    apply: str
    back: str
    files: list[str] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)
    """Lines of it that Trochos does not understand: a person took them on."""
    problem: str | None = None
    """Why it is not offered: its modules do not allow what it would leave behind."""

    def as_json(self) -> dict[str, object]:
        return {
            "unknown": self.unknown,
            "problem": self.problem,
            "device": self.device,
            "language": self.language,
            "apply": self.apply,
            "back": self.back,
            "files": self.files,
        }


def hand_over(
    survey: Survey,
    edits: Iterable[Edit],
    unknown: Iterable[Mapping[str, object]] = (),
    validate: Callable[[Any], str | None] | None = None,
) -> list[DeviceChange]:
    """The change per device, in the order of the edits.

    Args:
        survey: what is changed.
        edits: the change.
        unknown: its own lines that are not understood and that a person took on.
        validate: says what is wrong with data by its modules, or None. What such a device would
            hold after the change is asked, and if that is wrong and was not before, the documents
            are not offered.
    """
    edits = tuple(edits)
    out = _hand_over(survey, edits)
    if validate is not None:
        _validated(survey, edits, out, validate)
    for item in out:
        item.unknown = [str(line["text"]) for line in unknown if line["device"] == item.device]
    return out


def _hand_over(survey: Survey, edits: Iterable[Edit]) -> list[DeviceChange]:
    grouped: dict[str, list[TextEdit | DataEdit]] = {}
    for edit in edits:
        if isinstance(edit, (TextEdit, DataEdit)):
            grouped.setdefault(edit.device, []).append(edit)
    out: list[DeviceChange] = []
    for device, items in grouped.items():
        files = list(dict.fromkeys(item.file for item in items))
        texts = [i for i in items if isinstance(i, TextEdit) and _is_entered(survey, i)]
        plain_files = [i for i in items if isinstance(i, TextEdit) and i not in texts]
        data = [item for item in items if isinstance(item, DataEdit)]
        if texts:
            back = _lines(_way_back(survey, texts))
            out.append(DeviceChange(device, "configuration lines", _lines(texts), back, files))
        if plain_files:
            forth = "\n".join(map(_in_file, plain_files))
            back = "\n".join(map(_in_file, _way_back(survey, plain_files)))
            out.append(DeviceChange(device, "in words", forth, back, files))
        if data:
            back_data, olds = _data_back(survey, data)
            _leads_back(survey, data, back_data)
            if all(edit.path.startswith(_MODELS) for edit in data):
                there, again = _whole_lists(survey, data), _whole_lists(survey, back_data)
                out.append(
                    DeviceChange(device, "NETCONF edit", _netconf(there), _netconf(again), files)
                )
                if all(edit.path.startswith(_OPENCONFIG) for edit in data):
                    # The same once more, for whoever speaks the other protocol.
                    out.append(
                        DeviceChange(device, "gNMI Set", as_set(there), as_set(again), files)
                    )
            else:
                out.append(
                    DeviceChange(
                        device,
                        "in words",
                        "\n".join(_words(e, old) for e, old in zip(data, olds, strict=True)),
                        "\n".join(_words(e, e.old) for e in back_data),
                        files,
                    )
                )
    return out


def _validated(
    survey: Survey,
    edits: tuple[Edit, ...],
    out: list[DeviceChange],
    validate: Callable[[Any], str | None],
) -> None:
    """Withdraws edits of data that would leave behind what the modules do not allow."""
    data = [edit for edit in edits if isinstance(edit, DataEdit) and edit.path.startswith(_MODELS)]
    for (device, file), editor in edit_texts(survey.files, data).items():
        before = validate(plain(wrapped(parse_data(survey.files[device][file]))))
        after = validate(plain(wrapped(parse_data(editor.text))))
        for item in out if after is not None and after != before else ():
            if item.device == device and item.language in ("NETCONF edit", "gNMI Set"):
                item.apply = item.back = ""
                item.problem = f"By the modules, {device} would not take this: {after}"


def _unordered(value: Any) -> Any:
    """A value without the order of lists, which says nothing between entries with keys; lists and
    containers that became empty say nothing either."""
    if isinstance(value, dict):
        members = {key: _unordered(inner) for key, inner in value.items()}
        return {key: inner for key, inner in members.items() if inner not in ({}, [])}
    if isinstance(value, list):
        held = sorted((_unordered(item) for item in value), key=repr)
        return held[0] if len(held) == 1 else held  # XML does not tell one entry from a list of one
    return scalar(value)


def _leads_back(survey: Survey, forth: list[DataEdit], back: list[DataEdit]) -> None:
    """Makes sure that the way back restores what was.

    Raises:
        EditError: it does not.
    """
    for (device, file), editor in edit_texts(
        survey.files, [*forth, *(edit._replace(old=None) for edit in back)]
    ).items():
        before = _unordered(plain(parse_data(survey.files[device][file])))
        if _unordered(plain(parse_data(editor.text))) != before:
            raise EditError(
                f"{device}, {file}: the way back would not restore what was, so this change is not "
                "handed over. Split it into smaller ones."
            )


def _is_entered(survey: Survey, edit: TextEdit) -> bool:
    """True for a router's configuration, whose lines are entered; other files are written."""
    text = survey.text(edit.device, edit.file) or ""
    return not has_braces(text) and (bool(edit.context) or configuration(text))


def _in_file(edit: TextEdit) -> str:
    """A change of a plain file, such as one that lists resolvers."""
    where = "".join(f", in {opening}" for opening in edit.context)
    if edit.remove and edit.add:
        return (
            f"In {edit.file}{where}: write {_quoted(edit.add)} instead of {_quoted(edit.remove)}."
        )
    if edit.remove:
        return f"In {edit.file}{where}: take out {_quoted(edit.remove)}."
    return f"In {edit.file}{where}: add {_quoted(edit.add)}."


def _quoted(lines: tuple[str, ...]) -> str:
    return ", ".join(f'"{line}"' for line in lines)


def _data_back(survey: Survey, edits: list[DataEdit]) -> tuple[list[DataEdit], list[Any]]:
    """What undoes edits of data, the last first, and what stood at each place before its edit.

    What an edit made on the way to its place goes as well: a route that only exists for its next
    hop does not stay behind without one.
    """
    back: list[DataEdit] = []
    olds: list[Any] = []
    for number, edit in enumerate(edits):
        text = survey.files[edit.device][edit.file]
        if number:
            here = edit_texts(survey.files, edits[:number]).get((edit.device, edit.file))
            text = here.text if here is not None else text
        root = parse_data(text)
        node = at_path(root, edit.path)
        olds.append(plain(node) if node is not None else None)
        place = edit.path
        if node is None:
            place = next(p for p in ancestors(edit.path) if at_path(root, p) is None)
        new = None if node is None else olds[-1]
        back.append(DataEdit(edit.device, edit.file, place, edit.new, new))
    return back[::-1], olds


def _whole_lists(survey: Survey, edits: list[DataEdit]) -> list[DataEdit]:
    """Edits without places inside lists of values, which no protocol can name: the whole list."""
    out: list[DataEdit] = []
    for edit in edits:
        parent, _, last = edit.path.rpartition("/")
        if not last.isdigit():
            out.append(edit)
            continue
        root = parse_data(survey.files[edit.device][edit.file])
        held = at_path(root, parent)
        old = plain(held) if held is not None else []
        new = [*old] if isinstance(old, list) else [old]
        at = int(last)
        if edit.new is None:
            new[at : at + 1] = []
        else:
            new[at : at + 1] = [edit.new]
        out.append(DataEdit(edit.device, edit.file, parent, old or None, new or None))
    return out


def _way_back(survey: Survey, edits: list[TextEdit]) -> list[TextEdit]:
    """What leads back from the changed texts: also what went along with a removed line."""
    out: list[TextEdit] = []
    for (device, file), editor in edit_texts(survey.files, edits).items():
        before = survey.files[device][file]
        found = edits_between(device, file, editor.text, before)
        out += [edit for edit in found if isinstance(edit, TextEdit)]
    return out


def _taken_out(edit: TextEdit) -> list[str]:
    """The removed lines that must be negated: not those that an added line replaces by itself,
    for negating a neighbour's number, say, would take the whole neighbour along."""
    opening = edit.context[-1] if edit.context else ""
    replacing = {slot(opening, line) for line in edit.add if not refused_beside(line)} - {None}
    return [
        line
        for line in edit.remove
        if line not in edit.add and slot(opening, line) not in replacing
    ]


def _negated(line: str) -> str:
    return line[3:] if line.startswith("no ") else f"no {line}"


def _lines(edits: Iterable[TextEdit]) -> str:
    out: list[str] = []
    listed = list(edits)
    for number, edit in enumerate(listed):
        again = number > 0 and listed[number - 1].context == edit.context
        onward = number + 1 < len(listed) and listed[number + 1].context == edit.context
        for depth, opening in enumerate(() if again else edit.context):
            out.append(" " * depth + opening)
        indent = " " * len(edit.context)
        out += [indent + _negated(line) for line in _taken_out(edit)]
        out += [indent + line for line in edit.add if line not in edit.remove]
        out += [
            " " * depth + ("exit-address-family" if "address-family" in opening else "exit")
            for depth, opening in reversed(list(enumerate(() if onward else edit.context)))
        ]
    return "\n".join(out)


def _words(edit: DataEdit, old: Any) -> str:
    where = edit.path.strip("/").replace("/", " ")
    if edit.new is None:
        return f"{edit.file}, {where}: remove {json.dumps(old, ensure_ascii=False)}"
    new = json.dumps(edit.new, ensure_ascii=False)
    if old is None:
        return f"{edit.file}, {where}: add {new}"
    return f"{edit.file}, {where}: {new} instead of {json.dumps(old, ensure_ascii=False)}"


# -- NETCONF -----------------------------------------------------------------------------------


def _netconf(edits: Iterable[DataEdit]) -> str:
    body: list[str] = []
    for edit in edits:
        body += _element_of(edit, 4)
    return "\n".join(
        [
            f'<rpc message-id="1" xmlns="{_BASE}">',
            "  <edit-config>",
            "    <target><running/></target>",
            f'    <config xmlns:nc="{_BASE}">',
            *("  " + line for line in body),
            "    </config>",
            "  </edit-config>",
            "</rpc>",
        ]
    )


def _element_of(edit: DataEdit, indent: int) -> list[str]:
    """One edit as nested elements, its operation at the innermost."""
    steps = steps_of(edit.path)
    opening: list[str] = []
    closing: list[str] = []
    for depth, (name, keys) in enumerate(steps):
        module, local = split_name(name)
        space = space_of(module)
        pad = " " * (indent + 2 * depth)
        last = depth == len(steps) - 1
        if last and not keys and edit.new is not None and not isinstance(edit.new, (dict, list)):
            opening.append(f"{pad}<{local}{space}>{escape(scalar(edit.new))}</{local}>")
            break
        operation = ""
        if last:
            operation = ' nc:operation="remove"' if edit.new is None else ""
            if isinstance(edit.new, dict) and (not keys or edit.old is not None):
                operation = ' nc:operation="replace"'
        if last and edit.new is None and not keys:
            opening.append(f"{pad}<{local}{space}{operation}/>")
            break
        if last and isinstance(edit.new, list):
            opening += elements(name, edit.new, pad)
            break
        opening.append(f"{pad}<{local}{space}{operation}>")
        closing.append(f"{pad}</{local}>")
        for key, value in keys.items():
            opening.append(leaf(key, value, pad + "  "))
        if last and isinstance(edit.new, dict):
            for member, held in edit.new.items():
                # The keys name the entry already.
                if split_name(member)[1] not in keys:
                    opening += elements(member, held, pad + "  ")
    return opening + closing[::-1]
