"""A service as a team runs it: a server behind a proxy that speaks TLS, a worker on another host
with a state folder of its own, one database for both over TCP."""

from __future__ import annotations

import datetime
import http.client
import io
import ipaddress
import os
import shutil
import ssl
import sys
import threading
import time
import zipfile
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import httpx
import psycopg
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from django.db import connection
from processes import Talking
from surveys import ROOT, free_port

from trochos.local import read_folder

NAME = "trochos.example"
PATIENCE_S = 600.0


def certificate(folder: Path) -> Path:
    """A certificate for the proxy that nobody signed but itself, with its key."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, NAME)])
    now = datetime.datetime.now(datetime.UTC)
    names = [x509.DNSName(NAME), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=1))
        .not_valid_after(now + datetime.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    file = folder / "proxy.pem"
    file.write_bytes(
        made.public_bytes(serialization.Encoding.PEM)
        + key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
    )
    return file


class Proxy:
    """Ends TLS and passes requests on, as docs/manual/operating.md asks of one."""

    def __init__(self, pem: Path, upstream: int) -> None:
        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"
            timeout = 300

            def pass_on(self) -> None:
                body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
                headers = {k: v for k, v in self.headers.items() if k.lower() != "connection"}
                known = self.headers.get("X-Forwarded-For")
                peer = self.client_address[0]
                headers["X-Forwarded-For"] = f"{known}, {peer}" if known else peer
                headers["X-Forwarded-Proto"] = "https"
                held = http.client.HTTPConnection("127.0.0.1", upstream, timeout=300)
                held.request(self.command, self.path, body, headers)
                answer = held.getresponse()
                content = answer.read()
                self.send_response_only(answer.status)
                for key, value in answer.getheaders():
                    if key.lower() not in ("transfer-encoding", "connection", "content-length"):
                        self.send_header(key, value)
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                if self.command != "HEAD":
                    self.wfile.write(content)
                held.close()

            do_GET = do_POST = do_PUT = do_PATCH = do_DELETE = do_HEAD = pass_on

            def log_message(self, *_: Any) -> None:
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = self.server.server_address[1]
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(pem)
        # Each connection's own thread shakes hands: one that is silent holds nobody up.
        self.server.socket = context.wrap_socket(
            self.server.socket, server_side=True, do_handshake_on_connect=False
        )
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


class Service:
    """The processes of both hosts."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.running = folder, list[Talking]()
        self.port = free_port()
        self.pem = certificate(folder)
        held = connection.settings_dict
        self.database = f"hosts{os.getpid()}"
        self.parameters = {
            "host": str(held["HOST"]),
            "port": str(held["PORT"]),
            "user": str(held["USER"]),
            "password": str(held["PASSWORD"]),
        }
        self.sql(f"create database {self.database}")
        self.proxy = Proxy(self.pem, self.port)
        self.url = f"https://127.0.0.1:{self.proxy.port}"

    def sql(self, statement: str) -> None:
        where = {**self.parameters, "dbname": "postgres"}
        with psycopg.connect(**where, autocommit=True) as asked:  # type: ignore[arg-type]
            asked.execute(statement)  # type: ignore[arg-type]

    def environment(self, host: str) -> dict[str, str]:
        own = {key: value for key, value in os.environ.items() if not key.startswith("TROCHOS_")}
        return {
            **own,
            "PYTHONPATH": str(ROOT / "src"),
            "DATABASE_HOST": self.parameters["host"],
            "DATABASE_PORT": self.parameters["port"],
            "DATABASE_USER": self.parameters["user"],
            "DATABASE_PASSWORD": self.parameters["password"],
            "DATABASE_NAME": self.database,
            "TROCHOS_STATE": str(self.folder / host),
            "TROCHOS_TLS": "yes",
            "TROCHOS_HOSTS": NAME,
            "TROCHOS_PROXIES": "127.0.0.1",
            "TROCHOS_URL": f"https://{NAME}",
        }

    def start(self, host: str, *command: str) -> Talking:
        log = self.folder / f"{host}-{len(self.running)}.log"
        process = Talking([sys.executable, "-m", *command], self.environment(host), log)
        self.running.append(process)
        return process

    def close(self) -> None:
        for process in self.running:
            process.end()
        self.proxy.close()
        self.sql(f"drop database {self.database} with (force)")


@pytest.fixture
def service(transactional_db: None, tmp_path: Path) -> Iterator[Service]:
    made = Service(tmp_path)
    yield made
    made.close()


