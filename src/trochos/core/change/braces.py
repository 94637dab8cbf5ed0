"""Edits of texts whose statements have braces, such as keepalived.conf.

`context` of an edit names blocks by what stands before the brace, outermost first. A line that is
removed and one that is added with the same first word are one line that says something else now.
"""

from __future__ import annotations

import re

from ..network.edits import EditError, TextEdit
from ..readers.frr.abbreviations import spelled
from ..readers.keepalived import looks_like
from .text import Editor, Line, Section, sections, squeeze


def has_braces(text: str) -> bool:
    """True for a text whose sections are blocks in braces."""
    return looks_like(text)


def sections_of(text: str) -> Section:
    """The sections of a text, as its device would group them."""
    return blocks(text.split("\n")) if has_braces(text) else sections(spelled(text))


def editor_of(device: str, file: str, text: str) -> Editor:
    """What edits a text."""
    return BraceEditor(device, file, text) if has_braces(text) else Editor(device, file, text)


def _said(line: str) -> str:
    """A line without its comment."""
    return squeeze(re.sub(r"[!#].*", "", line))


def blocks(lines: list[str]) -> Section:
    """The blocks of a text; `end` is behind the line of the closing brace."""
    root = Section("", -1, len(lines))
    stack = [root]
    for number, line in enumerate(lines):
        text = _said(line)
        if not text:
            continue
        if text.endswith("{"):
            block = Section(squeeze(text[:-1]), number, number + 1)
            stack[-1].inner.append(block)
            stack.append(block)
        elif text == "}":
            if len(stack) > 1:
                stack.pop().end = number + 1
        else:
            stack[-1].body.append(number)
    return root


class BraceEditor(Editor):
    """One text with blocks in braces under change."""

    def apply(self, edit: TextEdit) -> None:
        context = tuple(squeeze(opening) for opening in edit.context)
        adding = [squeeze(line) for line in edit.add if line.strip()]
        for line in (squeeze(line) for line in edit.remove if line.strip()):
            if line in adding:
                adding.remove(line)
                continue
            new = next((a for a in adding if a.split()[0] == line.split()[0]), None)
            self._replace(context, line, new)
            if new is not None:
                adding.remove(new)
        for line in adding:
            self._put(context, line)

    def _block(self, context: tuple[str, ...]) -> Section | None:
        here = blocks([line.text for line in self.lines])
        for opening in context:
            found = next((item for item in here.inner if item.opening == opening), None)
            if found is None:
                return None
            here = found
        return here

    def _replace(self, context: tuple[str, ...], line: str, new: str | None) -> None:
        block = self._block(context)
        if block is None:
            raise EditError(
                f"{self.device}, {self.file}: there is no block {context[-1]!r}, so nothing can be "
                "removed from it."
            )
        for number in block.body:
            if _said(self.lines[number].text) != _said(line):
                continue
            if new is None:
                del self.lines[number]
            else:
                self.lines[number] = Line(self._indented(block, number, new), None)
            return
        inner = next((item for item in block.inner if item.opening == line), None)
        if inner is None or new is not None:
            where = f" in {context[-1]!r}" if context else ""
            raise EditError(
                f"{self.device}, {self.file}: the line {line!r} does not stand{where}, so it "
                "cannot be removed."
            )
        del self.lines[inner.start : inner.end]

    def _indented(self, block: Section, like: int | None, line: str) -> str:
        if like is not None:
            text = self.lines[like].text
            return text[: len(text) - len(text.lstrip())] + line
        opening = self.lines[block.start].text if block.start >= 0 else ""
        outer = opening[: len(opening) - len(opening.lstrip())]
        return (outer + "\t" if block.start >= 0 else "") + line

    def _put(self, context: tuple[str, ...], line: str) -> None:
        for depth in range(1, len(context) + 1):
            if self._block(context[:depth]) is None:
                self._open(context[: depth - 1], context[depth - 1])
        block = self._block(context)
        assert block is not None
        if any(_said(self.lines[number].text) == _said(line) for number in block.body):
            return
        if block.body:
            last = block.body[-1]
            self.lines.insert(last + 1, Line(self._indented(block, last, line), None))
            return
        at = block.start + 1 if block.start >= 0 else len(self.lines)
        self.lines.insert(at, Line(self._indented(block, None, line), None))

    def _open(self, outer: tuple[str, ...], opening: str) -> None:
        block = self._block(outer)
        assert block is not None
        head = self._indented(block, block.body[-1] if block.body else None, f"{opening} {{")
        indent = head[: len(head) - len(head.lstrip())]
        at = block.end - 1 if block.start >= 0 else len(self.lines)
        self.lines[at:at] = [Line(head, None), Line(indent + "}", None)]
