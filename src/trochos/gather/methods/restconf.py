"""RESTCONF (RFC 8040) over HTTPS: the same data as NETCONF gives, as RFC 7951 JSON."""

from __future__ import annotations

import json
import ssl
from typing import Any

import httpx
from lxml import etree

from ..bounds import Budget, within
from ..credentials import Credential
from ..inventory import Target
from ..problems import (
    Closed,
    CredentialMissing,
    Garbled,
    LoginRefused,
    NotOffered,
    Problem,
    TimedOut,
    Unreachable,
)
from .base import Gathered, Progress
from .certificates import trusted

CONFIG_FILE, STATE_FILE = "restconf-running.json", "restconf-state.json"
_CONFIGURATION = (
    "ietf-interfaces:interfaces",
    "ietf-routing:routing",
    "ietf-access-control-list:acls",
    "ietf-nat:nat",
    "ietf-system:system/hostname",
)
_STATE = ("ietf-interfaces:interfaces", "ietf-routing:routing/ribs")
_PARTIAL_CHAIN = 0x80000
"""X509_V_FLAG_PARTIAL_CHAIN: the trusted certificate need not be a root."""


async def _client(target: Target, credential: Credential, budget: Budget) -> httpx.AsyncClient:
    if not credential.username:
        raise CredentialMissing(f"The credential {credential.name} has no user name.")
    certificate = await trusted(target, budget)
    # From here on TLS itself insists on exactly this certificate.
    context = ssl.create_default_context(cadata=ssl.DER_cert_to_PEM_cert(certificate))
    context.check_hostname = False
    context.verify_flags |= _PARTIAL_CHAIN
    host = f"[{target.address}]" if ":" in target.address else target.address
    return httpx.AsyncClient(
        base_url=f"https://{host}:{target.port}",
        verify=context,
        auth=(credential.username, credential.password),
        timeout=httpx.Timeout(budget.bounds.step, connect=budget.bounds.connect),
        follow_redirects=False,
        trust_env=False,
    )


async def _get(client: httpx.AsyncClient, path: str, accept: str, budget: Budget) -> bytes | None:
    """The body at a path; None where the device has nothing there (RFC 8040, section 7)."""
    try:
        async with client.stream("GET", path, headers={"Accept": accept}) as reply:
            if reply.status_code in (401, 403):
                raise LoginRefused("The device refuses the credential.")
            if reply.status_code in (204, 404):
                return None
            if reply.status_code != 200:
                raise NotOffered(f"The device answers {path} with status {reply.status_code}.")
            chunks, length = [], 0
            async for chunk in reply.aiter_bytes(1 << 16):
                length += len(chunk)
                budget.take(len(chunk), length)
                chunks.append(chunk)
            return b"".join(chunks)
    except httpx.TimeoutException as error:
        raise TimedOut(f"The device took too long to answer {path}.") from error
    except (httpx.RemoteProtocolError, httpx.ReadError) as error:
        text = str(error).lower()
        if "disconnect" in text or "closed" in text or isinstance(error, httpx.ReadError):
            raise Closed(f"The device closed the connection in the answer to {path}.") from error
        raise Garbled(f"The device's answer to {path} is not HTTP.") from error
    except httpx.ConnectError as error:
        raise Unreachable("The device does not take another connection.") from error
    except (httpx.DecodingError, httpx.InvalidURL) as error:
        raise Garbled(f"The device's answer to {path} cannot be decoded.") from error


async def _root(client: httpx.AsyncClient, budget: Budget) -> str:
    """Where the API begins (RFC 8040, section 3.1)."""
    try:
        body = await _get(client, "/.well-known/host-meta", "application/xrd+xml", budget)
    except NotOffered:
        body = None
    if body:
        try:
            parser = etree.XMLParser(resolve_entities=False, no_network=True)
            for link in etree.fromstring(body, parser).iter():
                href = link.get("href") if isinstance(link.tag, str) else None
                if href and link.get("rel") == "restconf" and href.startswith("/"):
                    return str(href).rstrip("/")
        except etree.XMLSyntaxError:
            pass
    return "/restconf"


async def _data(client: httpx.AsyncClient, path: str, budget: Budget) -> dict[str, Any] | None:
    body = await _get(client, path, "application/yang-data+json", budget)
    if body is None:
        return None
    try:
        found = json.loads(body)
    except (ValueError, RecursionError) as error:
        raise Garbled(f"The device's answer to {path.partition('?')[0]} is not JSON.") from error
    if not isinstance(found, dict):
        raise Garbled(f"The device's answer to {path.partition('?')[0]} is not an object.")
    return found


async def gather(
    target: Target, credential: Credential, budget: Budget, progress: Progress
) -> Gathered:
    """The configuration must come; the state may be missing, and is noted then."""
    out = Gathered()
    steps = len(_CONFIGURATION) + len(_STATE)
    async with await _client(target, credential, budget) as client:
        root = await within(budget.bounds.step, "The root of the interface", _root(client, budget))
        config: dict[str, Any] = {}
        for number, name in enumerate(_CONFIGURATION):
            progress(name, number, steps)
            found = await within(
                budget.bounds.step,
                f"The answer for {name}",
                _data(client, f"{root}/data/{name}?content=config", budget),
            )
            if found is None:
                out.absent.append(name)
            elif "/" in name:
                top, leaf = name.split("/")
                value = next(iter(found.values()), None)
                if isinstance(value, str):
                    config[top] = {leaf: value}
            else:
                config |= found
        if not {"ietf-interfaces:interfaces", "ietf-routing:routing"} & set(config):
            raise NotOffered("The device offers neither ietf-interfaces nor ietf-routing.")
        out.files[CONFIG_FILE] = json.dumps(config, indent=2, ensure_ascii=False) + "\n"
        state: dict[str, Any] = {}
        for number, name in enumerate(_STATE, len(_CONFIGURATION)):
            progress(name, number, steps)
            try:
                found = await within(
                    budget.bounds.step,
                    f"The answer for {name}",
                    _data(client, f"{root}/data/{name}?content=nonconfig", budget),
                )
            except Problem as problem:
                out.missing[f"the state of {name}"] = str(problem)
                continue
            if found is not None:
                top, _, inner = name.partition("/")
                value = next(iter(found.values()), None)
                state[top] = {inner: value} if inner else value
        if state:
            out.files[STATE_FILE] = operational(state)
    return out


def operational(state: dict[str, Any]) -> str:
    """State as an instance file that says so (RFC 9195, RFC 8342)."""
    whole = {
        "ietf-yang-instance-data:instance-data-set": {
            "name": "state",
            "datastore": "ietf-datastores:operational",
            "content-data": state,
        }
    }
    return json.dumps(whole, indent=2, ensure_ascii=False) + "\n"
