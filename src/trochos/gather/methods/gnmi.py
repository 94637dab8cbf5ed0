"""gNMI over TLS (gNMI specification, sections 3.2 and 3.3): what a device of OpenConfig's models
holds, one Get for each part that the readers know.

Whatever paths a device cuts its answers into, they are laid together as one tree of RFC 7951, so
that what was gathered can be read, edited and handed over as any other data of the models.
"""

from __future__ import annotations

import asyncio
import json
import os
from typing import Any, NamedTuple

# What the library has to say goes into problems, not onto standard error.
os.environ.setdefault("GRPC_VERBOSITY", "NONE")

import grpc
from cryptography import x509
from cryptography.hazmat.primitives.serialization import Encoding
from cryptography.x509.oid import NameOID
from pygnmi.spec.v080 import gnmi_pb2 as messages
from pygnmi.spec.v080 import gnmi_pb2_grpc

from ..bounds import Budget
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
    TooMuch,
    Unreachable,
)
from .base import Gathered, Progress
from .certificates import trusted
from .restconf import operational

CONFIG_FILE, STATE_FILE = "gnmi-config.json", "gnmi-state.json"
CONFIGURATION = (
    ("openconfig-interfaces", "interfaces"),
    ("openconfig-network-instance", "network-instances"),
    ("openconfig-routing-policy", "routing-policy"),
    ("openconfig-acl", "acl"),
    ("openconfig-system", "system/config/hostname"),
)
"""(module, path) of the configuration that is asked for."""
STATE = (
    ("openconfig-interfaces", "interfaces"),
    ("openconfig-network-instance", "network-instances"),
    ("openconfig-lldp", "lldp"),
)
"""What only the running device knows: interfaces that are up, neighbours, forwarding tables."""
NEEDED = "openconfig-interfaces"
_ENCODINGS = (messages.JSON_IETF, messages.JSON)
_REFUSED = (grpc.StatusCode.UNAUTHENTICATED, grpc.StatusCode.PERMISSION_DENIED)
_NOT_SO = (grpc.StatusCode.UNIMPLEMENTED, grpc.StatusCode.INVALID_ARGUMENT)


class Answer(NamedTuple):
    """A failed call: its status, and what the device or the library said."""

    code: grpc.StatusCode
    text: str


class _Failed(Exception):
    def __init__(self, answer: Answer) -> None:
        super().__init__(answer.text)
        self.answer = answer


def path_of(text: str) -> Any:
    """A path without keys as the protocol's message."""
    elements = [messages.PathElem(name=name) for name in text.split("/") if name]
    return messages.Path(origin="openconfig", elem=elements)


def _name_of(certificate: bytes) -> str:
    """A name that the certificate is for; the pin, not the name, says whose it is."""
    held = x509.load_der_x509_certificate(certificate)
    try:
        names = held.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        for kind in (x509.DNSName, x509.IPAddress):
            for value in names.get_values_for_type(kind):
                return str(value)
    except x509.ExtensionNotFound:
        pass
    for attribute in held.subject.get_attributes_for_oid(NameOID.COMMON_NAME):
        return str(attribute.value)
    raise Garbled("The device's certificate names nobody, and this transport needs a name in it.")


def channel_to(target: Target, credential: Credential, certificate: bytes, most: int) -> Any:
    """A channel that takes exactly this certificate (DER), and at most `most` bytes an answer."""
    trust = x509.load_der_x509_certificate(certificate).public_bytes(Encoding.PEM)
    client = bool(credential.certificate and credential.private_key)
    secured = grpc.ssl_channel_credentials(
        trust,
        credential.private_key.encode() if client else None,
        credential.certificate.encode() if client else None,
    )
    host = f"[{target.address}]" if ":" in target.address else target.address
    return grpc.secure_channel(
        f"{host}:{target.port}",
        secured,
        options=(
            ("grpc.ssl_target_name_override", _name_of(certificate)),
            ("grpc.max_receive_message_length", most),
            ("grpc.enable_http_proxy", 0),
            ("grpc.enable_retries", 0),
            ("grpc.use_local_subchannel_pool", 1),
        ),
    )


