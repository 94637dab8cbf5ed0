"""What a diagnosis says: causes with their remedies and proofs, and what was tried for them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ..change.rehearse import Effect
from ..forwarding.path import Path
from ..network.documents import Document
from ..network.edits import Edit, Remedy
from .finding import Finding
from .remedies.bench import Bench
from .remedies.sides import EITHER


@dataclass(slots=True)
class Trial:
    """The network with some remedies applied."""

    bench: Bench
    edits: tuple[Edit, ...]
    path: Path

    @property
    def works(self) -> str:
        return self.path.works


@dataclass(slots=True)
class Option:
    """One remedy of one suspect."""

    finding: Finding
    remedy: Remedy
    weight: int
    order: int = 0
    contradicts: bool = False
    """True if it is wrong whoever asks: a finding, and not only a suspect."""
    standing: int = 0
    """How it stands to the survey of before (older.py): below 0, it puts back what was there."""

    @property
    def edits(self) -> tuple[Edit, ...]:
        return self.remedy.edits


@dataclass(slots=True)
class Alternative:
    """Another remedy of a cause, and what it would do; without `effect` it was not tried."""

    remedy: Remedy
    works: bool = False
    effect: Effect | None = None

    def as_json(self) -> dict[str, object]:
        proof: dict[str, object] | None = None
        if self.effect is not None:
            proof = {"complaint_works": self.works, **self.effect.counts()}
        return {**self.remedy.as_json(), "proof": proof}


@dataclass(slots=True)
class Cause:
    """A suspect with what its remedy does."""

    option: Option
    certainty: str
    works: bool
    effect: Effect
    alternatives: list[Alternative] = field(default_factory=list)
    before: str | None = None
    """What an older survey says of it, in a sentence."""

    def as_json(self, rank: int, pairs: bool = True) -> dict[str, object]:
        """The cause as in the contract; without `pairs` they are only counted.

        `alternatives` are its other remedies, with how many pairs each heals, breaks and moves.
        """
        remedy = self.option.remedy._replace(basis=self._basis())
        finding = self.option.finding.turned_to(remedy)
        shown = replace(finding, remedies=(remedy,))
        return {
            **shown.as_nodes(),
            "alternatives": [item.as_json() for item in self.alternatives],
            "rank": rank,
            "before": self.before,
            "certainty": self.certainty,
            "proof": {
                "complaint_works": self.works,
                **(self.effect.as_json() if pairs else self.effect.counts()),
            },
        }

    def _basis(self) -> str:
        """Why this end and not the other: where the texts do not tell, what was tried may."""
        basis = self.option.remedy.basis
        if basis != EITHER:
            return basis
        others = [a for a in self.alternatives if a.remedy.basis == EITHER and a.effect is not None]
        if not others or any(self._as_good(other) for other in others):
            return basis
        return "The other end mended instead, the complaint would still fail, or more would break."

    def _as_good(self, other: Alternative) -> bool:
        assert other.effect is not None
        return other.works and other.effect.count("breaks") <= self.effect.count("breaks")


@dataclass(slots=True)
class Diagnosis(Document):
    """What was found out about one complaint."""

    path: Path
    causes: list[Cause] = field(default_factory=list)
    cure: list[str] = field(default_factory=list)
    tried: int = 0
    complete: bool = True
    """False if the search was stopped before everything was tried."""
    says: str = ""

    def as_nodes(self) -> dict[str, object]:
        path = self.path.as_nodes()
        return {
            "from": path["from"],
            "to": path["to"],
            "works": self.path.works,
            "path": path,
            "causes": [cause.as_json(rank) for rank, cause in enumerate(self.causes, 1)],
            "cure": self.cure,
            "says": self.says,
            "tried": self.tried,
            "complete": self.complete,
        }
