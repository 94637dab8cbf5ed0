import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import type { Shapes } from "../api/client";
import { useNeighbours } from "../api/queries";
import { ManualLink } from "../manual/ManualLink";
import { standing } from "../ui/address";
import { EvidenceLink } from "../ui/EvidenceLink";
import { Failed, Working } from "../ui/States";
import { many } from "../ui/words";
import { endName, familyProtocol, groupRelations, relationKey, relationName, type Group } from "./relations";

type Relation = Shapes["RelationShape"];
type Gate = Relation["gates"][number];

/** Every relation that exists or should, grouped by what is wrong; one opens to its gates. */
export function NeighboursPage() {
  const survey = Number(useParams().survey);
  const neighbours = useNeighbours(survey);
  const [query, setQuery] = useSearchParams();
  const protocol = query.get("protocol") ?? "all";
  const words = (query.get("find") ?? "").toLowerCase();
  const set = (changes: Record<string, string>) => {
    const next = standing();
    for (const [key, value] of Object.entries(changes)) {
      if (value) next.set(key, value);
      else next.delete(key);
    }
    setQuery(next, { replace: true });
  };
  const pairs = useMemo(() => neighbours.data?.pairs ?? [], [neighbours.data]);
  const protocols = useMemo(() => [...new Set(pairs.map(familyProtocol))], [pairs]);
  const shown = useMemo(
    () =>
      pairs.filter((pair) => {
        if (protocol !== "all" && familyProtocol(pair) !== protocol) return false;
        const text = `${endName(pair.left)} ${endName(pair.right)}`.toLowerCase();
        return words.split(/\s+/).every((word) => text.includes(word));
      }),
    [pairs, protocol, words],
  );
  const groups = useMemo(() => groupRelations(shown), [shown]);
  const open = shown.find((pair) => relationKey(pair) === query.get("pair")) ?? groups[0]?.pairs[0];

  if (neighbours.isPending) return <Working heading="Neighbours" what="Comparing all ends" />;
  if (neighbours.error) return <Failed heading="Neighbours" error={neighbours.error} />;
  if (!pairs.length) {
    return (
      <div className="p-6">
        <h1 className="text-lg font-semibold">Neighbours</h1>
        <p className="soft pt-2">No routing protocol runs between the devices of this survey.</p>
      </div>
    );
  }
  const failing = shown.filter((pair) => !pair.works).length;
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(20rem,26rem)_minmax(0,1fr)]">
      <section aria-label="Relations" className="flex min-h-0 flex-col border-r border-base-300">
        <header className="border-b border-base-300 p-3">
          <h1 className="text-lg font-semibold">Neighbours</h1>
          <p className="soft pb-2">
            {many(shown.length, "relation")}, {failing ? <b className="stop">{failing} not working</b> : "all working"}
          </p>
          <div className="flex gap-2">
            <select aria-label="Protocol" className="select select-sm w-40" value={protocol} onChange={(event) => set({ protocol: event.target.value === "all" ? "" : event.target.value })}>
              <option value="all">all protocols</option>
              {protocols.map((name) => <option key={name} value={name}>{name}</option>)}
            </select>
            <input aria-label="Find a device or interface" placeholder="device or interface" className="input input-sm min-w-0 flex-1" value={query.get("find") ?? ""} onChange={(event) => set({ find: event.target.value })} />
          </div>
        </header>
        <RelationList groups={groups} open={open} onOpen={(pair) => set({ pair: relationKey(pair) })} />
      </section>
      {open ? <Ladder survey={survey} relation={open} /> : <p className="soft p-4">Choose a relation.</p>}
    </div>
  );
}

