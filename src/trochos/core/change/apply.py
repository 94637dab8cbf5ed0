"""Applies edits to a survey: the texts, what is read from them, and what fails."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..network.edits import DataEdit, Down, Edit, EditError, TextEdit
from ..network.facts import Network
from ..readers.survey import Survey, read_again
from .braces import editor_of
from .data import DataEditor, edited
from .text import Editor


@dataclass(frozen=True, slots=True)
class Changed:
    """A survey after edits, and the devices whose texts are not what they were."""

    survey: Survey
    devices: frozenset[str]
    texts: dict[tuple[str, str], str]
    """(device, file) -> the masked text it would hold."""


def edit_texts(
    files: dict[str, dict[str, str]], edits: Iterable[Edit]
) -> dict[tuple[str, str], Editor | DataEditor]:
    """Every edited text, in the order of the edits.

    Raises:
        EditError: an edit names a file that is not there, or cannot be made.
    """
    open_texts: dict[tuple[str, str], Editor | DataEditor] = {}
    for edit in edits:
        if isinstance(edit, Down):
            continue
        place = edit.device, edit.file
        if place not in open_texts:
            text = files.get(edit.device, {}).get(edit.file)
            if text is None:
                listed = ", ".join(sorted(files.get(edit.device, {}))) or "none"
                raise EditError(
                    f"The survey has no file {edit.file!r} of {edit.device!r}. Files: {listed}."
                )
            kind = editor_of if isinstance(edit, TextEdit) else DataEditor
            open_texts[place] = kind(edit.device, edit.file, text)
        editor = open_texts[place]
        match editor, edit:
            case (Editor(), TextEdit()):
                editor.apply(edit)
            case (DataEditor(), DataEdit()):
                editor.text = edited(editor.text, edit)
            case _:
                raise EditError(
                    f"{edit.device}, {edit.file}: one file is edited either by lines or by paths."
                )
    return open_texts


def apply(survey: Survey, edits: Iterable[Edit]) -> Changed:
    """A changed copy of a survey.

    Raises:
        EditError: an edit cannot be made; nothing is half done.
    """
    edits = tuple(edits)
    editors = edit_texts(survey.files, edits)
    texts = {place: editor.text for place, editor in editors.items()}
    by_device: dict[str, dict[str, str]] = {}
    for (device, file), text in texts.items():
        held = by_device.setdefault(device, dict(survey.files.get(device, {})))
        held[file] = text
    after = read_again(survey, by_device) if by_device else survey
    downs = [edit for edit in edits if isinstance(edit, Down)]
    if downs:
        after = replace(after, network=_fail(after.network, downs))
    return Changed(after, frozenset(by_device), texts)


def _fail(network: Network, downs: list[Down]) -> Network:
    """The network with interfaces, links or devices out of order."""
    lost: dict[str, set[str] | None] = {}
    for down in downs:
        for name, interface in down.ends:
            device = network.device(name)
            if device is None:
                raise EditError(f"The survey has no device called {name!r}.")
            nodes = [d for d in network.devices if d.chassis == name] or [device]
            if interface is None:
                lost |= dict.fromkeys(node.name for node in nodes)
                continue
            if device.interface(interface) is None:
                # What is said of the device may be about one of its routing instances.
                device = next((d for d in nodes if d.interface(interface) is not None), device)
                name = device.name
            if device.interface(interface) is None:
                raise EditError(f"{name} has no interface called {interface!r}.")
            held = lost.setdefault(name, set())
            if held is not None:
                held.add(interface)
    devices = []
    for device in network.devices:
        if device.name not in lost:
            devices.append(device)
            continue
        which = lost[device.name]
        interfaces = tuple(
            replace(
                item,
                enabled=False,
                addresses=() if which is None else item.addresses,
            )
            if which is None or item.name in which
            else item
            for item in device.interfaces
        )
        devices.append(replace(device, interfaces=interfaces))
    return replace(network, devices=tuple(devices))
