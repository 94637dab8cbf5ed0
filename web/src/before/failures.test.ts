import { describe, expect, it } from "vitest";

import { downsOf, editOf, isDevice, lookAt, nameOf, ranked, type Failure } from "./failures";

function failure(down: object, cuts = 0, moves = 0, expectations: string[] = []): Failure {
  return { down: down as Failure["down"], cuts, moves, gone: 0, examples: [], expectations };
}

const LINK = { link: [{ device: "gull", interface: "eth1" }, { device: "heron", interface: "eth2" }] };

describe("a failure", () => {
  it("is called by its ends", () => {
    expect(nameOf(failure(LINK))).toBe("gull eth1 – heron eth2");
    expect(nameOf(failure({ device: "gull", interface: "eth3" }))).toBe("gull eth3");
    expect(nameOf(failure({ device: "gull" }))).toBe("gull");
    expect(isDevice(failure({ device: "gull" }))).toBe(true);
    expect(isDevice(failure({ device: "gull", interface: "eth3" }))).toBe(false);
  });

  it("can be rehearsed", () => {
    expect(editOf(failure(LINK))).toEqual({ down: LINK });
    expect(editOf(failure({ device: "gull" }))).toEqual({ down: { device: "gull", interface: null } });
  });

  it("stands in the URL, and comes out of it as it went in", () => {
    const ends = [{ device: "gull", interface: "eth1" }, { device: "heron", interface: "eth2" }];
    const url = lookAt(3, ends, { from: "desk", to: "10.64.9.20", protocol: "tcp", port: 443 });
    const query = new URLSearchParams(url.split("?")[1]);
    expect(query.get("from")).toBe("desk");
    expect(query.get("port")).toBe("443");
    expect(downsOf(query)).toEqual([{ down: { link: ends } }]);
    expect(downsOf(new URLSearchParams("down=gull&down=heron:ge1"))).toEqual([
      { down: { device: "gull", interface: null } },
      { down: { device: "heron", interface: "ge1" } },
    ]);
  });

  it("comes before others that cut less, and expectations before what only moves", () => {
    const list = ranked([
      failure({ device: "a" }, 3, 0),
      failure({ device: "b" }, 9, 0),
      failure({ device: "c" }, 0, 5),
      failure({ device: "d" }, 0, 0, ["the office reaches the yard"]),
    ]);
    expect(list.map(nameOf)).toEqual(["b", "a", "d", "c"]);
  });
});
