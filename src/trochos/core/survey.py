"""A survey with everything computed from it, each part at its first use.

This is the door through which the command line and the server use the core.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from functools import cached_property

from .change.along import Along, taken_along
from .change.apply import Changed, apply
from .change.compare import Comparison, compare
from .change.rehearse import Effect, compare_pairs, neighbours_changed, routes_changed
from .diagnosis.audit import Expectation, Result, check
from .diagnosis.causes import Diagnosis, diagnose
from .diagnosis.finding import Finding
from .diagnosis.findings import Context, find_all
from .diagnosis.ladder import Ladder, climb
from .diagnosis.older import Older
from .diagnosis.remedies.bench import Bench
from .diagnosis.remedies.of_findings import with_remedies
from .diagnosis.touching import findings_on_path
from .diagnosis.trials import Progress
from .diagnosis.why import explain_prefix
from .forwarding.endpoints import EndpointError, resolve
from .forwarding.path import Path, Traffic, find_path, with_other_sources
from .forwarding.reach import Reach
from .forwarding.settle import settle
from .forwarding.view import Forwarding
from .network.addressing import Address, parse_prefix
from .network.documents import Document
from .network.edits import Down, Edit
from .network.facts import Network
from .protocols import shared
from .protocols.tables import Tables
from .readers.survey import Survey, read_survey
from .whole.desk import Desk, desk
from .whole.order import Order, order
from .whole.questions import Watch, unwatched
from .whole.since import Since, since
from .whole.sweep import (
    Each,
    Failure,
    Held,
    Sweep,
    devices_of,
    failures,
    holding,
    links_of,
    survive,
    sweep,
)
from .whole.sweep import Told as SweepTold
from .whole.unknowns import Unknowns, unknowns


class Computed:
    """The computed view of one survey. Nothing here changes once it is computed."""

    def __init__(self, survey: Survey, before: Computed | None = None) -> None:
        """`before` is the survey of which this is a changed copy; what this quotes from texts may
        then have the line numbers from before the change."""
        self.survey = survey
        self._before = before
        self._holding: tuple[list[Expectation], Held] | None = None

    @classmethod
    def from_files(
        cls,
        files: Mapping[str, bytes],
        key: bytes,
        watch: Callable[[int, int, str], bool] | None = None,
    ) -> Computed:
        """Reads files (path -> content); secrets become fingerprints under `key`. See
        `readers.survey.read_survey`."""
        return cls(read_survey(files, key, watch))

    @property
    def network(self) -> Network:
        return self.survey.network

    @cached_property
    def _settled(self) -> tuple[Tables, Forwarding]:
        return settle(self.network, self._before.tables if self._before is not None else None)

    @property
    def tables(self) -> Tables:
        return self._settled[0]

    @property
    def forwarding(self) -> Forwarding:
        return self._settled[1]

    @cached_property
    def reach(self) -> Reach:
        # Only what is there already helps: nothing is solved of the original for the copy's sake.
        before = vars(self._before).get("reach") if self._before is not None else None
        return Reach(self.forwarding, before=before)

    def let_go(self) -> None:
        """Forgets the survey of which this is a changed copy, so that copies of copies do not keep
        all of them; nothing that was answered changes."""
        self.reach.let_go()
        self._before = None

    def path(self, sender: str, receiver: str, traffic: Traffic | None = None) -> Path:
        """Both legs between two ends; see `find_path`."""
        path = find_path(self.forwarding, sender, receiver, traffic)
        inside = traffic.instance if traffic is not None else ""
        if resolve(self.forwarding, sender, target=False, instance=inside).explicit:
            return path  # the sender's address was said
        return with_other_sources(self.forwarding, path, traffic)

    def routes_json(self, device: str | None = None, everything: bool = False) -> dict[str, object]:
        """The `routes` document of the contract."""
        out: dict[str, dict[str, object]] = {}
        for item in self.network.devices:
            if device not in (None, item.name, item.chassis):
                continue
            families: dict[str, object] = {}
            for family, label in ((4, "ipv4"), (6, "ipv6")):
                routes = self.tables.of(item.name, family).everything()
                chosen = [route for route in routes if everything or route.selected]
                chosen.sort(
                    key=lambda r: (r.prefix.network, r.prefix.length, not r.selected, r.distance)
                )
                families[label] = [route.as_json() for route in chosen]
            held = out.setdefault(item.chassis, {})
            if item.instance:
                instances = held.setdefault("instances", {})
                assert isinstance(instances, dict)
                instances[item.instance] = families
            else:
                held |= families
        return {"devices": out}

    def neighbours_json(self, device: str | None = None) -> dict[str, list[dict[str, object]]]:
        """The `neighbours` document of the contract: what fails first, then by protocol."""
        relations = [
            relation
            for relation in (
                *self.tables.relations(),
                *shared.relations(self.tables.network, self.tables.links),
            )
            if device is None
            or any(
                device in (side.device, side.device.partition("/")[0])
                for side in (relation.left, relation.right)
            )
        ]
        relations.sort(
            key=lambda r: (
                r.works,
                r.protocol,
                r.family,
                r.left.device,
                r.left.interface or "",
                r.right.device,
                r.right.interface or "",
            )
        )
        return {"pairs": [relation.as_json() for relation in relations]}

    @cached_property
    def findings(self) -> list[Finding]:
        """Everything that is wrong or risky, most serious first."""
        found = find_all(Context(self.network, self.tables, self.forwarding, self.reach))
        return [with_remedies(self.bench, finding) for finding in found]

    @cached_property
    def bench(self) -> Bench:
        """The workbench for remedies."""
        return Bench(self.survey, self.tables, self.forwarding, self.reach)

    def diagnose(
        self,
        sender: str,
        receiver: str,
        traffic: Traffic | None = None,
        progress: Progress | None = None,
        before: Computed | None = None,
    ) -> Diagnosis:
        """The causes of one complaint; see `causes.diagnose`. An older survey of the network says
        which of two that differ was there first."""
        older = Older(before.survey) if before is not None else None
        return diagnose(self.bench, self.findings, sender, receiver, traffic, progress, older)

    def audit(self, expectations: list[Expectation], watch: Watch = unwatched) -> list[Result]:
        """Every expectation against this survey, and under the failures that it has to survive;
        see `audit.check` and `whole.sweep`."""
        return survive(self, check(self.forwarding, expectations), watch)

    def ladder(self, host: str, receiver: str, traffic: Traffic | None = None) -> Ladder:
        """Rung by rung from a device outward; see `ladder.climb`."""
        return climb(self.forwarding, host, receiver, traffic)

    def compare(self, later: Computed) -> Comparison:
        """What differs between this survey and a later one."""
        return compare(
            self.survey, later.survey, (self.tables, later.tables), (self.reach, later.reach)
        )

    def desk(self, before: Computed | None = None, watch: Watch = unwatched) -> Desk:
        """What fails now, grouped by cause; see `whole.desk`."""
        return desk(self, before, watch)

    def since(
        self,
        sender: str,
        receiver: str,
        worked: Computed,
        traffic: Traffic | None = None,
        watch: Watch = unwatched,
    ) -> Since:
        """Which differences to an older survey broke a complaint; see `whole.since`."""
        return since(self, sender, receiver, worked, traffic, watch)

    def unknowns(self, watch: Watch = unwatched) -> Unknowns:
        """What was not read, and what hangs on it; see `whole.unknowns`."""
        return unknowns(self, watch)

    def sweep(
        self,
        links: bool = True,
        devices: bool = True,
        expectations: list[Expectation] | None = None,
        watch: Watch = unwatched,
        told: SweepTold = lambda found: None,
        each: Each = map,
    ) -> Sweep:
        """Every single failure of a link, of a device, or of both; see `whole.sweep`."""
        return sweep(self, self._downs(links, devices), expectations, watch, told, each)

    def failures(
        self,
        part: range,
        links: bool = True,
        devices: bool = True,
        expectations: list[Expectation] | None = None,
        watch: Watch = unwatched,
    ) -> list[Failure]:
        """Those of a sweep that stand at some places in it; fewer if the watch said no."""
        asked = expectations or []
        if self._holding is None or self._holding[0] != asked:
            self._holding = asked, holding(self, asked)  # the next part asks the same
        downs = self._downs(links, devices)
        return list(failures(self, downs, part, self._holding[1], watch))

    def _downs(self, links: bool, devices: bool) -> list[Down]:
        downs = links_of(self.network) if links else []
        return [*downs, *(devices_of(self.network) if devices else ())]

    def rehearse(self, edits: tuple[Edit, ...]) -> Rehearsal:
        """The survey with edits applied, beside this one.

        Raises:
            EditError: an edit cannot be made.
        """
        changed = apply(self.survey, edits)
        return Rehearsal(self, Computed(changed.survey, self), changed)

    def order(
        self, edits: tuple[Edit, ...], host: str | None = None, watch: Watch = unwatched
    ) -> Order:
        """The order of a change's steps that cuts least; see `whole.order`."""
        return order(self, edits, host, watch)

    def inspect_json(self) -> dict[str, list[dict[str, object]]]:
        """The `inspect` document of the contract."""
        return {
            "findings": [finding.as_nodes() for finding in self.findings],
            "reading": [report.as_json() for report in self.survey.reading],
        }

    def touching(self, path: Path) -> list[str]:
        """The ids of findings that bear on a path, the likeliest first."""
        return [
            finding.id
            for finding in findings_on_path(self.findings, path, self.tables, self.forwarding)
        ]

    def why(self, prefix: str, device: str | None = None) -> dict[str, list[dict[str, object]]]:
        """Why a prefix is, or is not, in the table of one device or of all.

        Raises:
            EndpointError: the text is not a prefix.
        """
        parsed = parse_prefix(prefix if "/" in prefix else "")
        if parsed is None:
            raise EndpointError(f"{prefix!r} is not a prefix. Write it like 10.64.3.0/24.")
        return {
            "why": [
                explain_prefix(self.tables, self.forwarding, item.name, parsed)
                for item in self.network.devices
                if item.role != "unread" and device in (None, item.name)
            ]
        }

    def device_named(self, text: str) -> str:
        """The device that a name, address or interface stands for."""
        found = resolve(self.forwarding, text, target=False).device
        assert found is not None
        return found

    def addresses_named(self, text: str) -> set[Address]:
        """The addresses that a name, address, prefix or interface stands for."""
        device = self.network.device(text)
        if device is not None:
            return {
                address
                for address, owners in self.forwarding.near.owners.items()
                if any(owner.end.device == text for owner in owners)
            }
        prefix = parse_prefix(text)
        if prefix is not None:
            return {a for a in self.forwarding.near.owners if prefix.contains(a)}
        return set(resolve(self.forwarding, text, target=True).addresses.values())