/** The relations under what is wrong with them; only what is in sight is drawn. */
function RelationList({ groups, open, onOpen }: { groups: Group[]; open: Relation | undefined; onOpen: (pair: Relation) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const lines = useMemo(() => groups.flatMap((group): (Group | Relation)[] => [group, ...group.pairs]), [groups]);
  const list = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (at) => ("pairs" in (lines[at] as Group | Relation) ? 28 : 46),
    overscan: 8,
  });
  const place = open === undefined ? -1 : lines.indexOf(open);
  useEffect(() => {
    // An address may name a pair far down.
    if (place > 0) list.scrollToIndex(place, { align: "auto" });
  }, [place, list]);
  return (
    <div ref={box} className="min-h-0 flex-1 overflow-auto p-2">
      {lines.length ? null : <p className="soft p-2">No relation matches.</p>}
      <ul className="relative" style={{ height: list.getTotalSize() }}>
        {list.getVirtualItems().map((item) => {
          const line = lines[item.index] as Group | Relation;
          const chosen = line === open;
          return (
            <li key={"pairs" in line ? line.title : relationKey(line)} data-index={item.index} ref={list.measureElement}
              className="absolute left-0 w-full" style={{ transform: `translateY(${item.start}px)` }}>
              {"pairs" in line ? (
                <h2 className={`px-1 pt-2 pb-1 ${line.works ? "soft" : "stop font-semibold"}`}>
                  {line.works ? "✓" : "✕"} {line.title} <span className="soft font-normal">{line.pairs.length}</span>
                </h2>
              ) : (
                <button type="button" aria-pressed={chosen} onClick={() => onOpen(line)}
                  className={`grid w-full grid-cols-[4.6rem_minmax(0,1fr)] gap-x-2 rounded-field px-2 py-1 text-left ${chosen ? "bg-base-100 shadow-[0_0_0_1px_var(--color-base-300)]" : "hover:bg-base-100"}`}>
                  <span className="soft">{relationName(line)}</span>
                  <span className="min-w-0">
                    <b>{line.left.device}</b> <span className="mono">{line.left.interface ?? ""}</span>
                    {" – "}
                    <b>{line.right.device}</b> <span className="mono">{line.right.interface ?? ""}</span>
                    <span className="soft block">{line.left.state} – {line.right.state}</span>
                  </span>
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** The gates of one relation in the order in which the protocol meets them. */
function Ladder({ survey, relation }: { survey: number; relation: Relation }) {
  const first = relation.first_failing;
  const failed = relation.gates.find((gate) => gate.gate === first);
  return (
    <section aria-label="Gates" className="min-h-0 overflow-auto p-4">
      <h2 className="text-lg font-semibold">
        {relationName(relation)} between <DeviceLink survey={survey} end={relation.left} /> and{" "}
        <DeviceLink survey={survey} end={relation.right} />
      </h2>
      <p className="max-w-3xl pb-3">
        {relation.works
          ? "Every gate holds: the two are neighbours and routes pass."
          : failed
            ? failed.stops === "routes"
              ? <>They are neighbours, but <b className="stop">no routes pass</b>: the gate <b>{failed.gate}</b> does not hold.</>
              : <>They are <b className="stop">not neighbours</b>: the first gate that does not hold is <b>{failed.gate}</b>.</>
            : "A gate does not hold."}
      </p>
      <table className="w-full max-w-6xl table-fixed text-left">
        <thead className="soft">
          <tr>
            <th scope="col" className="w-[17%] font-normal">gate</th>
            <th scope="col" className="font-normal">{endName(relation.left)}</th>
            <th scope="col" className="font-normal">{endName(relation.right)}</th>
            <th scope="col" className="w-[41%] font-normal">lines</th>
          </tr>
        </thead>
        <tbody>
          <tr className="border-t border-base-300 align-top">
            <th scope="row" className="py-1.5 pr-2 text-left font-normal">state</th>
            <State end={relation.left} />
            <State end={relation.right} />
            <td />
          </tr>
          {relation.gates.map((gate) => <Row key={gate.gate} survey={survey} gate={gate} first={gate.gate === first} />)}
        </tbody>
      </table>
    </section>
  );
}

function State({ end }: { end: Relation["left"] }) {
  const right = end.state === end.expected;
  return (
    <td className="py-1.5 pr-2">
      <b className={right ? "" : "stop"}>{end.state}</b>
      {right ? null : <span className="soft">, should be {end.expected}</span>}
      {end.address ? <span className="soft mono block">{end.address}</span> : null}
    </td>
  );
}

function Row({ survey, gate, first }: { survey: number; gate: Gate; first: boolean }) {
  const bad = gate.holds === false;
  const stops = { neighbour: "stops the neighbour", routes: "stops routes", nothing: "stops nothing" }[gate.stops];
  return (
    <tr className={`border-t border-base-300 align-top ${bad ? "hatched" : ""}`}>
      <th scope="row" className={`py-1.5 pr-2 text-left ${bad ? "stop" : "font-normal"}`}>
        {bad ? "✕" : gate.holds ? "✓" : "?"} <ManualLink page="gates" word={gate.gate} />
        {gate.holds === null ? <span className="soft block font-normal">not known: the secret was taken out</span> : null}
        {bad ? <span className="soft block font-normal">{first ? "first to fail, " : ""}{stops}</span> : null}
      </th>
      <td className={`mono py-1.5 pr-2 break-words ${bad ? "font-bold" : ""}`}>{gate.left ?? "–"}</td>
      <td className={`mono py-1.5 pr-2 break-words ${bad ? "font-bold" : ""}`}>{gate.right ?? "–"}</td>
      <td className="py-1.5">
        {gate.evidence.filter((item) => bad || !item.default).slice(0, 4).map((item, index) => (
          <span key={index} className="block truncate" title={item.text}>
            <EvidenceLink survey={survey} item={item} />{" "}
            <span className={`mono ${item.missing || item.default ? "soft italic" : "soft"}`}>
              {item.missing ? `missing: ${item.text}` : item.default ? `default: ${item.text}` : item.text}
            </span>
          </span>
        ))}
      </td>
    </tr>
  );
}

function DeviceLink({ survey, end }: { survey: number; end: Relation["left"] }) {
  return <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${end.device}`}>{endName(end)}</Link>;
}