class Session:
    """One conversation: calls within their time, failures as problems."""

    def __init__(self, channel: Any, credential: Credential, budget: Budget) -> None:
        self.stub = gnmi_pb2_grpc.gNMIStub(channel)
        self.budget = budget
        self.encoding: int = messages.JSON_IETF
        self.typed = True
        self.client_certificate = bool(credential.certificate)
        self.metadata = (
            (("username", credential.username), ("password", credential.password))
            if credential.username
            else ()
        )

    async def call(self, method: Any, request: Any, seconds: float) -> Any:
        """One call's answer; the loop stays free, and a cancelled wait cancels the call."""
        loop = asyncio.get_running_loop()
        done = asyncio.Event()
        under_way = method.future(request, timeout=seconds, metadata=self.metadata)

        def ended(_: object) -> None:
            try:
                loop.call_soon_threadsafe(done.set)
            except RuntimeError:
                pass  # the loop is closed: nobody waits any more

        under_way.add_done_callback(ended)
        try:
            await done.wait()
        except asyncio.CancelledError:
            under_way.cancel()
            raise
        if under_way.code() is not grpc.StatusCode.OK:
            text = " ".join(str(under_way.details() or "").split())
            raise _Failed(Answer(under_way.code(), text))
        answer = under_way.result()
        size = answer.ByteSize()
        self.budget.take(size, size)
        return answer

    def problem(self, what: str, answer: Answer) -> Problem:
        """A failed call in words. What the device says of itself is shortened, never trusted."""
        code, text = answer
        if code in _REFUSED:
            return LoginRefused("The device refuses the credential.")
        if code is grpc.StatusCode.DEADLINE_EXCEEDED:
            return TimedOut(f"{what} took longer than {self.budget.bounds.step:g} s.")
        if code is grpc.StatusCode.RESOURCE_EXHAUSTED and "larger than max" in text:
            most = self.budget.bounds.item_bytes
            size = f"{most >> 20} MB" if most >= 1 << 20 else f"{most >> 10} kB"
            return TooMuch(f"{what} is longer than {size}, so it was not taken.")
        if code is grpc.StatusCode.UNAVAILABLE:
            if "onnect" in text and "refused" in text.lower():
                return Unreachable("The device does not take another connection.")
            if self.client_certificate:
                return Closed(
                    f"The device closed the connection before it answered ({what[:1].lower()}"
                    f"{what[1:]}). It may not accept the client certificate."
                )
            return Closed(f"The device closed the connection. {what} did not come.")
        if code in _NOT_SO:
            return NotOffered(f"The device does not answer: {text[:160] or code.name}.")
        return Garbled(f"{what} cannot be used ({code.name.lower().replace('_', ' ')}).")

    async def capabilities(self) -> frozenset[str]:
        """The modules that the device says it has (section 3.2).

        Raises:
            NotOffered: it speaks no encoding that is known here.
        """
        what = "What the device can do"
        try:
            said = await self.call(
                self.stub.Capabilities, messages.CapabilityRequest(), self.budget.bounds.connect
            )
        except _Failed as failed:
            raise self.problem(what, failed.answer) from None
        offered = list(said.supported_encodings)
        known = next((e for e in _ENCODINGS if e in offered), None)
        if known is None:
            raise NotOffered("The device offers its data neither as JSON_IETF nor as JSON.")
        self.encoding = known
        return frozenset(model.name.rpartition(":")[2] for model in said.supported_models)

    async def get(self, module: str, path: str, kind: int, into: dict[str, Any]) -> bool:
        """Lays what stands at a path into a tree; False where the device has nothing there.

        Raises:
            Garbled: what came is no data, or is of another path.
        """
        what = f"The answer for {path}"
        try:
            answer = await self._answer(path, kind if self.typed else messages.GetRequest.ALL)
        except _Failed as failed:
            if failed.answer.code not in _NOT_SO:
                if failed.answer.code is grpc.StatusCode.NOT_FOUND:
                    return False
                raise self.problem(what, failed.answer) from None
            # Either nothing is known at the path, or configuration and state cannot be told apart.
            if not self.typed:
                return False
            try:
                answer = await self._answer(path, messages.GetRequest.ALL)
            except _Failed as again:
                if again.answer.code in (*_NOT_SO, grpc.StatusCode.NOT_FOUND):
                    return False
                raise self.problem(what, again.answer) from None
            self.typed = False
        wanted = path.split("/")
        came = False
        for notification in answer.notification:
            for update in notification.update:
                elements = [*notification.prefix.elem, *update.path.elem]
                steps = [(step.name, dict(step.key)) for step in elements]
                names = [bare(name) for name, _ in steps]
                if not names or names[: len(wanted)] != wanted[: len(names)]:
                    raise Garbled(f"{what} is of another path, {'/'.join(names)[:80]}.")
                top = (f"{module}:{names[0]}", steps[0][1])
                try:
                    laid(into, [top, *steps[1:]], self.value(update.val, what))
                except (TypeError, AttributeError) as error:
                    raise Garbled(f"{what} contradicts itself in its shape.") from error
                came = True
        return came

    async def _answer(self, path: str, kind: int) -> Any:
        request = messages.GetRequest(path=[path_of(path)], type=kind, encoding=self.encoding)
        return await self.call(self.stub.Get, request, self.budget.bounds.step)

    def value(self, typed: Any, what: str) -> Any:
        kind = typed.WhichOneof("value")
        if kind in ("json_ietf_val", "json_val"):
            try:
                return json.loads(getattr(typed, kind))
            except (ValueError, RecursionError) as error:
                raise Garbled(f"{what} is not JSON.") from error
        if kind in ("string_val", "bool_val", "int_val", "uint_val", "double_val", "ascii_val"):
            return getattr(typed, kind)
        if kind == "leaflist_val":
            return [self.value(item, what) for item in typed.leaflist_val.element]
        raise Garbled(f"{what} is in an encoding that was not asked for.")


