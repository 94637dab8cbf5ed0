"""Routers written anew as OpenConfig data, from the facts that another format gave.

What the models cannot say (OSPF's area types, keys, ranges and defaults, OSPFv3, RIP, EIGRP)
raises `CannotSay`: such a router keeps its own text, beside others that are written anew.
"""

from __future__ import annotations

import json
from typing import Any

from trochos.core.network.addressing import Address, Prefix, dotted
from trochos.core.network.bgp import BgpFamily, BgpNeighbour, BgpNeighbourFamily, BgpProcess
from trochos.core.network.facts import Device, Interface
from trochos.core.network.isis import IsisInterface, IsisProcess
from trochos.core.network.ospf import OspfArea, OspfInterface, OspfProcess
from trochos.core.network.policy import Policy, RouteMapEntry
from trochos.core.network.routing import DefaultRoute, Redistribution
from trochos.core.survey import Computed

IDENTITIES = {
    "connected": "DIRECTLY_CONNECTED",
    "static": "STATIC",
    "ospf": "OSPF",
    "isis": "ISIS",
    "bgp": "BGP",
}
PT = "openconfig-policy-types"
FAMILY = "openconfig-types"


class CannotSay(Exception):
    """The models have no word for it."""


def survey_as_openconfig(
    survey: Computed, files: dict[str, bytes]
) -> tuple[dict[str, bytes], list[str]]:
    """(the survey's files with every router that can be said as OpenConfig, their names)."""
    out, done = dict(files), []
    for device in survey.network.devices:
        if not device.profile.name.startswith("FRR") or device.instance:
            continue
        if any(d.instance and d.chassis == device.name for d in survey.network.devices):
            continue
        try:
            data = as_openconfig(survey, device)
        except CannotSay:
            continue
        mine = [p for p in files if p.startswith(f"devices/{device.name}/")]
        for path in mine:
            if path.endswith((".conf", "frr.conf")):
                del out[path]
        out[f"devices/{device.name}/openconfig.json"] = json.dumps(data, indent=1).encode()
        done.append(device.name)
    return out, done


def as_openconfig(survey: Computed, device: Device) -> dict[str, Any]:
    """A router's configuration as RFC 7951 JSON."""
    return _Writer(survey, device).write()


def _need(truth: object) -> None:
    if not truth:
        raise CannotSay


