"""A protocol of our own, added in the test tree alone: its routes, gates, findings, mends, labels.

Hail floods the subnets of the interfaces that it takes in, one hop at a time, between neighbours
that fly the same colour. Nothing of it stands in the core; docs/manual/adding-a-protocol.md names
the places where a real one would be listed instead of being lent for the length of a test.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from typing import Any, ClassVar

import pytest
from surveys import compute, frr, wired

from trochos.core.change.writers import protocols as writers
from trochos.core.change.writers.base import Part
from trochos.core.change.writers.frr.part import FrrPart
from trochos.core.diagnosis.remedies.of_findings import remedies_of
from trochos.core.diagnosis.why import describe, explain_prefix
from trochos.core.network.addressing import parse_prefix
from trochos.core.network.claims import Claim
from trochos.core.network.edits import TextEdit
from trochos.core.network.facts import AddressFact, Device, End, Interface, Network
from trochos.core.network.mends import Mend, Say, Setting
from trochos.core.network.routing import Named, NetworkStatement, Process, Word
from trochos.core.network.source import Source
from trochos.core.protocols import registry, vectors
from trochos.core.protocols.again import Told
from trochos.core.protocols.gates import Gate, Reading, Relation, Side, judge
from trochos.core.protocols.identity import statement_covers
from trochos.core.protocols.protocol import RoutingProtocol
from trochos.core.readers import protocols as readers
from trochos.core.readers.frr.fate import UNDERSTOOD, Fate
from trochos.core.readers.frr.section import SectionReader, TextRow
from trochos.core.step.links import Links
from trochos.core.step.routes import NextHop, Origin, Route
from trochos.core.survey import Computed

# -- facts -----------------------------------------------------------------------------------

NAMED = Named("hail", ("Hail", "Hail v6"))


@dataclass(frozen=True, slots=True)
class HailProcess(Process):
    protocol: ClassVar[str] = "hail"
    source: Source
    networks: tuple[NetworkStatement, ...] = ()
    colours: Mapping[str, Word] = field(default_factory=dict)
    family: int = 4

    @property
    def name(self) -> str:
        return "Hail"


# -- reading and writing ---------------------------------------------------------------------


class HailReader(SectionReader):
    word = name = "hail"
    touches = 4

    def __init__(self) -> None:
        self.source: Source | None = None
        self.networks: list[NetworkStatement] = []
        self.colours: dict[str, Word] = {}

    def open(self, words: list[str], source: Source) -> Fate:
        self.source = source
        return UNDERSTOOD

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        prefix = parse_prefix(words[1]) if words[0] == "network" else None
        if prefix is None:
            return f"`{words[0]}` is not understood here"
        self.networks.append(NetworkStatement(prefix, source))
        return UNDERSTOOD

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        if words[0] != "colour":
            return "it is not understood here"
        self.colours[name] = Word(words[1], source)
        return UNDERSTOOD

    @property
    def runs(self) -> bool:
        return self.source is not None

    def finish(self) -> Sequence[Process]:
        if self.source is None:
            return ()
        return (HailProcess(self.source, tuple(self.networks), self.colours),)


class HailText(FrrPart):
    protocol: ClassVar[str] = "hail"
    words = ("hail", "hail")

    def line(self, family: int, what: str, value: str | None) -> str | None:
        return f"ip hail colour {value or ''}".strip() if what == "colour" else None


# -- computing -------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class HailEnd:
    device: str
    process: HailProcess
    interface: Interface
    enabled: Source | None
    fact: AddressFact | None
    up: bool
    why_deaf: str | None = None
    settings: Any = None

    @property
    def end(self) -> End:
        return End(self.device, self.interface.name)


def colour(end: HailEnd, _: HailEnd) -> Reading:
    word = end.process.colours.get(end.interface.name)
    return Reading(word.value if word else "white", (word.source,) if word else ())


def same_colour(end: HailEnd, other: HailEnd) -> Mend | None:
    wanted = other.process.colours.get(other.interface.name)
    if wanted is None:
        return None
    words = f"fly {wanted.value} on {end.interface.name}"
    return Say(words, (Setting("colour", wanted.value),))


GATES: tuple[Gate[HailEnd], ...] = (
    Gate("line", vectors.line, vectors.both, no_mend=vectors.NO_LINE),
    Gate("enabled", vectors.enabled, vectors.both, mend=vectors.take_in),
    Gate("colour", colour, mend=same_colour),
)


def ends_of(device: Device, process: HailProcess, links: Links) -> list[HailEnd]:
    out = []
    for interface in device.interfaces:
        fact = next((f for f in interface.addresses if f.address.family == 4), None)
        covering = (s.source for s in process.networks if fact and statement_covers(s, fact, True))
        up = links.hears(End(device.name, interface.name))
        out.append(HailEnd(device.name, process, interface, next(covering, None), fact, up))
    return out


class HailSpeakers(Told):
    protocol = "hail"
    family = 4

    def __init__(self, network: Network, links: Links) -> None:
        super().__init__()
        self.ends = [
            end
            for device in network.devices
            for process in device.routing.of(HailProcess)
            for end in ends_of(device, process, links)
        ]
        self._relations: list[Relation] = []
        self.beside: dict[str, list[tuple[HailEnd, HailEnd]]] = defaultdict(list)
        for left, right in vectors.pairs(self.ends, links):
            outcome = judge(GATES, left, right)
            sides = [
                Side(e.device, e.interface.name, None, "up" if outcome.up else "down", "up")
                for e in (left, right)
            ]
            self._relations.append(
                Relation("hail", 4, *sides, outcome.gates, outcome.up, ends=(left, right))
            )
            if outcome.up:
                self.beside[left.device].append((left, right))
                self.beside[right.device].append((right, left))

    def told(self, tables: Any) -> object:
        return ()

    def answer(self, told: Any) -> dict[str, list[Route]]:
        out: dict[str, list[Route]] = defaultdict(list)
        for holder in self.ends:
            if holder.enabled is None or holder.fact is None or not holder.up:
                continue
            prefix = holder.fact.connected
            told_by = Origin(
                Claim("own", holder.device, prefix, holder.interface.name, "by hailing"),
                (holder.enabled,),
            )
            seen, queue = {holder.device}, deque([(holder.device, 0)])
            while queue:
                name, far = queue.popleft()
                for mine, theirs in self.beside[name]:
                    assert mine.fact is not None
                    if theirs.device in seen:
                        continue
                    seen.add(theirs.device)
                    queue.append((theirs.device, far + 1))
                    hop = NextHop("forward", mine.fact.address, theirs.interface.name)
                    out[theirs.device].append(
                        Route(
                            prefix, "hail", 77, far + 1, (hop,), (holder.enabled,), origin=told_by
                        )
                    )
        return out

    def relations(self) -> list[Relation]:
        return self._relations

    def doubts(self) -> dict[str, list[Any]]:
        return {}

    def least_distance(self, device: Device) -> int | None:
        return 77 if device.routing.of(HailProcess) else None

    def outside(self) -> tuple[Any, ...]:
        return ()

    def listening(self) -> Iterator[tuple[End, str, Source]]:
        for end in self.ends:
            if end.enabled is not None:
                yield end.end, "Hail", end.enabled


HAIL = RoutingProtocol(
    NAMED,
    lambda network, links, families: [HailSpeakers(network, links) for _ in families],
    GATES,
    busy=lambda device, process, links: {
        end.interface.name for end in ends_of(device, process, links) if end.enabled is not None
    },
)


# -- the tests -------------------------------------------------------------------------------


@pytest.fixture
def hail(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    parts: list[type[Part]] = [*writers.FRR, HailText]
    rows = [*readers.FRR, TextRow(lambda: (HailReader(),), object())]
    monkeypatch.setattr(writers, "FRR", parts)
    monkeypatch.setattr(readers, "FRR", rows)
    with ExitStack() as stack:
        stack.enter_context(registry.also(HAIL))
        yield


def line_of_three(*, middle: str = "red") -> Computed:
    def router(name: str, ports: dict[str, str], colours: dict[str, str]) -> str:
        text = frr(name, ports, "router hail", " network 10.0.0.0/8", "exit")
        for port, shown in colours.items():
            text = text.replace(
                f"interface {port}\n", f"interface {port}\n ip hail colour {shown}\n"
            )
        return text

    return compute(
        {
            "topology.json": wired(("a", "e1", "b", "e1"), ("b", "e2", "c", "e1")),
            "devices/a/frr.conf": router(
                "a", {"e1": "10.1.0.1/30", "lan": "10.9.1.1/24"}, {"e1": "red"}
            ),
            "devices/b/frr.conf": router(
                "b", {"e1": "10.1.0.2/30", "e2": "10.2.0.1/30"}, {"e1": "red", "e2": "blue"}
            ),
            "devices/c/frr.conf": router("c", {"e1": "10.2.0.2/30"}, {"e1": middle}),
        }
    )


@pytest.mark.usefixtures("hail")
def test_its_routes_are_in_the_tables_and_explain_themselves() -> None:
    survey = line_of_three(middle="blue")
    prefix = parse_prefix("10.9.1.0/24")
    assert prefix is not None
    route = survey.tables.of("c", 4).best[prefix]
    assert (route.protocol, route.distance, route.metric) == ("hail", 77, 2)
    assert "a Hail route to 10.9.1.0/24 (metric 2)" in describe("c", route)
    told = explain_prefix(survey.tables, survey.forwarding, "c", prefix)["chain"]
    assert (
        isinstance(told, list)
        and told[0]["says"] == "a announces 10.9.1.0/24 of its lan by hailing."
    )


@pytest.mark.usefixtures("hail")
def test_its_gates_become_findings_with_remedies_that_mend_them() -> None:
    survey = line_of_three(middle="green")
    relation = next(r for r in survey.tables.relations() if not r.works)
    assert (relation.protocol, relation.first_failing.gate) == ("hail", "colour")  # type: ignore[union-attr]
    finding = next(f for f in survey.findings if f.kind == "hail-colour")
    assert "b and c are not Hail neighbours: colour: b blue, c green." in finding.summary
    titles = {remedy.title: remedy for remedy in remedies_of(survey.bench, finding)}
    (edit,) = titles["On c: fly blue on e1."].edits
    assert isinstance(edit, TextEdit)
    assert (edit.context, edit.add) == (("interface e1",), ("ip hail colour blue",))
    after = survey.rehearse((edit,)).after
    assert all(relation.works for relation in after.tables.relations())
    assert parse_prefix("10.9.1.0/24") in after.tables.of("c", 4).best


@pytest.mark.usefixtures("hail")
def test_a_line_that_its_reader_does_not_know_makes_answers_uncertain() -> None:
    text = "hostname a\nrouter hail\n wave 5\nexit\n"
    survey = compute({"devices/a/frr.conf": text})
    device = survey.survey.network.device("a")
    assert device is not None
    assert [item.source.line for item in device.unmodelled] == [3]


def test_without_it_the_core_does_not_know_it() -> None:
    survey = line_of_three()
    assert {r.protocol for t in survey.tables.tables.values() for r in t.everything()} == {
        "connected",
        "local",
    }
    assert not survey.tables.relations()
