"""What kind of packet is asked about: the one way in which callers say it.

A question comes from the command line, an API request, a stored case or a list of expectations;
all of them are read here, so that the same words are the same packet everywhere.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..network.addressing import parse_address
from .endpoints import EndpointError

PROTOCOLS = ("icmp", "tcp", "udp")
_REGISTERED = """
    tcp/20/ftp-data tcp/21/ftp tcp/22/ssh tcp/23/telnet tcp/25/smtp tcp/37/time tcp/43/whois
    tcp/49/tacacs udp/53/domain udp/53/dns udp/67/bootps udp/68/bootpc udp/69/tftp
    tcp/70/gopher tcp/79/finger tcp/80/http tcp/88/kerberos tcp/102/iso-tsap tcp/110/pop3
    tcp/111/sunrpc tcp/113/auth tcp/119/nntp udp/123/ntp tcp/135/epmap udp/137/netbios-ns
    udp/138/netbios-dgm tcp/139/netbios-ssn tcp/143/imap udp/161/snmp udp/162/snmptrap
    tcp/179/bgp tcp/194/irc tcp/389/ldap tcp/427/svrloc tcp/443/https tcp/445/microsoft-ds
    tcp/464/kpasswd tcp/465/submissions udp/500/isakmp tcp/502/mbap udp/514/syslog
    tcp/515/printer udp/520/router udp/521/ripng tcp/540/uucp tcp/543/klogin tcp/544/kshell
    udp/546/dhcpv6-client udp/547/dhcpv6-server tcp/548/afpovertcp tcp/554/rtsp tcp/563/nntps
    tcp/587/submission tcp/631/ipp tcp/636/ldaps tcp/646/ldp tcp/830/netconf-ssh
    tcp/853/domain-s tcp/860/iscsi tcp/873/rsync tcp/989/ftps-data tcp/990/ftps
    tcp/992/telnets tcp/993/imaps tcp/995/pop3s tcp/1080/socks tcp/1194/openvpn
    tcp/1433/ms-sql-s udp/1434/ms-sql-m tcp/1521/ncube-lm udp/1701/l2tp tcp/1720/h323hostcall
    tcp/1723/pptp udp/1812/radius udp/1813/radius-acct tcp/1883/mqtt udp/1900/ssdp
    udp/1985/hsrp tcp/2049/nfs tcp/2181/eforward tcp/3128/ndl-aas tcp/3260/iscsi-target
    tcp/3268/msft-gc tcp/3306/mysql tcp/3389/ms-wbt-server udp/3478/stun udp/3784/bfd-control
    udp/4500/ipsec-nat-t udp/4789/vxlan tcp/5060/sip tcp/5061/sips tcp/5222/xmpp-client
    tcp/5269/xmpp-server udp/5353/mdns tcp/5432/postgresql tcp/5671/amqps tcp/5672/amqp
    tcp/5900/rfb tcp/5985/wsman tcp/5986/wsmans tcp/6379/redis tcp/6514/syslog-tls
    udp/6081/geneve tcp/8080/http-alt tcp/8443/pcsync-https tcp/8883/secure-mqtt
    tcp/9100/pdl-datastream tcp/9418/git tcp/11211/memcache
"""
SERVICES: dict[str, tuple[str, int]] = {
    name: (protocol, int(port))
    for protocol, port, name in (row.split("/") for row in _REGISTERED.split())
}
"""The usual names of IANA's registry of services, each with the transport it is mostly used over
(`dns` is everybody's word for `domain`)."""
_SERVICE = re.compile(r"(tcp|udp)[ /](\d{1,5})", re.I)
EXAMPLES = "Write it like tcp/5432, udp 53, 8080 or https."


class TrafficError(EndpointError):
    """What is asked about is no packet; the message says which word is wrong."""


@dataclass(frozen=True, slots=True)
class Traffic:
    """What kind of packet is asked about."""

    source: str | None = None
    protocol: str = "icmp"
    port: int | None = None
    size: int = 0
    dont_fragment: bool = False
    instance: str = ""
    """The routing instance of the sender, where its name or address lives in several."""

    @property
    def service(self) -> str:
        """The service in words that `read_service` takes; empty for a ping."""
        if self.protocol == "icmp":
            return ""
        return self.protocol if self.port is None else f"{self.protocol}/{self.port}"


def read_service(text: str) -> tuple[str, int | None]:
    """(protocol, port) of a service: `tcp/443`, `tcp 443`, a bare number (tcp), or a name.

    Raises:
        TrafficError: it is none of these.
    """
    words = " ".join(text.split()).lower()
    if words in ("", "icmp", "ping"):
        return "icmp", None
    match = _SERVICE.fullmatch(words)
    if match is not None or (words.isascii() and words.isdigit()):
        protocol, digits = match.groups() if match is not None else ("tcp", words)
        port = int(digits) if len(digits) < 6 else 0
        if not 0 < port < 65536:
            raise TrafficError(f"The service {text.strip()!r} has no port from 1 to 65535.")
        return protocol, port
    if words in SERVICES:
        return SERVICES[words]
    if words in ("tcp", "udp"):
        raise TrafficError(f"The service {text.strip()!r} lacks its port. {EXAMPLES}")
    raise TrafficError(f"{text.strip()!r} is no service that is known here. {EXAMPLES}")


def read_traffic(said: Mapping[str, Any]) -> Traffic:
    """The packet that a question describes.

    Args:
        said: any of `service` or `protocol` and `port`, `source`, `size`, `dont_fragment`,
            `instance`, as text or as values; what is empty or absent is not said.

    Raises:
        TrafficError: one of them is not what it should be.
    """
    service, protocol = _text(said, "service"), _text(said, "protocol").lower()
    port = _number(said, "port", 1, "A port is a number from 1 to 65535")
    if service and (protocol or port is not None):
        raise TrafficError("Name the service, or the protocol and the port, and not both.")
    if service:
        protocol, port = read_service(service)
    protocol = protocol or "icmp"
    if protocol not in PROTOCOLS:
        raise TrafficError(f"The protocol {protocol!r} is none of {', '.join(PROTOCOLS)}.")
    if port is not None and protocol == "icmp":
        raise TrafficError("ICMP has no ports. Name the protocol tcp or udp with a port.")
    size = _number(said, "size", 0, "The size of a packet is a number of bytes up to 65535") or 0
    source = _text(said, "source")
    if source and parse_address(source) is None:
        raise TrafficError(f"The source {source!r} is not an address.")
    whole = said.get("dont_fragment")
    if whole not in (None, "", True, False, "true", "false"):
        raise TrafficError(f"Whether it may be cut up is true or false, not {whole!r}.")
    instance = _text(said, "instance")
    return Traffic(source or None, protocol, port, size, whole in (True, "true"), instance)


def _text(said: Mapping[str, Any], name: str) -> str:
    value = said.get(name)
    return "" if value is None else str(value).strip()


def _number(said: Mapping[str, Any], name: str, least: int, says: str) -> int | None:
    text = _text(said, name)
    if not text:
        return None
    digits = text.isascii() and text.isdigit() and len(text) < 6
    if not digits or not least <= int(text) <= 65535:
        raise TrafficError(f"{says}, not {text!r}.")
    return int(text)
