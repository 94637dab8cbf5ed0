"""Random networks of routers that talk to each other, odd on purpose."""

from __future__ import annotations

import random
from dataclasses import dataclass, field


@dataclass
class Router:
    """A router's text in the making."""

    name: str
    interfaces: dict[str, list[str]] = field(default_factory=dict)
    top: list[str] = field(default_factory=list)
    sections: dict[str, list[str]] = field(default_factory=dict)
    tail: list[str] = field(default_factory=list)
    ports: int = 0

    def port(self, *lines: str, name: str | None = None) -> str:
        """A new interface with these lines."""
        if name is None:
            self.ports += 1
            name = f"eth{self.ports}"
        self.interfaces.setdefault(name, []).extend(lines)
        return name

    def text(self) -> str:
        out = ["frr version 8.4.4", "frr defaults traditional", f"hostname {self.name}", "!"]
        out += [*self.top, "!"]
        for name, lines in self.interfaces.items():
            out += [f"interface {name}", *(f" {line}" for line in lines), "exit", "!"]
        for head, lines in self.sections.items():
            out += [head, *(f" {line}" for line in lines), "exit", "!"]
        return "\n".join([*out, *self.tail, "end", ""])


@dataclass
class Made:
    """A network ready for the lab."""

    routers: dict[str, Router] = field(default_factory=dict)
    links: list[tuple[str, str, str, str]] = field(default_factory=list)
    lans: list[str] = field(default_factory=list)
    dummies: dict[str, list[str]] = field(default_factory=dict)

    def router(self, name: str) -> Router:
        return self.routers.setdefault(name, Router(name))

    def dummy(self, name: str, *lines: str) -> str:
        port = f"dum{len(self.dummies.setdefault(name, []))}"
        self.dummies[name].append(port)
        self.router(name).port(*lines, name=port)
        return port

    def texts(self) -> dict[str, str]:
        return {name: router.text() for name, router in self.routers.items()}


