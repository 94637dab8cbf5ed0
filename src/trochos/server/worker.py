"""A worker: takes work from the queue in PostgreSQL.

`--computing` makes one that computes, one answer at a time; without it, one that gathers. Beside
the server run one that gathers, and as many that compute as there are cores less one, at least
one. More can run on other machines; they need the database (the DATABASE_ variables), the vault's
key and the key of fingerprints, and nothing else.
"""

from __future__ import annotations

import asyncio
import gc
import os
import resource
import signal
import sys

from ..parent import end_with_parent
from .cluster import ClusterError, require_database
from .logs import PROCESS

AT_ONCE = 24
"""Devices that one worker talks to at a time."""


def main(arguments: list[str]) -> int:
    """Works until it is stopped; 1 if the database cannot be reached."""
    end_with_parent()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    computing = "--computing" in arguments
    os.environ.setdefault(PROCESS, "computing" if computing else "gathering")
    if computing:
        os.environ["TROCHOS_COMPUTES"] = "1"
        os.nice(10)  # whoever only asks for a page is served first
    try:
        require_database()
    except ClusterError as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    import django

    django.setup()
    from .keys import FINGERPRINTS, VAULT, WrongKey, require

    try:
        require(FINGERPRINTS, *(() if computing else (VAULT,)))
    except WrongKey as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    from procrastinate.contrib.django import app

    from .gathering.tasks import STALLED
    from .queueing import COMPUTING, QUEUE
    from .surveys.jobs import MEMORY

    if computing:
        bound_memory(MEMORY)

    async def work() -> None:
        connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
        with app.replace_connector(connector) as held:
            async with held.open_async():
                await held.run_worker_async(
                    queues=[COMPUTING if computing else QUEUE],
                    concurrency=1 if computing else AT_ONCE,
                    wait=True,
                    fetch_job_polling_interval=2.0,
                    update_heartbeat_interval=STALLED / 3,
                    stalled_worker_timeout=STALLED,
                    shutdown_graceful_timeout=5,
                    delete_jobs="successful",
                )

    asyncio.run(work())
    return 0


def bound_memory(budget: int) -> None:
    """Has this process be refused more memory than it has now and a budget beside."""
    with open("/proc/self/statm") as stream:
        held = int(stream.read().split()[0]) * resource.getpagesize()
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (held + budget, hard))
    gc.collect()


if __name__ == "__main__":
    # Ctrl+C stops the server, which stops its worker; one message is enough.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sys.exit(main(sys.argv[1:]))
