"""`python -m devices.apply NAME FILE`: makes a handed-over change on a simulated device.

It stands in for the colleague who types the change: a NETCONF edit is sent as it is, a Set of gNMI
as the call it describes, lines are entered in the router's shell. Trochos itself never writes to a
device.
"""

from __future__ import annotations

import argparse
import asyncio
import sys
from pathlib import Path

import asyncssh
import yaml
from lxml import etree

from trochos.local import state_directory

from . import gnmi
from .datastore import BASE
from .fleet import PASSWORD, USERNAME

_HELLO = (
    f'<hello xmlns="{BASE}"><capabilities><capability>urn:ietf:params:netconf:base:1.0'
    "</capability></capabilities></hello>]]>]]>"
)


class Refused(Exception):
    """The device did not take the change; the message is what it said."""


async def apply(port: int, text: str, method: str = "") -> None:
    """Makes a change on the device at a port.

    Raises:
        Refused: it was not taken.
    """
    if method == "gnmi":
        try:
            await gnmi.change(port, text, USERNAME, PASSWORD)
        except gnmi.NotTaken as error:
            raise Refused(str(error)) from error
        return
    async with asyncssh.connect(
        "127.0.0.1", port, username=USERNAME, password=PASSWORD, known_hosts=None, config=[]
    ) as connection:
        if not text.lstrip().startswith("<"):
            done = await connection.run("vtysh", input=text)
            if done.exit_status:
                raise Refused(str(done.stderr).strip())
            return
        async with connection.create_process(subsystem="netconf") as channel:
            channel.stdin.write(_HELLO)
            await channel.stdout.readuntil("]]>]]>")
            channel.stdin.write(text + "]]>]]>")
            reply = await channel.stdout.readuntil("]]>]]>")
            root = etree.fromstring(reply.removesuffix("]]>]]>").encode())
            said = root.findtext(f".//{{{BASE}}}error-message")
            if root.find(f".//{{{BASE}}}ok") is None:
                raise Refused(said or "The device did not take the edit.")


def main() -> int:
    parser = argparse.ArgumentParser(prog="devices.apply", description=__doc__)
    parser.add_argument("name", help="the device")
    parser.add_argument("file", help="the change as Trochos handed it over, or - for stdin")
    options = parser.parse_args()
    inventory = state_directory() / "fleet" / "inventory.yaml"
    if not inventory.exists():
        print("devices: no simulated devices run. Start ./trochos up first.", file=sys.stderr)
        return 2
    known = {entry["name"]: entry for entry in yaml.safe_load(inventory.read_text())}
    if options.name not in known:
        print(f"devices: there is no simulated device called {options.name}.", file=sys.stderr)
        return 2
    text = sys.stdin.read() if options.file == "-" else Path(options.file).read_text()
    try:
        held = known[options.name]
        asyncio.run(apply(held["port"], text, held["method"]))
    except (Refused, OSError, asyncssh.Error) as error:
        print(f"devices: {error}", file=sys.stderr)
        return 1
    print(f"{options.name} took the change.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