Step = tuple[str, dict[str, str]]


def bare(name: str) -> str:
    """A name without its module."""
    return name.rpartition(":")[2]


def _member(held: dict[str, Any], name: str) -> str:
    """The member of a name as it is written already, with its module or without."""
    return next((key for key in held if bare(key) == bare(name)), name)


def laid(tree: dict[str, Any], steps: list[Step], value: Any) -> None:
    """Lays the value of a path into a tree. A list's entries are found by the keys of the path,
    or by what stands beside their containers, which in these models are the keys."""
    last = steps[-1][0]
    if isinstance(value, dict) and not steps[-1][1] and len(value) == 1:
        (name,) = value
        if bare(name) == bare(last):
            value = value[name]  # some servers name once more what the path names
    here: Any = tree
    for name, keys in steps[:-1] if not steps[-1][1] else steps:
        key = _member(here, name)
        if not keys:
            here = here.setdefault(key, {})
            continue
        entries = here.setdefault(key, [])
        here = next((e for e in entries if _is(e, keys)), None)
        if here is None:
            here = dict(keys)
            entries.append(here)
    if steps[-1][1]:
        for name, inner in value.items():
            key = _member(here, name)
            here[key] = over(here.get(key), inner)
        return
    key = _member(here, last)
    here[key] = over(here.get(key), value)


def _is(entry: dict[str, Any], keys: dict[str, str]) -> bool:
    return all(
        bare(_text(entry.get(_member(entry, key)))) == bare(value) for key, value in keys.items()
    )


def _text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def over(held: Any, value: Any) -> Any:
    """A value over what is there already."""
    if isinstance(held, dict) and isinstance(value, dict):
        for name, inner in value.items():
            key = _member(held, name)
            held[key] = over(held.get(key), inner)
        return held
    if isinstance(held, list) and isinstance(value, list):
        for item in value:
            keys = (
                {k: _text(v) for k, v in item.items() if not isinstance(v, dict | list)}
                if isinstance(item, dict)
                else {}
            )
            mate = next((e for e in held if keys and isinstance(e, dict) and _is(e, keys)), None)
            if mate is not None:
                over(mate, item)
            elif item not in held:
                held.append(item)
        return held
    return value


def document(tree: dict[str, Any]) -> str:
    """A tree as RFC 7951 JSON."""
    return json.dumps(tree, indent=1, ensure_ascii=False) + "\n"


async def gather(
    target: Target, credential: Credential, budget: Budget, progress: Progress
) -> Gathered:
    """The configuration must come; the state may be missing, and is noted then."""
    if not credential.username and not (credential.certificate and credential.private_key):
        raise CredentialMissing(
            f"The credential {credential.name} has neither a user name nor a client certificate "
            "with its key."
        )
    certificate = await trusted(target, budget, ("h2",))
    out = Gathered()
    steps = 1 + len(CONFIGURATION) + len(STATE)
    channel = channel_to(target, credential, certificate, budget.bounds.item_bytes)
    try:
        session = Session(channel, credential, budget)
        progress("what it can do", 0, steps)
        models = await session.capabilities()
        if NEEDED not in models:
            raise NotOffered(f"The device does not offer {NEEDED}.")
        config: dict[str, Any] = {}
        for number, (module, path) in enumerate(CONFIGURATION, 1):
            progress(path, number, steps)
            if module not in models or not await session.get(
                module, path, messages.GetRequest.CONFIG, config
            ):
                out.absent.append(path)
        if not config:
            raise NotOffered("The device offers OpenConfig's models and gives no data of them.")
        out.files[CONFIG_FILE] = document(config)
        state: dict[str, Any] = {}
        for number, (module, path) in enumerate(STATE, 1 + len(CONFIGURATION)):
            if module not in models or not session.typed:
                continue  # untyped, the state came with the configuration
            progress(f"the state of {path}", number, steps)
            try:
                await session.get(module, path, messages.GetRequest.STATE, state)
            except Problem as problem:
                out.missing[f"the state of {path}"] = str(problem)
        if state:
            out.files[STATE_FILE] = operational(state)
    finally:
        channel.close()
    return out
