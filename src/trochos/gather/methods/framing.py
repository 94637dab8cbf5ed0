"""NETCONF over SSH: how messages are told apart (RFC 6242, section 4)."""

from __future__ import annotations

import re

from ..bounds import Budget
from ..problems import Closed, Garbled

END = b"]]>]]>"
_CHUNK = re.compile(rb"\n#(?:([1-9]\d{0,9})|(#))\n")
_PARTIAL = re.compile(rb"\n?#?[#\d]{0,11}")


class Reader:
    """Takes bytes as they come, gives whole messages. Hellos end with a mark; after both sides
    said `base:1.1`, messages come in chunks."""

    def __init__(self, budget: Budget) -> None:
        self.budget = budget
        self.chunked = False
        self._held = bytearray()
        self._message = bytearray()

    def feed(self, data: bytes) -> list[bytes]:
        """The messages that are complete now.

        Raises:
            Garbled: the framing is broken.
            TooMuch: a message, or all of them, are too long.
        """
        self._held += data
        self.budget.take(len(data), len(self._held) + len(self._message))
        out = []
        while (message := self._next()) is not None:
            out.append(message)
        return out

    def ended(self) -> None:
        """Raises:
        Closed: always; the sentence says whether a message was cut.
        """
        cut = bool(self._held.strip() or self._message)
        raise Closed(
            "The device closed the session in the middle of an answer."
            if cut
            else "The device closed the session before it answered."
        )

    def _next(self) -> bytes | None:
        return self._next_chunked() if self.chunked else self._next_marked()

    def _next_marked(self) -> bytes | None:
        end = self._held.find(END)
        if end < 0:
            return None
        message = bytes(self._held[:end])
        del self._held[: end + len(END)]
        return message

    def _next_chunked(self) -> bytes | None:
        while True:
            match = _CHUNK.match(self._held)
            if match is None:
                if len(self._held) > 13 or not _PARTIAL.fullmatch(bytes(self._held)):
                    shown = bytes(self._held[:24]).decode("ascii", "replace")
                    raise Garbled(f"The device's answer is not framed as RFC 6242 says: {shown!r}.")
                return None
            if match.group(2):
                message = bytes(self._message)
                del self._held[: match.end()]
                self._message.clear()
                return message
            length = int(match.group(1))
            # What is announced counts before it comes: nobody waits for 4 GB.
            self.budget.take(0, length + len(self._message))
            if len(self._held) < match.end() + length:
                return None
            self._message += self._held[match.end() : match.end() + length]
            del self._held[: match.end() + length]


def framed(message: bytes, chunked: bool) -> bytes:
    """A message as it goes out."""
    if chunked:
        return b"\n#%d\n%s\n##\n" % (len(message), message)
    return message + END
