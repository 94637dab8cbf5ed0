"""What would make one end of a neighbour relation fit the other, said in terms of facts.

A gate's row says it (`protocols.gates`), and names no language: `change.writers` turn it into edits
of the text or data that the device really has, or say that they cannot.
"""

from __future__ import annotations

from dataclasses import dataclass

from .facts import AddressFact
from .source import Source


@dataclass(frozen=True, slots=True)
class Fits:
    """Nothing is to be done at this end: what differs is the other's doing."""


@dataclass(frozen=True, slots=True)
class TakeIn:
    """The protocol has to run on this interface."""

    area: int = 0


@dataclass(frozen=True, slots=True)
class IntoSubnet:
    """This end needs an address in the subnet of another one's, or its mask."""

    of: AddressFact | None


@dataclass(frozen=True, slots=True)
class Speak:
    """A passive interface has to speak; `excepted`: where all are passive by default, others
    were made to speak one by one."""

    passive: bool
    source: Source | None
    excepted: bool


@dataclass(frozen=True, slots=True)
class Fitting:
    """Packets of this size have to fit: the interface's MTU."""

    mtu: int


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting that has to say something: of the interface, or of the whole process."""

    what: str
    value: str
    whole: bool = False


@dataclass(frozen=True, slots=True)
class Say:
    """Settings that have to be made and lines that have to go; `words` follow the device's name."""

    words: str
    settings: tuple[Setting, ...] = ()
    gone: tuple[Source, ...] = ()


@dataclass(frozen=True, slots=True)
class SameKeys:
    """The secrets of a chain of keys have to be those of another device's chain."""

    chain: str
    device: str
    other: str


@dataclass(frozen=True, slots=True)
class Restate:
    """A statement about a shared address has to say something else."""

    what: str
    value: str


@dataclass(frozen=True, slots=True)
class OwnRouterId:
    """A router id that is this device's alone."""


class OwnMend:
    """A mend that only one protocol knows: a kind of its own, made into edits in its own room."""

    __slots__ = ()


Mend = (
    OwnMend | OwnRouterId | Fits | Restate | SameKeys | TakeIn | IntoSubnet | Speak | Fitting | Say
)
