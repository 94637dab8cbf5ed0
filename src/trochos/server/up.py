"""`./trochos up`: the database, the demo, the server, and a link to sign in."""

from __future__ import annotations

import argparse
import contextlib
import logging
import os
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

from ..local import state_directory
from ..parent import PARENT
from .cluster import ClusterError, ensure_database, require_database, unreachable
from .logs import PROCESS

OWNER = "owner"
LOOPBACK = ("127.0.0.1", "::1", "localhost")


def _listening(host: str, port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1" if host == "0.0.0.0" else host, port), 0.5):
            return True
    except OSError:
        return False


class Kept:
    """A process beside the server that is started again whenever it ends. It ends with the server
    (`parent.end_with_parent`); nothing of that runs between fork and exec, where a lock that
    another thread of the server held would be held for ever."""

    def __init__(self, command: list[str], environment: dict[str, str] | None = None) -> None:
        self.command = command
        self.environment = {**os.environ, PARENT: str(os.getpid()), **(environment or {})}
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._keep, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """Ends the process, and does not start it again."""
        self._stopping.set()
        if self._process is not None:
            self._process.terminate()
        self._thread.join(8)
        if self._process is not None and self._process.poll() is None:
            self._process.kill()

    def _keep(self) -> None:
        wait = 0.5
        while not self._stopping.is_set():
            began = time.monotonic()
            self._process = subprocess.Popen(self.command, env=self.environment)
            if self._stopping.is_set():
                self._process.terminate()
            self._process.wait()
            # One that ends at once again and again is given time.
            wait = 0.5 if time.monotonic() - began > 30 else min(wait * 2, 15)
            self._stopping.wait(wait)


def migrate() -> None:
    """Brings the database up to date; quick when it is."""
    from django.core.management import call_command
    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        print("trochos: preparing the database", file=sys.stderr)
        call_command("migrate", verbosity=0, interactive=False)


def prepare(demo: Path | None) -> None:
    """The demo's data; quick when it is there already."""
    if demo is not None:
        from .demo import load

        load(demo)


def sign_in_link(base: str) -> str:
    """A fresh one-time link for the owner's account, which is made if it is not there."""
    from django.contrib.auth.models import User

    from .accounts.administration import set_role
    from .accounts.models import OneTimeLink
    from .accounts.roles import ADMINISTRATOR

    user = User.objects.filter(username=OWNER).first()
    if user is None:
        user = User.objects.create_superuser(OWNER)
        set_role(user, ADMINISTRATOR)
    return f"{base}/sign-in#{OneTimeLink.issue(user)}"


def keep_database() -> None:
    """Starts the database again should it end; what was under way goes on from its last step."""
    while True:
        time.sleep(5)
        with contextlib.suppress(ClusterError, OSError):
            ensure_database()


SNMP_ONLY = ("tern-camera", "tide-tables")
OVER_RESTCONF = ("office", "noddy", "ruff")


def live_demo(root: Path, inventory: Path) -> Kept:
    """The demo network's devices, live on loopback."""
    command = [sys.executable, "-m", "devices", str(root / "demo" / "broken"), "--port", "8500"]
    command += ["--inventory", str(inventory)]
    for method, names in (("snmp", SNMP_ONLY), ("restconf", OVER_RESTCONF)):
        for name in names:
            command += ["--method", f"{name}={method}"]
    paths = os.pathsep.join([str(root / "src"), str(root)])
    return Kept(command, {"PYTHONPATH": paths})


def take_in_fleet(root: Path, inventory: Path) -> None:
    """Enters the simulated devices into the inventory as soon as they can be reached."""
    from django.db import connection

    from .demo import load_live

    for _ in range(240):
        if inventory.exists():
            load_live(inventory, root / "demo" / "broken" / "topology.json")
            break
        time.sleep(0.25)
    connection.close()


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="trochos up", description=__doc__)
    parser.add_argument("--port", type=int, default=8420)
    parser.add_argument(
        "--listen",
        default="127.0.0.1",
        metavar="ADDRESS",
        help="the address to listen at; another than loopback only behind a proxy that speaks TLS",
    )
    parser.add_argument("--no-demo", action="store_true", help="without the demo network")
    parser.add_argument(
        "--no-workers",
        action="store_true",
        help="the server alone; workers run as services of their own",
    )
    options = parser.parse_args(arguments)
    if options.listen not in LOOPBACK and not os.environ.get("TROCHOS_TLS"):
        print(
            f"trochos: {options.listen} can be reached from other machines, so this needs a proxy "
            "that speaks TLS, and TROCHOS_TLS=yes (docs/manual/operating.md).",
            file=sys.stderr,
        )
        return 2
    if _listening(options.listen, options.port):
        print(
            f"trochos: port {options.port} is taken. Stop what runs there, or name another port "
            "with --port.",
            file=sys.stderr,
        )
        return 1
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    os.environ[PROCESS] = "server"
    try:
        require_database()
    except ClusterError as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    import django
    import uvicorn
    from django.db import DatabaseError

    django.setup()
    root = Path(__file__).resolve().parents[3]
    from .keys import FINGERPRINTS, VAULT, WrongKey, require

    try:
        migrate()
        require(FINGERPRINTS, VAULT, found=True)
        prepare(None if options.no_demo else root / "demo")
    except (DatabaseError, WrongKey) as error:
        says = str(error) if isinstance(error, WrongKey) else unreachable(error)
        print(f"trochos: {says}", file=sys.stderr)
        return 1
    base = os.environ.get("TROCHOS_URL", f"http://127.0.0.1:{options.port}").rstrip("/")
    link = sign_in_link(base)

    server = uvicorn.Server(
        uvicorn.Config(
            "trochos.server.asgi:application",
            host=options.listen,
            port=options.port,
            log_level="warning",
            lifespan="off",
            access_log=False,
            proxy_headers=False,  # peers.RealPeer knows which proxies to believe
            server_header=False,
        )
    )

    worker = [sys.executable, "-m", "trochos.server.worker"]
    computing = max(1, (os.cpu_count() or 2) - 1)
    kept: list[Kept] = []
    if not options.no_workers:
        kept.append(Kept(worker, {PROCESS: "gathering"}))
        for number in range(1, computing + 1):
            kept.append(Kept([*worker, "--computing"], {PROCESS: f"computing-{number}"}))
    if not options.no_demo:
        inventory = state_directory() / "fleet" / "inventory.yaml"
        inventory.unlink(missing_ok=True)
        kept.append(live_demo(root, inventory))
        threading.Thread(target=take_in_fleet, args=(root, inventory), daemon=True).start()

    def announce() -> None:
        while not server.started:
            time.sleep(0.02)
        print(f"Trochos runs at {base}/")
        print(f"Sign in once with {link}")
        print("Stop it with Ctrl+C.", flush=True)

    # An answer asks the database a few times, and each time waits until another thread lets go:
    # with many at once, shorter turns are what keeps a quick answer quick.
    sys.setswitchinterval(0.0005)
    logging.getLogger("uvicorn.error").setLevel(logging.WARNING)
    threading.Thread(target=announce, daemon=True).start()
    threading.Thread(target=keep_database, daemon=True).start()
    for process in kept:
        process.start()
    try:
        server.run()
    finally:
        for process in kept:
            process.stop()
    return 0 if server.started else 1


if __name__ == "__main__":
    sys.exit(main())
