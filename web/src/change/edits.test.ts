import { describe, expect, it } from "vitest";

import { pathWords } from "./EditLines";

describe("a path of data", () => {
  it("is said by its entries and its end", () => {
    expect(pathWords("/ietf-interfaces:interfaces/interface[name='ge0']/ietf-ip:ipv4/address[ip='10.64.0.250']")).toBe("interface ge0, address 10.64.0.250");
    expect(
      pathWords(
        "/ietf-routing:routing/control-plane-protocols/control-plane-protocol[type='static'][name='st/0']/static-routes/ietf-ipv4-unicast-routing:ipv4/route[destination-prefix='10.64.64.0/23']/next-hop/next-hop-address",
      ),
    ).toBe("protocol st/0, route 10.64.64.0/23, next-hop-address");
  });

  it("of OpenConfig, too", () => {
    expect(
      pathWords(
        "/openconfig-network-instance:network-instances/network-instance[name='default']/protocols/protocol[identifier='openconfig-policy-types:OSPF'][name='ospf']/ospfv2/areas/area[identifier='0.0.0.0']/interfaces/interface[id='ge1']/config/metric",
      ),
    ).toBe("network-instance default, protocol ospf, area 0.0.0.0, interface ge1, metric");
  });
});