def asking(service: Service, **headers: str) -> httpx.Client:
    trusted = ssl.create_default_context(cafile=str(service.pem))
    return httpx.Client(
        base_url=service.url,
        # People come from elsewhere than the proxy does.
        transport=httpx.HTTPTransport(verify=trusted, local_address="127.0.0.9"),
        headers={"Host": NAME, "Referer": f"https://{NAME}/", **headers},
        timeout=300,
    )


def uploaded(folder: Path) -> bytes:
    """A survey as an archive."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path, data in read_folder(folder).items():
            archive.writestr(path, data)
    return out.getvalue()


def test_a_server_behind_tls_and_a_worker_elsewhere(service: Service) -> None:
    server = service.start(
        "one", "trochos.server.up", "--no-demo", "--no-workers", "--port", str(service.port)
    )
    link = server.line("Sign in once with", PATIENCE_S).split()[-1]
    assert link.startswith(f"https://{NAME}/sign-in#")

    # Another machine without the keys of this installation refuses to start.
    strange = service.start("strange", "trochos.server.worker", "--computing")
    assert strange.process.wait(PATIENCE_S) != 0 and "key" in strange.said(), strange.said()
    other = service.folder / "two"
    other.mkdir()
    for key in ("django.key", "fingerprint.key", "vault.key"):
        if (service.folder / "one" / key).exists():
            shutil.copy(service.folder / "one" / key, other / key)
    service.start("two", "trochos.server.worker", "--computing")

    with asking(service) as client:
        assert client.get("/health").status_code == 200
        first = client.get("/api/session")
        assert "max-age=31536000" in first.headers["strict-transport-security"]
        token = first.cookies["trochos_csrf"]
        cookies = [c for c in first.headers.get_list("set-cookie") if "trochos_csrf" in c]
        assert cookies and all("Secure" in cookie for cookie in cookies)
        signed = client.post(
            "/api/session/link",
            json={"token": link.partition("#")[2]},
            headers={"X-CSRFToken": token},
        )
        assert signed.status_code == 200, signed.text
        session = [c for c in signed.headers.get_list("set-cookie") if "trochos_session" in c]
        assert session and "Secure" in session[0] and "HttpOnly" in session[0]
        token = client.cookies["trochos_csrf"]
        # A page elsewhere cannot ask in this one's name.
        foreign = client.post(
            "/api/tokens",
            json={"name": "x", "role": "reader", "days": 1},
            headers={"X-CSRFToken": token, "Referer": "https://evil.example/"},
        )
        assert foreign.status_code == 403

        sent = client.post(
            "/api/surveys",
            files={"files": ("faulty.zip", uploaded(ROOT / "demo" / "quay-broken"))},
            headers={"X-CSRFToken": token},
        )
        # The worker of the other host reads what was sent here, sealed under the same key.
        assert sent.status_code == 202, sent.text
        read_end = time.monotonic() + PATIENCE_S
        while (now := client.get(f"/api/surveys/incoming/{sent.json()['id']}").json())[
            "survey"
        ] is None:
            assert time.monotonic() < read_end, now
            time.sleep(0.2)
        survey = now["survey"]["id"]
        # The worker of the other host computes what is asked here.
        end = time.monotonic() + PATIENCE_S
        while True:
            asked = client.get(f"/api/surveys/{survey}/unknowns")
            assert asked.status_code == 200, asked.text
            if asked.json().get("state", "done") == "done" or "by" in asked.json():
                break
            assert time.monotonic() < end, asked.text
            time.sleep(0.3)

    # Plain requests are sent to TLS, unknown names refused, and the server itself is on loopback.
    plain = httpx.get(f"http://127.0.0.1:{service.port}/api/session", headers={"Host": NAME})
    assert plain.status_code == 301 and plain.headers["location"].startswith(f"https://{NAME}/")
    with asking(service, Host="elsewhere.example") as stranger:
        assert stranger.get("/api/session").status_code == 400

    # Whatever a client says of where it comes from, the proxy's word counts.
    states, began = [], time.monotonic()
    for number in range(34):
        with asking(service, **{"X-Forwarded-For": f"203.0.113.{number}"}) as guesser:
            token = guesser.get("/api/session").cookies["trochos_csrf"]
            answer = guesser.post(
                "/api/session",
                json={"name": f"account{number}", "password": "guessed"},
                headers={"X-CSRFToken": token},
            )
            states.append(answer.status_code)
    # Thirty are counted in five minutes; where a machine is too busy for so many, none is refused.
    in_time = time.monotonic() - began < 240
    assert states[0] != 429 and (429 in states or not in_time), states
