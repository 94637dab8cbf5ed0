"""A worker: takes gathering work from the queue in PostgreSQL.

One runs beside the server. More can run on other machines; they need the database (the
DATABASE_ variables) and the vault's key, and nothing else.
"""

from __future__ import annotations

import asyncio
import os
import signal
import sys

from .cluster import ClusterError, ensure_database

AT_ONCE = 24
"""Devices that one worker talks to at a time."""


def main() -> int:
    """Works until it is stopped; 1 if the database cannot be reached."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    try:
        ensure_database()
    except ClusterError as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    import django

    django.setup()
    from procrastinate.contrib.django import app

    from .gathering.queueing import QUEUE
    from .gathering.tasks import STALLED

    async def work() -> None:
        connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
        with app.replace_connector(connector) as held:
            async with held.open_async():
                await held.run_worker_async(
                    queues=[QUEUE],
                    concurrency=AT_ONCE,
                    wait=True,
                    fetch_job_polling_interval=2.0,
                    update_heartbeat_interval=STALLED / 3,
                    stalled_worker_timeout=STALLED,
                    shutdown_graceful_timeout=5,
                    delete_jobs="successful",
                )

    asyncio.run(work())
    return 0


if __name__ == "__main__":
    # Ctrl+C stops the server, which stops its worker; one message is enough.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sys.exit(main())
