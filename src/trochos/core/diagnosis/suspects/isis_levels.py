"""Levels of IS-IS in which a router has nobody, and into which it announces what others need."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address
from ...network.edits import Remedy
from ...network.routing import Redistribution
from ...protocols.isis.speakers import IsisSpeakers
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import SURE, Suspect


def told_to_nobody(bench: Bench, target: Address) -> Iterator[Suspect]:
    """Routers that announce what leads to a target into a level in which nobody hears them, and
    are heard in the other one."""
    family = target.family
    for speakers in bench.tables.speakers:
        if not isinstance(speakers, IsisSpeakers) or speakers.family != family:
            continue
        for name, router in speakers.routers.items():
            process, writer = router.process, bench.writer(name)
            heard = process.levels & set(router.adjacent)
            spoken = {(item.level, item.what.source) for item in process.announced}
            for level, line in sorted(spoken, key=lambda pair: (pair[0], pair[1].line or 0)):
                what = next(i.what for i in process.announced if i.what.source == line)
                others = sorted(heard - {level})
                if level in heard or not others or f"level-{level}" not in line.text:
                    continue
                if isinstance(what, Redistribution):
                    route = bench.forwarding.matching(name, target)
                    if route is None or route.protocol != what.protocol:
                        continue
                words = line.text.replace(f"level-{level}", f"level-{others[-1]}")
                edits = writer.swap(line, words)
                if not edits:
                    continue
                yield Suspect(
                    Finding(
                        "isis-told-to-nobody",
                        BREAKS,
                        name,
                        f"{name} announces into level {level} of IS-IS, where nobody hears it, and "
                        f"not into level {others[-1]}, where its neighbours are.",
                        "What is announced in one level is not known in the other.",
                        (line, *((process.kind.source,) if process.kind is not None else ())),
                        key=f"{line.line}",
                        remedies=(
                            Remedy(f"On {name}: announce it into level {others[-1]}.", edits),
                        ),
                    ),
                    SURE,
                )