class _Writer:
    def __init__(self, survey: Computed, device: Device) -> None:
        self.survey, self.device = survey, device
        self.sets: dict[str, list[dict[str, Any]]] = {}
        self.as_paths: dict[str, list[str]] = {}
        self.communities: dict[str, list[str]] = {}
        self.definitions: dict[str, list[dict[str, Any]]] = {}
        self.connections: list[dict[str, Any]] = []

    def write(self) -> dict[str, Any]:
        device = self.device
        _need(not device.filters and not device.rules and not device.translations)
        _need(not device.unmodelled and not device.shared)
        protocols: list[dict[str, Any]] = [self.statics()]
        for process in device.routing.processes:
            if isinstance(process, OspfProcess):
                _need(process.version == 2)
                protocols.append(self.ospf(process))
            elif isinstance(process, BgpProcess):
                protocols.append(self.bgp(process))
            elif isinstance(process, IsisProcess):
                if process.family == 4:
                    both = list(device.routing.of(IsisProcess))
                    protocols.append(self.isis(both))
            else:
                raise CannotSay
        instance: dict[str, Any] = {
            "name": "default",
            "config": {
                "name": "default",
                "type": "openconfig-network-instance-types:DEFAULT_INSTANCE",
            },
            "protocols": {"protocol": protocols},
        }
        if self.connections:
            instance["table-connections"] = {"table-connection": self.connections}
        out: dict[str, Any] = {
            "openconfig-interfaces:interfaces": {
                "interface": [self.interface(i) for i in device.interfaces]
            },
            "openconfig-network-instance:network-instances": {"network-instance": [instance]},
        }
        if self.definitions or self.sets:
            out["openconfig-routing-policy:routing-policy"] = self.policies()
        return out

    # -- interfaces ------------------------------------------------------------------------

    def interface(self, interface: Interface) -> dict[str, Any]:
        _need(interface.parent is None and interface.master is None and not interface.filtering)
        _need(interface.tunnel is None and interface.vrf is None)
        kind = "softwareLoopback" if interface.loopback else "ethernetCsmacd"
        config: dict[str, Any] = {"name": interface.name, "type": f"iana-if-type:{kind}"}
        if not interface.enabled:
            config["enabled"] = False
        below: dict[str, Any] = {"index": 0, "config": {"index": 0}}
        for family in (4, 6):
            addresses = [
                {
                    "ip": str(fact.address),
                    "config": {"ip": str(fact.address), "prefix-length": fact.value.length},
                }
                for fact in interface.addresses
                if fact.address.family == family and not fact.captured
            ]
            if addresses:
                below[f"openconfig-if-ip:ipv{family}"] = {"addresses": {"address": addresses}}
        return {
            "name": interface.name,
            "config": config,
            "subinterfaces": {"subinterface": [below]},
        }

    def statics(self) -> dict[str, Any]:
        routes: dict[str, list[dict[str, Any]]] = {}
        for route in self.device.statics:
            _need(not route.kernel and route.weight == 1)
            index = str(len(routes.setdefault(str(route.prefix), [])) + 1)
            config: dict[str, Any] = {"index": index}
            hop: dict[str, Any] = {"index": index, "config": config}
            if route.special is not None:
                _need(route.special == "discard" and route.gateway is None)
                config["next-hop"] = "openconfig-local-routing:DROP"
            elif route.gateway is not None:
                config["next-hop"] = str(route.gateway)
            if route.interface is not None:
                hop["interface-ref"] = {"config": {"interface": route.interface, "subinterface": 0}}
            if route.distance != 1:
                config["preference"] = route.distance
            routes[str(route.prefix)].append(hop)
        out = self.protocol("STATIC", "static")
        if routes:
            out["static-routes"] = {
                "static": [
                    {"prefix": p, "config": {"prefix": p}, "next-hops": {"next-hop": hops}}
                    for p, hops in routes.items()
                ]
            }
        return out

    @staticmethod
    def protocol(word: str, name: str) -> dict[str, Any]:
        kind = f"{PT}:{word}"
        return {"identifier": kind, "name": name, "config": {"identifier": kind, "name": name}}

    # -- what tables tell each other ---------------------------------------------------------

    def connect(
        self,
        what: str,
        to: str,
        family: int,
        policies: list[str],
        accept: bool = False,
    ) -> None:
        _need(what in IDENTITIES)
        source, target = f"{PT}:{IDENTITIES[what]}", f"{PT}:{to}"
        held = next(
            (
                c
                for c in self.connections
                if (c["src-protocol"], c["dst-protocol"], c["address-family"])
                == (source, target, f"{FAMILY}:IPV{family}")
            ),
            None,
        )
        if held is None:
            keys = {
                "src-protocol": source,
                "dst-protocol": target,
                "address-family": f"{FAMILY}:IPV{family}",
            }
            held = {**keys, "config": dict(keys)}
            self.connections.append(held)
        config = held["config"]
        config.setdefault("import-policy", []).extend(policies)
        if accept:
            config["default-import-policy"] = "ACCEPT_ROUTE"
        if not config["import-policy"]:
            del config["import-policy"]

    def redistribute(self, item: Redistribution, to: str, family: int, how: dict[str, Any]) -> None:
        """One redistribution: its own settings become a policy before (or instead of) its map."""
        names = []
        if item.route_map is not None:
            self.route_map(item.route_map, how)
            names.append(item.route_map)
            self.connect(item.protocol, to, family, names)
            return
        if how:
            name = f"{item.protocol} into {to}"
            self.definitions[name] = [self.statement("10", {}, {**how, **_result(True)})]
            names.append(name)
        self.connect(item.protocol, to, family, names, accept=not names)

    # -- OSPF ---------------------------------------------------------------------------------

    def ospf(self, process: OspfProcess) -> dict[str, Any]:
        _need(process.default is None and process.default_metric is None and not process.distance)
        _need(process.reference_bandwidth is None and process.max_paths is None)
        _need(not process.filters and not process.summaries and process.border_type is None)
        _need(process.passive_default is None and not process.by_address)
        _need(not process.neighbours and not process.virtual_links)
        # A statement that takes nothing in would take in what an address is changed to.
        _need(
            all(
                any(
                    statement.prefix is not None and statement.prefix.contains(fact.address)
                    for interface in self.device.interfaces
                    for fact in interface.addresses
                    if fact.address.family == 4
                )
                for statement in process.networks
            )
        )
        areas: dict[int, list[dict[str, Any]]] = {}
        for interface in self.device.interfaces:
            settings = process.interfaces.get(interface.name, OspfInterface(interface.name))
            area = settings.area.value if settings.area is not None else None
            if area is None:
                held = [
                    (statement.prefix.length, statement.area)
                    for statement in process.networks
                    for fact in interface.addresses
                    if statement.prefix is not None
                    and fact.address.family == 4
                    and statement.prefix.contains(fact.address)
                ]
                if not held:
                    continue
                _need(len({a for _, a in held}) == 1 or len(held) == 1)
                area = max(held)[1]
            # A statement may take in some of an interface's subnets only.
            mine = [f for f in interface.addresses if f.address.family == 4]
            if settings.area is None:
                _need(
                    all(
                        any(
                            s.prefix is not None and s.prefix.contains(f.address)
                            for s in process.networks
                        )
                        for f in mine
                    )
                )
            areas.setdefault(area, []).append(self.ospf_port(interface.name, settings))
        for number, area_ in process.areas.items():
            _need(area_ == OspfArea(number, kind_source=area_.kind_source) or _same(area_, number))
        _need(
            all(
                any(i["id"] == name for ports in areas.values() for i in ports)
                or settings == OspfInterface(name)
                or settings.area is None
                for name, settings in process.interfaces.items()
            )
        )
        for item in process.redistribute:
            how: dict[str, Any] = {}
            if item.metric is not None or item.metric_type is not None:
                inner: dict[str, Any] = {}
                if item.metric is not None:
                    inner["metric"] = item.metric
                if item.metric_type is not None:
                    inner["metric-type"] = f"EXTERNAL_TYPE_{item.metric_type}"
                how["openconfig-ospf-policy:ospf-actions"] = {"set-metric": {"config": inner}}
            _need(item.tag is None)
            self.redistribute(item, "OSPF", 4, how)
        whole: dict[str, Any] = {}
        if process.router_id is not None:
            whole["config"] = {"router-id": dotted(process.router_id.value)}
        if process.stub_router is not None:
            whole["timers"] = {"max-metric": {"config": {"set": process.stub_router.value}}}
        out = self.protocol("OSPF", "ospf")
        out["ospfv2"] = {
            "global": whole,
            "areas": {
                "area": [
                    {
                        "identifier": dotted(number),
                        "config": {"identifier": dotted(number)},
                        "interfaces": {"interface": ports},
                    }
                    for number, ports in areas.items()
                ]
            },
        }
        return out

    def ospf_port(self, name: str, settings: OspfInterface) -> dict[str, Any]:
        _need(settings.authentication is None and settings.key is None and not settings.digests)
        _need(settings.ignores_mtu is None and settings.mtu is None)
        config: dict[str, Any] = {"id": name}
        for leaf, number in (("metric", settings.cost), ("priority", settings.priority)):
            if number is not None:
                config[leaf] = number.value
        if settings.passive is not None:
            config["passive"] = settings.passive.value
        if settings.network_type is not None:
            kinds = {"point-to-point": "POINT_TO_POINT", "broadcast": "BROADCAST"}
            _need(settings.network_type.value in kinds)
            word = f"{kinds[settings.network_type.value]}_NETWORK"
            config["network-type"] = f"openconfig-ospf-types:{word}"
        timers = {
            leaf: number.value
            for leaf, number in (
                ("hello-interval", settings.hello),
                ("dead-interval", settings.dead),
            )
            if number is not None
        }
        out: dict[str, Any] = {
            "id": name,
            "config": config,
            "interface-ref": {"config": {"interface": name, "subinterface": 0}},
        }
        if timers:
            out["timers"] = {"config": timers}
        return out

    # -- IS-IS --------------------------------------------------------------------------------

    def isis(self, processes: list[IsisProcess]) -> dict[str, Any]:
        one = processes[0]
        whole: dict[str, Any] = {}
        if one.net is not None:
            whole["net"] = [one.net.value]
        kinds = {"level-1": "LEVEL_1", "level-2-only": "LEVEL_2", "level-2": "LEVEL_2"}
        if one.kind is not None:
            whole["level-capability"] = kinds.get(one.kind.value, "LEVEL_1_2")
        out: dict[str, Any] = {"global": {"config": whole}}
        if one.overload is not None:
            out["global"]["lsp-bit"] = {"overload-bit": {"config": {"set-bit": one.overload.value}}}
        bits = {}
        if one.attached_receive is not None:
            bits["ignore-bit"] = not one.attached_receive.value
        if one.attached_send is not None:
            bits["suppress-bit"] = not one.attached_send.value
        if bits:
            out["global"].setdefault("lsp-bit", {})["attached-bit"] = {"config": bits}
        families = [_af(4), _af(6)]
        if one.own_topology is not None and one.own_topology.value:
            families[1]["multi-topology"] = {
                "config": {
                    "afi-name": "openconfig-isis-types:IPV6",
                    "safi-name": "openconfig-isis-types:UNICAST",
                }
            }
        out["global"]["afi-safi"] = {"af": families}
        levels = []
        for number in sorted(one.levels):
            config: dict[str, Any] = {"level-number": number}
            if one.style is not None:
                _need(one.style.value in ("narrow", "wide"))
                config["metric-style"] = f"{one.style.value.upper()}_METRIC"
            level: dict[str, Any] = {"level-number": number, "config": config}
            key = one.area_key if number == 1 else one.domain_key
            if key is not None:
                level["authentication"] = {"config": _key(*key.value.split(" ", 1))}
            levels.append(level)
        out["levels"] = {"level": levels}
        ports = []
        for name, settings in one.interfaces.items():
            _need(settings.refused is None and settings.left_out is None)
            if settings.taken_in:
                ports.append(self.isis_port(name, settings, one))
        out["interfaces"] = {"interface": ports}
        for process in processes:
            for item in process.announced:
                _need(not isinstance(item.what, DefaultRoute))
                assert isinstance(item.what, Redistribution)
                into = {2} if 2 in process.levels else {1}
                _need({a.level for a in process.announced} == into)
                how = {}
                if item.what.metric is not None:
                    how["openconfig-isis-policy:isis-actions"] = {
                        "config": {"set-metric": item.what.metric}
                    }
                self.redistribute(item.what, "ISIS", process.family, how)
        return {**self.protocol("ISIS", "isis"), "isis": out}

    def isis_port(self, name: str, settings: IsisInterface, process: IsisProcess) -> dict[str, Any]:
        config: dict[str, Any] = {"interface-id": name, "enabled": True}
        if settings.passive is not None:
            config["passive"] = settings.passive.value
        if settings.network is not None:
            config["circuit-type"] = "POINT_TO_POINT"
        if settings.padding is not None:
            config["hello-padding"] = "STRICT" if settings.padding.value else "DISABLE"
        out: dict[str, Any] = {
            "interface-id": name,
            "config": config,
            "afi-safi": {"af": [_af(f) for f in sorted(settings.taken_in)]},
            "interface-ref": {"config": {"interface": name, "subinterface": 0}},
        }
        if settings.authentication is not None and settings.key is not None:
            out["authentication"] = {
                "config": _key(settings.authentication.value, settings.key.value)
            }
        levels = []
        circuit = {"level-1": {1}, "level-2": {2}, "level-2-only": {2}}.get(
            settings.circuit.value if settings.circuit else "", {1, 2}
        )
        for number in (1, 2):
            level: dict[str, Any] = {
                "level-number": number,
                "config": {"level-number": number, "enabled": number in circuit},
            }
            if number in settings.priorities:
                level["config"]["priority"] = settings.priorities[number].value
            if number in settings.metrics:
                metric = settings.metrics[number].value
                level["afi-safi"] = {"af": [_af(4, metric=metric)]}
            levels.append(level)
        out["levels"] = {"level": levels}
        return out

    # -- BGP ----------------------------------------------------------------------------------

    def bgp(self, process: BgpProcess) -> dict[str, Any]:
        _need(not process.listen and process.shutdown is None and process.import_check)
        _need(process.default_local_preference == 100 and process.max_med is None)
        _need(not process.missing_med_worst and process.reflects)
        _need(process.confederation is None and not process.members)
        strict = process.requires_policy is None or process.requires_policy.value
        config: dict[str, Any] = {"as": process.number}
        if process.router_id is not None:
            config["router-id"] = dotted(process.router_id.value)
        whole: dict[str, Any] = {"config": config}
        options = {
            leaf: True
            for leaf, on in (
                ("always-compare-med", process.always_compare_med),
                ("external-compare-router-id", process.compare_router_id),
                ("ignore-as-path-length", process.as_path_ignore),
            )
            if on
        }
        if options:
            whole["route-selection-options"] = {"config": options}
        entries = []
        for family in (4, 6):
            held = process.families.get(family)
            spoken = [n.families.get(family) for n in process.neighbours]
            active = any(
                (s.active.value if s is not None and s.active is not None else family == 4)
                for s in spoken
            )
            if held is None and not active:
                continue
            entries.append(self.bgp_family(process, family, held or BgpFamily()))
        whole["afi-safis"] = {"afi-safi": entries}
        out = {
            "global": whole,
            "neighbors": {
                "neighbor": [self.neighbour(process, n, strict) for n in process.neighbours]
            },
        }
        return {**self.protocol("BGP", "bgp"), "bgp": out}

    def bgp_family(self, process: BgpProcess, family: int, held: BgpFamily) -> dict[str, Any]:
        _need(not held.aggregates and not held.distances and held.table_map is None)
        _need(held.distance is None and not held.equal_clusters)
        name = f"openconfig-bgp-types:IPV{family}_UNICAST"
        for number, item in enumerate(held.networks):
            _need(not item.backdoor)
            self.network(process, family, item.prefix, item.route_map, number)
        for item in held.redistribute:
            how: dict[str, Any] = {}
            if item.metric is not None:
                how = {"openconfig-bgp-policy:bgp-actions": {"config": {"set-med": item.metric}}}
            self.redistribute(item, "BGP", family, how)
        paths: dict[str, Any] = {"config": {"enabled": True}}
        # These routers share traffic between as many paths as there are; the model's default is 1.
        paths["ebgp"] = {"config": {"maximum-paths": held.max_paths or 64}}
        if process.multipath_relax:
            paths["ebgp"]["config"]["allow-multiple-as"] = True
        paths["ibgp"] = {"config": {"maximum-paths": held.max_paths_ibgp or 64}}
        return {
            "afi-safi-name": name,
            "config": {"afi-safi-name": name, "enabled": True},
            "use-multiple-paths": paths,
        }

    def network(
        self, process: BgpProcess, family: int, prefix: Prefix, policy: str | None, number: int
    ) -> None:
        """A network statement: the table's route for it, from whatever protocol, told to BGP."""
        _need(policy is None)
        route = self.survey.tables.of(self.device.name, family).winner(prefix)
        if route is None:
            return  # nothing to announce
        _need(route.protocol in IDENTITIES and route.protocol != "bgp")
        own = route.protocol in ("connected", "static")
        _need(own)  # what another protocol may lose again is not the same everywhere
        name = f"networks {family} {route.protocol}"
        listed = self.sets.setdefault(name, [])
        listed.append(_prefix(prefix, "exact"))
        if len(listed) > 1:
            return
        origin = {"openconfig-bgp-policy:bgp-actions": {"config": {"set-route-origin": "IGP"}}}
        self.definitions[name] = [self.statement("10", _match(name), {**origin, **_result(True)})]
        # Before what is redistributed besides, so that it keeps its origin.
        self.connect(route.protocol, "BGP", family, [name])

    def neighbour(self, process: BgpProcess, n: BgpNeighbour, strict: bool) -> dict[str, Any]:
        _need(n.address is not None and n.interface is None and not n.dynamic)
        _need(n.ttl_security is None and n.disable_connected_check is None and n.role is None)
        _need(not n.local_as_options and not n.enforce_first_as)
        config: dict[str, Any] = {"neighbor-address": str(n.address)}
        if n.remote_as is not None:
            if n.remote_as.value.isdigit():
                config["peer-as"] = int(n.remote_as.value)
            else:
                config["peer-type"] = n.remote_as.value.upper()
        external = n.remote_as is not None and n.remote_as.value not in (
            str(process.number),
            "internal",
        )
        if n.local_as is not None:
            config["local-as"] = n.local_as.value
        if n.password is not None:
            config["auth-password"] = n.password.value
        if n.shutdown is not None:
            config["enabled"] = not n.shutdown.value
        out: dict[str, Any] = {"neighbor-address": str(n.address), "config": config}
        transport: dict[str, Any] = {}
        if n.update_source is not None:
            transport["local-address"] = n.update_source.value
        if n.passive is not None:
            transport["passive-mode"] = n.passive.value
        if transport:
            out["transport"] = {"config": transport}
        if n.multihop is not None:
            out["ebgp-multihop"] = {"config": {"enabled": True, "multihop-ttl": n.multihop.value}}
        entries = []
        for family in (4, 6):
            spoken = n.families.get(family, BgpNeighbourFamily())
            active = (
                spoken.active.value
                if spoken.active is not None
                else (family == 4 and process.ipv4_default)
            )
            if active:
                entries.append(self.spoken(family, spoken, out, config, external, strict))
            else:
                name = f"openconfig-bgp-types:IPV{family}_UNICAST"
                entries.append(
                    {"afi-safi-name": name, "config": {"afi-safi-name": name, "enabled": False}}
                )
        out["afi-safis"] = {"afi-safi": entries}
        return out

    def spoken(
        self,
        family: int,
        held: BgpNeighbourFamily,
        out: dict[str, Any],
        config: dict[str, Any],
        external: bool,
        strict: bool,
    ) -> dict[str, Any]:
        for word in (
            held.prefix_list_in, held.prefix_list_out, held.filter_list_in, held.filter_list_out,
            held.distribute_in, held.distribute_out, held.unsuppress_map, held.weight,
            held.remove_private,
        ):  # fmt: skip
            _need(word is None)
        _need(not held.unchanged and not held.next_hop_self_force and not held.own_as_origin)
        _need(held.default_originate is None or held.default_originate.value == "")
        name = f"openconfig-bgp-types:IPV{family}_UNICAST"
        entry: dict[str, Any] = {
            "afi-safi-name": name,
            "config": {"afi-safi-name": name, "enabled": True},
        }
        config["send-community"] = "STANDARD" if held.send_community is not False else "NONE"
        if held.reflector_client is not None and held.reflector_client.value:
            out["route-reflector"] = {"config": {"route-reflector-client": True}}
        options: dict[str, Any] = {}
        if held.allow_own_as:
            options["allow-own-as"] = held.allow_own_as
        if held.as_override:
            options["replace-peer-as"] = True
        if options:
            out["as-path-options"] = {"config": options}
        inner: dict[str, Any] = {}
        if held.maximum is not None:
            limit: dict[str, Any] = {"max-prefixes": held.maximum.value}
            if held.maximum_warns:
                limit["prevent-teardown"] = True
            inner["prefix-limit"] = {"config": limit}
        if held.default_originate is not None:
            inner["config"] = {"send-default-route": True}
        if inner:
            entry[f"ipv{family}-unicast"] = inner
        policy: dict[str, Any] = {}
        own = held.next_hop_self is not None and held.next_hop_self.value
        for side, word in (("import", held.route_map_in), ("export", held.route_map_out)):
            how: dict[str, Any] = {}
            if side == "export" and own:
                how = {"openconfig-bgp-policy:bgp-actions": {"config": {"set-next-hop": "SELF"}}}
            if word is not None:
                named = word.value + (" to itself" if how else "")
                self.route_map(word.value, how, named)
                policy[f"{side}-policy"] = [named]
            elif how:
                self.definitions["next hop self"] = [
                    self.statement("10", {}, {**how, **_result(True)})
                ]
                policy[f"{side}-policy"] = ["next hop self"]
                _need(not external or not strict)
            elif not external or not strict:
                policy[f"default-{side}-policy"] = "ACCEPT_ROUTE"
        if policy:
            entry["apply-policy"] = {"config": policy}
        return entry

    # -- policies -----------------------------------------------------------------------------

    def route_map(self, name: str, how: dict[str, Any], called: str | None = None) -> None:
        entries = self.device.policy.route_maps.get(name)
        _need(entries)
        assert entries is not None
        self.definitions[called or name] = [
            self.entry(self.device.policy, entry, how) for entry in entries
        ]

    def entry(self, policy: Policy, entry: RouteMapEntry, how: dict[str, Any]) -> dict[str, Any]:
        _need(entry.onward is None and entry.call is None)
        conditions: dict[str, Any] = {}
        bgp: dict[str, Any] = {}
        for clause in entry.matches:
            first = clause.args[0]
            if clause.what in ("prefix-list", "prefix-list-6"):
                family = 4 if clause.what == "prefix-list" else 6
                rules = policy.prefix_lists.get((family, first))
                _need(rules and all(r.permit and r.prefix is not None for r in rules))
                named = first if family == 4 else f"{first} 6"
                self.sets[named] = [
                    _prefix(
                        r.prefix,
                        "exact"
                        if (r.least, r.most) == (r.prefix.length, r.prefix.length)
                        else f"{r.least}..{r.most}",
                    )
                    for r in rules or ()
                    if r.prefix is not None
                ]
                _need("match-prefix-set" not in conditions)
                conditions |= _match(named)
            elif clause.what == "as-path":
                rules_ = policy.as_paths.get(first)
                _need(rules_ and all(r.permit for r in rules_))
                self.as_paths[first] = [r.pattern for r in rules_ or ()]
                bgp["match-as-path-set"] = {"config": {"as-path-set": first}}
            elif clause.what == "community":
                _need(len(clause.args) == 1)
                rules_ = policy.communities.get(first)
                _need(rules_ and all(r.permit and " " not in r.pattern for r in rules_))
                self.communities[first] = [r.pattern for r in rules_ or ()]
                bgp["match-community-set"] = {"config": {"community-set": first}}
            else:
                raise CannotSay
        if bgp:
            conditions["openconfig-bgp-policy:bgp-conditions"] = bgp
        actions = json.loads(json.dumps(how))
        changed: dict[str, Any] = {}
        more: dict[str, Any] = {}
        for clause in entry.sets:
            first = clause.args[0]
            if clause.what == "local-preference":
                _need(first.isdigit())
                changed["set-local-pref"] = int(first)
            elif clause.what == "metric":
                _need(first.isdigit() and not any("ospf" in key or "isis" in key for key in how))
                changed["set-med"] = int(first)
            elif clause.what == "prepend":
                _need(len(set(clause.args)) == 1 and first.isdigit())
                more["set-as-path-prepend"] = {
                    "config": {"repeat-n": len(clause.args), "asn": int(first)}
                }
            elif clause.what == "community":
                words = [w for w in clause.args if w != "additive"]
                _need("none" not in words)
                option = "ADD" if "additive" in clause.args else "REPLACE"
                more["set-community"] = {
                    "config": {"method": "INLINE", "options": option},
                    "inline": {"config": {"communities": words}},
                }
            elif clause.what == "origin":
                changed["set-route-origin"] = first.upper()
            else:
                raise CannotSay
        if changed or more:
            held = actions.setdefault("openconfig-bgp-policy:bgp-actions", {})
            held.setdefault("config", {}).update(changed)
            held.update(more)
            if not held["config"]:
                del held["config"]
        return self.statement(str(entry.sequence), conditions, {**actions, **_result(entry.permit)})

    @staticmethod
    def statement(name: str, conditions: dict[str, Any], actions: dict[str, Any]) -> dict[str, Any]:
        out: dict[str, Any] = {"name": name, "config": {"name": name}, "actions": actions}
        if conditions:
            out["conditions"] = conditions
        return out

    def policies(self) -> dict[str, Any]:
        sets: dict[str, Any] = {}
        if self.sets:
            sets["prefix-sets"] = {
                "prefix-set": [
                    {"name": name, "config": {"name": name}, "prefixes": {"prefix": prefixes}}
                    for name, prefixes in self.sets.items()
                ]
            }
        bgp: dict[str, Any] = {}
        for container, key, held in (
            ("as-path", "as-path-set", self.as_paths),
            ("community", "community", self.communities),
        ):
            if held:
                leaf = "as-path-set-name" if container == "as-path" else "community-set-name"
                bgp[f"{container}-sets"] = {
                    f"{container}-set": [
                        {leaf: name, "config": {leaf: name, f"{key}-member": words}}
                        for name, words in held.items()
                    ]
                }
        if bgp:
            sets["openconfig-bgp-policy:bgp-defined-sets"] = bgp
        out: dict[str, Any] = {
            "policy-definitions": {
                "policy-definition": [
                    {
                        "name": name,
                        "config": {"name": name},
                        "statements": {"statement": statements},
                    }
                    for name, statements in self.definitions.items()
                ]
            }
        }
        if sets:
            out["defined-sets"] = sets
        return out