class Rehearsal(Document):
    """A survey before and after a change.

    `after` computes only what the change touches. `anew` quotes the changed texts exactly.
    """

    def __init__(self, before: Computed, after: Computed, changed: Changed) -> None:
        self.before, self.after, self.changed = before, after, changed

    @cached_property
    def anew(self) -> Computed:
        return Computed(self.changed.survey)

    @cached_property
    def not_understood(self) -> list[dict[str, object]]:
        """The lines of the change itself that no reader understands, in the `rehearse` document's
        shape."""
        before = Counter(
            (report.device, report.file, line.text)
            for report in self.before.survey.reading
            for line in report.unknown
        )
        out: list[dict[str, object]] = []
        for report in self.changed.survey.reading:
            for line in report.unknown if report.device in self.changed.devices else ():
                key = report.device, report.file, line.text
                before[key] -= 1
                if before[key] < 0:
                    place = {"device": report.device, "file": report.file}
                    out.append({**place, "line": line.line, "text": line.text})
        return out

    @cached_property
    def along(self) -> list[Along]:
        """What the change takes along: addresses, routes and neighbours that are no more."""
        return taken_along(self.before.tables, self.after.tables)

    @cached_property
    def effect(self) -> Effect:
        return compare_pairs(self.before.reach, self.after.reach)

    def as_nodes(self) -> dict[str, object]:
        """The `rehearse` document of the contract."""
        return {
            **self.effect.as_json(),
            "gone": [pair.as_json() for pair in self.effect.gone],
            "routes_changed": routes_changed(self.before.tables, self.after.tables),
            "neighbours": neighbours_changed(self.before.tables, self.after.tables),
            "not_understood": self.not_understood,
            "along": [item.as_json() for item in self.along],
        }
