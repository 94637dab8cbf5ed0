"""NETCONF over SSH (RFC 6241, RFC 6242): the running configuration, and the state beside it."""

from __future__ import annotations

import asyncssh
from lxml import etree

from ..bounds import Budget, within
from ..credentials import Credential
from ..inventory import Target
from ..problems import Closed, Garbled, NotOffered, Problem
from . import xml_data
from .base import Gathered, Progress
from .framing import Reader, framed
from .secure_shell import connected
from .xml_data import BASE, children, local

BASE_10, BASE_11 = "urn:ietf:params:netconf:base:1.0", "urn:ietf:params:netconf:base:1.1"
_YANG = "urn:ietf:params:xml:ns:yang:"
CONFIGURATION = (
    f'<interfaces xmlns="{_YANG}ietf-interfaces"/>'
    f'<routing xmlns="{_YANG}ietf-routing"/>'
    f'<acls xmlns="{_YANG}ietf-access-control-list"/>'
    f'<nat xmlns="{_YANG}ietf-nat"/>'
    f'<system xmlns="{_YANG}ietf-system"><hostname/></system>'
)
"""The subtree filter (RFC 6241, section 6) for what the readers know."""
STATE = (
    f'<interfaces xmlns="{_YANG}ietf-interfaces"><interface><name/><admin-status/>'
    f"<oper-status/><phys-address/>"
    f'<ipv4 xmlns="{_YANG}ietf-ip"><mtu/><address/></ipv4>'
    f'<ipv6 xmlns="{_YANG}ietf-ip"><mtu/><address/></ipv6></interface></interfaces>'
    f'<routing xmlns="{_YANG}ietf-routing"><ribs/></routing>'
)
CONFIG_FILE, STATE_FILE = "netconf-running.xml", "netconf-state.xml"
STARTUP_FILE = "netconf-startup.xml"
_STARTUP = "urn:ietf:params:netconf:capability:startup:1.0"


class Session:
    """One NETCONF session on an open channel."""

    def __init__(self, channel: asyncssh.SSHClientProcess[bytes], budget: Budget) -> None:
        self.channel, self.budget = channel, budget
        self.reader = Reader(budget)
        self.waiting: list[bytes] = []
        self.number = 0
        self.capabilities: frozenset[str] = frozenset()

    async def hello(self) -> None:
        """Both sides say what they can (RFC 6241, section 8.1).

        Raises:
            Garbled: the device's hello is not one.
            NotOffered: it speaks no version of the base that is known here.
        """
        ours = "".join(f"<capability>{c}</capability>" for c in (BASE_10, BASE_11))
        body = f'<hello xmlns="{BASE}"><capabilities>{ours}</capabilities></hello>'
        self.channel.stdin.write(framed(body.encode(), False))
        root = xml_data.parse(await self.message(), "The device's hello")
        if local(root) != "hello":
            raise Garbled(f"The device begins with <{local(root)}> where a hello belongs.")
        self.capabilities = frozenset(
            (item.text or "").strip() for item in root.iter(f"{{{BASE}}}capability")
        )
        if not self.capabilities & {BASE_10, BASE_11}:
            raise NotOffered("The device's hello offers neither NETCONF base 1.0 nor 1.1.")
        self.reader.chunked = BASE_11 in self.capabilities

    async def message(self) -> bytes:
        while not self.waiting:
            data = await self.channel.stdout.read(1 << 16)
            if not data:
                self.reader.ended()
            self.waiting += self.reader.feed(data)
        return self.waiting.pop(0)

    async def ask(self, operation: str) -> xml_data.Element:
        """One operation's reply.

        Raises:
            Garbled: the reply is not one, or answers something else.
            NotOffered: the device reports an error.
        """
        self.number += 1
        rpc = f'<rpc message-id="{self.number}" xmlns="{BASE}">{operation}</rpc>'
        self.channel.stdin.write(framed(rpc.encode(), self.reader.chunked))
        while True:
            root = xml_data.parse(await self.message(), "The device's reply")
            if local(root) == "notification":
                continue
            break
        if local(root) != "rpc-reply" or root.get("message-id") != str(self.number):
            raise Garbled("The device answers a question that was not asked.")
        error = root.find(f"{{{BASE}}}rpc-error")
        if error is not None:
            said = error.findtext(f"{{{BASE}}}error-message") or ""
            tag = error.findtext(f"{{{BASE}}}error-tag") or "error"
            raise NotOffered(f"The device reports {tag}: {' '.join(said.split())[:160] or '-'}.")
        return root

    async def data(self, operation: str) -> list[xml_data.Element]:
        """The data below `<data>` of a reply."""
        found = next((e for e in children(await self.ask(operation)) if local(e) == "data"), None)
        if found is None:
            raise Garbled("The device's reply holds no data.")
        return children(found)