def _same(area: OspfArea, number: int) -> bool:
    return (
        area.kind == "normal"
        and area.summaries
        and not area.ranges
        and not area.filters
        and area.authentication is None
        and area.default_cost is None
        and area.nssa_default is None
        and area.id == number
    )


def _af(family: int, **more: Any) -> dict[str, Any]:
    keys = {
        "afi-name": f"openconfig-isis-types:IPV{family}",
        "safi-name": "openconfig-isis-types:UNICAST",
    }
    return {**keys, "config": {**keys, **(more or {"enabled": True})}}


def _key(form: str, secret: str) -> dict[str, Any]:
    return {
        "enabled": True,
        "auth-mode": "MD5" if form == "md5" else "TEXT",
        "auth-type": "openconfig-keychain-types:SIMPLE_KEY",
        "auth-password": secret,
    }


def _prefix(prefix: Prefix, span: str) -> dict[str, Any]:
    keys = {"ip-prefix": str(prefix), "masklength-range": span}
    return {**keys, "config": keys}


def _match(name: str) -> dict[str, Any]:
    return {"match-prefix-set": {"config": {"prefix-set": name, "match-set-options": "ANY"}}}


def _result(permit: bool) -> dict[str, Any]:
    return {"config": {"policy-result": "ACCEPT_ROUTE" if permit else "REJECT_ROUTE"}}


def address_text(value: int) -> str:
    return str(Address(4, value))