def ospf(seed: int) -> Made:
    """OSPF with a backbone and two or three more areas, borders, externals and mistakes."""
    rng = random.Random(seed)
    made = Made()
    core = ["r0", "r1", "r2"]
    areas = rng.choice([[1], [1, 2], [1, 2, 3], [0, 1, 2]])
    members = {area: [f"a{area}{i}" for i in range(rng.randint(1, 2))] for area in areas if area}
    kinds = {
        area: rng.choice(["normal", "normal", "stub", "stub no-summary", "nssa", "nssa no-summary"])
        for area in members
    }
    count = 0
    by_interface = rng.random() < 0.3
    router_areas: dict[str, set[int]] = {}

    def ospf_lines(name: str, area: int, kind: str | None) -> list[str]:
        router_areas.setdefault(name, set()).add(area)
        lines = ["ip ospf hello-interval 1", "ip ospf dead-interval 4"]
        if by_interface:
            lines.append(f"ip ospf area {area}")
        if kind:
            lines.append(f"ip ospf network {kind}")
        if rng.random() < 0.4:
            lines.append(f"ip ospf cost {rng.choice([1, 5, 10, 20, 30, 100])}")
        if rng.random() < 0.06:
            lines.append(f"ip ospf priority {rng.choice([0, 0, 5])}")
        return lines

    def statement(name: str, prefix: str, area: int) -> None:
        section = made.router(name).sections.setdefault("router ospf", [])
        if not by_interface:
            section.append(f"network {prefix} area {area}")

    def connect(names: list[str], area: int) -> None:
        nonlocal count
        count += 1
        kind = rng.choice([None, "point-to-point"]) if len(names) == 2 else None
        lan = f"lan{count}" if len(names) > 2 else None
        if lan:
            made.lans.append(lan)
        length = 24 if lan else 30
        ends = []
        for index, name in enumerate(names, 1):
            chosen = kind
            if rng.random() < 0.03 and not lan:
                chosen = "point-to-point"
            if rng.random() < 0.03:
                length = 29
            lines = [f"ip address 10.{area}.{count}.{index}/{length}"]
            lines += ospf_lines(name, area, chosen)
            if rng.random() < 0.03:
                lines.append("ip ospf passive")
            if rng.random() < 0.02:
                lines.append("ip ospf hello-interval 2")
            if rng.random() < 0.02:
                lines += ["ip ospf authentication", "ip ospf authentication-key secretx"]
            port = made.router(name).port(*lines)
            ends.append((name, port))
            wrong = area + 1 if rng.random() < 0.02 else area
            statement(name, f"10.{area}.{count}.0/{30 if not lan else 24}", wrong)
        if lan:
            for index, (name, port) in enumerate(ends):
                made.links.append((name, port, lan, f"p{index}"))
        else:
            (a, ap), (b, bp) = ends
            made.links.append((a, ap, b, bp))

    if rng.random() < 0.5:
        connect(core, 0)
    else:
        connect(core[:2], 0)
        connect(core[1:], 0)
    if rng.random() < 0.4:
        connect([core[0], core[2]], 0)
    for area, names in members.items():
        for name in names:
            for border in rng.sample(core, rng.randint(1, 2)):
                connect([border, name], area)
        if len(names) > 1 and rng.random() < 0.6:
            connect(names, area)
    for number, name in enumerate(sorted(made.routers)):
        router = made.router(name)
        own = sorted(router_areas[name])
        area = rng.choice(own)
        section = router.sections.setdefault("router ospf", [])
        section.insert(0, f"ospf router-id 10.255.{rng.randint(0, 3)}.{number + 1}")
        loop = [f"ip address 10.{area}.255.{number + 1}/32"]
        if rng.random() < 0.8:
            if by_interface:
                loop.append(f"ip ospf area {area}")
            statement(name, f"10.{area}.255.{number + 1}/32", area)
        router.port(*loop, name="lo")
        for extra in range(rng.randint(0, 2)):
            octet = 100 + 10 * number + extra
            lines = [f"ip address 10.{area}.{octet}.1/24"]
            inside = rng.random() < 0.6
            if inside:
                if by_interface:
                    lines.append(f"ip ospf area {area}")
                statement(name, f"10.{area}.{octet}.0/24", area)
            if inside and rng.random() < 0.5:
                lines.append("ip ospf passive")
            made.dummy(name, *lines)
        for one in own:
            kind = kinds.get(one, "normal")
            if kind != "normal" and rng.random() < 0.98:
                word = kind
                if name not in core and "no-summary" in kind:
                    word = kind.split()[0]
                section.append(f"area {one} {word}")
                if name in core and rng.random() < 0.2 and "stub" in kind:
                    section.append(f"area {one} default-cost {rng.choice([5, 50])}")
            if name in core and one and rng.random() < 0.4:
                length, tail = rng.choice([(16, ""), (17, ""), (18, " not-advertise"), (16, "")])
                if rng.random() < 0.2:
                    tail = tail or f" cost {rng.choice([7, 70])}"
                section.append(f"area {one} range 10.{one}.0.0/{length}{tail}")
            if name in core and one and rng.random() < 0.1:
                way = rng.choice(["in", "out"])
                section.append(f"area {one} filter-list prefix FL{one} {way}")
                third = rng.randint(0, 3)
                router.tail += [
                    f"ip prefix-list FL{one} seq 5 deny 10.{third}.0.0/16 le 24",
                    f"ip prefix-list FL{one} seq 10 permit any",
                ]
        _externals(rng, router, name, number, section)
        if rng.random() < 0.06:
            section.append("max-metric router-lsa administrative")
        if rng.random() < 0.08:
            section.append("distance ospf external 200")
        if rng.random() < 0.05:
            section.append("auto-cost reference-bandwidth 1000000")
        if rng.random() < 0.05:
            section.append("compatible rfc1583")
    return made


def _externals(
    rng: random.Random, router: Router, name: str, number: int, section: list[str]
) -> None:
    if rng.random() < 0.4:
        for extra in range(rng.randint(1, 2)):
            target = f"172.16.{number * 4 + extra}.0/24"
            router.top.append(f"ip route {target} {rng.choice(['blackhole', 'Null0'])}")
        tail = rng.choice(["", " metric 7", " metric 30 metric-type 1", " metric-type 1"])
        if rng.random() < 0.3:
            tail += " route-map EXT"
            router.tail += [
                f"access-list EXT seq 5 permit 172.16.{number * 4}.0/24",
                "route-map EXT permit 10",
                " match ip address EXT",
                rng.choice([" set metric 77", " set metric-type type-1", " set tag 5"]),
                "exit",
            ]
        section.append(f"redistribute static{tail}")
        if rng.random() < 0.15:
            section.append("summary-address 172.16.0.0/16")
    if rng.random() < 0.25:
        section.append("redistribute connected" + rng.choice(["", " metric-type 1", " metric 3"]))
    if rng.random() < 0.2:
        always = rng.choice([" always", ""])
        if not always:
            router.top.append("ip route 0.0.0.0/0 Null0")
        section.append(
            f"default-information originate{always}"
            + rng.choice(["", " metric 9", " metric-type 1", " metric 4 metric-type 1"])
        )
    if rng.random() < 0.1:
        section.append(f"default-metric {rng.choice([15, 25])}")