async def gather(
    target: Target, credential: Credential, budget: Budget, progress: Progress
) -> Gathered:
    """The running configuration must come; the state may be missing, and is noted then."""
    out = Gathered()
    async with connected(target, credential, budget) as connection:
        progress("opening a NETCONF session", 0, 3)
        try:
            channel = await within(
                budget.bounds.step,
                "Opening the NETCONF subsystem",
                connection.create_process(subsystem="netconf", encoding=None),
            )
        except asyncssh.ChannelOpenError as error:
            raise NotOffered("The device's SSH server offers no NETCONF.") from error
        async with channel:
            session = Session(channel, budget)
            await within(budget.bounds.step, "The device's hello", session.hello())
            progress("the running configuration", 1, 3)
            config = await within(
                budget.bounds.step,
                "The running configuration",
                session.data(
                    "<get-config><source><running/></source>"
                    f'<filter type="subtree">{CONFIGURATION}</filter></get-config>'
                ),
            )
            if not config:
                raise NotOffered(
                    "The running configuration holds nothing of ietf-interfaces or ietf-routing."
                )
            out.files[CONFIG_FILE] = xml_data.document(config)
            if _STARTUP in session.capabilities:
                # RFC 6241, section 8.7: what it would start with is a datastore of its own.
                try:
                    kept = await within(
                        budget.bounds.step,
                        "The stored configuration",
                        session.data(
                            "<get-config><source><startup/></source>"
                            f'<filter type="subtree">{CONFIGURATION}</filter></get-config>'
                        ),
                    )
                    out.files[STARTUP_FILE] = instance(kept, "startup")
                except NotOffered as problem:
                    out.missing["the stored configuration"] = str(problem)
            progress("interfaces' state and routing tables", 2, 3)
            try:
                state = await within(
                    budget.bounds.step,
                    "The state",
                    session.data(f'<get><filter type="subtree">{STATE}</filter></get>'),
                )
                if state:
                    out.files[STATE_FILE] = instance(state, "operational")
                await within(5.0, "Closing", session.ask("<close-session/>"))
            except Closed as problem:
                if STATE_FILE not in out.files:
                    out.missing["the state"] = str(problem)
            except Problem as problem:
                if STATE_FILE not in out.files:
                    out.missing["the state"] = str(problem)
    return out


def instance(data: list[xml_data.Element], datastore: str) -> str:
    """Data as an instance file that says which datastore it is of (RFC 9195, RFC 8342)."""
    space = f"{_YANG}ietf-yang-instance-data"
    root = etree.Element(f"{{{space}}}instance-data-set", nsmap={None: space})
    etree.SubElement(root, f"{{{space}}}name").text = datastore
    store = etree.SubElement(root, f"{{{space}}}datastore", nsmap={"ds": f"{_YANG}ietf-datastores"})
    store.text = f"ds:{datastore}"
    content = etree.SubElement(root, f"{{{space}}}content-data")
    for element in data:
        content.append(element)
    etree.indent(root, "  ")
    return str(etree.tostring(root, encoding="unicode")) + "\n"
