import { select, type Selection } from "d3-selection";
import { zoom, zoomIdentity, type D3ZoomEvent } from "d3-zoom";
import { useLayoutEffect, useMemo, useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { useMap, useNeighbours, usePath } from "../api/queries";
import { questionOf, queryOf } from "../case/question";
import { layOut, mainBranch, type Path } from "../case/journey";
import { Sentence } from "../case/Sentence";
import { familyProtocol, relationLabel, relationName, type Relation } from "../neighbours/relations";
import { shortName } from "../ui/names";
import { standing } from "../ui/address";
import { downloadPng, downloadSvg } from "../ui/download";
import { Empty, Failed, Working } from "../ui/States";
import { VERDICT_WORDS } from "../ui/words";
import { contents, groupId, grouped, usual, widthOf, type Bundle, type Grouped, type Inside } from "./groups";
import { readable, layOutMap, type Drawing, type MapData, type Place } from "./layout";

/** The network, laid out from the case: the path a straight spine, the rest hung on it. */
export function MapPage() {
  const survey = Number(useParams().survey);
  const [query, setQuery] = useSearchParams();
  const neighbours = useNeighbours(survey);
  const navigate = useNavigate();
  const question = useMemo(() => questionOf(query), [query]);
  const map = useMap(survey);
  const path = usePath(survey, question);
  const answer = path.data ?? null;
  const svg = useRef<SVGSVGElement>(null);
  const asked = query.get("by");
  const by = map.data ? (map.data.groupings.some((item) => item.by === asked) ? asked : asked === "none" ? null : usual(map.data)) : null;
  const opened = query.getAll("open").join("\n");
  const whole = useMemo(() => {
    if (!map.data || (question && !answer && !path.error)) return null;
    return by === null ? ungrouped(map.data) : grouped(map.data, by, new Set(opened.split("\n")), onTheWay(answer));
  }, [map.data, answer, question, path.error, by, opened]);
  const drawing = useMemo(() => (whole ? layOutMap(whole.data, answer ? layOut(answer).columns : [], Math.max(0, ...[...whole.inside].map(([id, inside]) => widthOf(id, inside)))) : null), [whole, answer]);
  const standIn = useMemo(() => {
    const out = new Map<string, string>();
    for (const node of map.data?.nodes ?? []) {
      const group = by === null ? undefined : node.groups[by];
      if (group !== undefined) out.set(node.name, groupId(group));
    }
    return out;
  }, [map.data, by]);
  const set = (change: (next: URLSearchParams) => void) => {
    const next = standing();
    change(next);
    setQuery(next, { replace: true });
  };
  const groups = opened ? opened.split("\n") : [];

  const protocols = [...new Set((neighbours.data?.pairs ?? []).map(familyProtocol))];
  const overlay = protocols.find((name) => name === query.get("neighbours")) ?? null;
  const relations = (neighbours.data?.pairs ?? []).filter((pair) => familyProtocol(pair) === overlay);
  const show = (name: string) => set((next) => (name ? next.set("neighbours", name) : next.delete("neighbours")));

  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-base-300 px-4 py-2">
        <h1 className="sr-only">Map</h1>
        <Sentence survey={survey} question={question} onAsk={(next) => void navigate(`/s/${survey}/map?${queryOf(next).toString()}`)} />
        <span className="ml-auto flex items-center gap-1">
          {map.data?.groupings.length ? (
            <select aria-label="Draw groups" className="select select-xs w-auto" value={by ?? ""}
              onChange={(event) => set((next) => { next.set("by", event.target.value || "none"); next.delete("open"); })}>
              <option value="">every device</option>
              {map.data.groupings.map((item) => <option key={item.by} value={item.by}>by {item.called} ({item.count})</option>)}
            </select>
          ) : null}
          {protocols.length ? (
            <select aria-label="Show neighbours of" className="select select-xs w-auto" value={overlay ?? ""} onChange={(event) => show(event.target.value)}>
              <option value="">no neighbours</option>
              {protocols.map((name) => <option key={name} value={name}>{name} neighbours</option>)}
            </select>
          ) : null}
          {question ? <Link className="btn btn-ghost btn-xs" to={`/s/${survey}/map`}>Without the case</Link> : null}
          {question ? <Link className="btn btn-ghost btn-xs" to={`/s/${survey}/case?${queryOf(question).toString()}`}>Journey</Link> : null}
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadSvg(svg.current, "map")}>SVG</button>
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadPng(svg.current, "map")}>PNG</button>
        </span>
      </header>
      {answer ? (
        <p className={`px-4 pt-2 text-[14px] font-semibold ${answer.works === "yes" ? "good" : "stop"}`}>{answer.sentence}</p>
      ) : null}
      {groups.length ? (
        <p className="soft flex flex-wrap items-center gap-x-2 px-4 pt-2">
          Opened:
          {groups.map((name) => (
            <button key={name} type="button" className="btn btn-xs" aria-label={`Close ${name}`}
              onClick={() => set((next) => { next.delete("open"); for (const other of groups) if (other !== name) next.append("open", other); })}>
              {name} <span aria-hidden>✕</span>
            </button>
          ))}
        </p>
      ) : null}
      {map.isPending || (question && path.isPending) ? <Working what="Drawing the network" /> : null}
      {map.error ? <Failed error={map.error} /> : null}
      {path.error ? <Failed error={path.error} /> : null}
      {map.data && map.data.nodes.length === 0 ? <Empty title="There is no device in this survey." /> : null}
      {drawing && map.data ? (
        <Chart survey={survey} drawing={drawing} whole={whole} standIn={standIn} path={answer} relations={relations} svgRef={svg}
          open={(device) => {
            if (whole?.inside.has(device)) set((next) => next.append("open", device.slice(groupId("").length)));
            else void navigate(`/s/${survey}/devices/${device}`);
          }} />
      ) : null}
      <Legend path={answer} overlay={overlay} divided={drawing?.wires.some((wire) => wire.inside) ?? false} groups={Boolean(whole?.inside.size)} />
    </div>
  );
}

const ungrouped = (data: MapData): Grouped => ({ data, inside: new Map(), bundles: new Map() });

/** The devices of a journey, both ways and on every branch. */
function onTheWay(path: Path | null): Set<string> {
  const legs = [path?.outbound, path?.return].flatMap((leg) => leg?.branches ?? []);
  return new Set(legs.flatMap((branch) => branch.hops.map((hop) => hop.device)));
}

function Legend({ path, overlay, divided, groups }: { path: Path | null; overlay: string | null; divided: boolean; groups: boolean }) {
  return (
    <footer className="soft flex flex-wrap gap-x-5 border-t border-base-300 px-4 py-1.5">
      {path ? (
        <>
          <span><b style={{ color: "var(--out)" }}>━</b> outbound, {VERDICT_WORDS[path.outbound.verdict]}</span>
          {path.return ? <span><b style={{ color: "var(--ret)" }}>━</b> return, {VERDICT_WORDS[path.return.verdict]}</span> : null}
        </>
      ) : null}
      {overlay ? (
        <>
          <span><b className="good">━</b> {overlay} neighbours{overlay.startsWith("OSPF") ? " (area 0 without a number)" : ""}</span>
          <span><b className="stop">┅</b> should be, with the gate that fails</span>
        </>
      ) : null}
      {groups ? <span>double frame: a group, click to open</span> : null}
      {groups ? <span><b>━</b> thick: the only link between what it joins</span> : null}
      <span>square: router or switch</span>
      <span>round: host</span>
      <span>bar: LAN</span>
      {divided ? <span>dots: a routing instance of its device</span> : null}
      <span>dashed box: not read</span>
      <span><b className="stop">✕</b> link down</span>
      <span>Drag to move, wheel to zoom, click to open.</span>
    </footer>
  );
}

function steps(path: Path | null, which: "outbound" | "return"): [string, string][] {
  const leg = which === "outbound" ? path?.outbound : path?.return;
  if (!leg) return [];
  const out: [string, string][] = [];
  const main = mainBranch(leg);
  const branches = [leg.branches[main], ...leg.branches.filter((_, i) => i !== main)].slice(0, 6);
  for (const branch of branches) {
    const names = (branch?.hops ?? []).map((hop) => hop.device);
    if (branch?.loop?.[0]) names.push(branch.loop[0]);
    names.slice(1).forEach((name, i) => out.push([names[i] as string, name]));
  }
  return out;
}

function Chart({ survey, drawing, whole, standIn, path, relations, svgRef, open }: {
  survey: number; drawing: Drawing; whole: Grouped | null; standIn: Map<string, string>; path: Path | null; relations: Relation[];
  svgRef: React.RefObject<SVGSVGElement | null>; open: (device: string) => void;
}) {
  const layer = useRef<SVGGElement>(null);
  const at = useMemo(() => new Map(drawing.places.map((place) => [place.id, place])), [drawing]);
  const ties = useMemo(() => tiesOf(relations, at, standIn), [relations, at, standIn]);
  const used = useMemo(() => {
    const wires = new Map<string, Set<"outbound" | "return">>();
    for (const which of ["outbound", "return"] as const) {
      for (const [a, b] of steps(path, which)) {
        for (const wire of drawing.wires) {
          const direct = (wire.from === a && wire.to === b) || (wire.from === b && wire.to === a);
          const overLan = wire.from.startsWith("lan ") && (wire.to === a || wire.to === b) &&
            drawing.wires.some((other) => other.from === wire.from && other.to === (wire.to === a ? b : a));
          if (direct || overLan) {
            const key = `${wire.from} ${wire.to} ${wire.link}`;
            wires.set(key, (wires.get(key) ?? new Set()).add(which));
          }
        }
      }
    }
    return wires;
  }, [path, drawing]);
  const stops = useMemo(() => {
    const out = new Map<string, string>();
    for (const leg of [path?.outbound, path?.return]) {
      for (const branch of leg?.branches ?? []) {
        const last = branch.hops.at(-1);
        if (last && branch.verdict !== "delivered") out.set(last.device, VERDICT_WORDS[branch.verdict]);
      }
    }
    return out;
  }, [path]);

  // Nobody reads dust: where the whole does not fit at full size, one begins at what matters most.
  const focus = useMemo(() => {
    const stop = drawing.places.find((place) => stops.has(place.id)) ?? drawing.places.find((place) => place.spine && path);
    const links = (place: Place) => drawing.wires.filter((wire) => wire.from === place.id || wire.to === place.id).length;
    return stop ?? [...drawing.places].map((place) => ({ place, links: links(place) })).sort((a, b) => b.place.breaks - a.place.breaks || b.links - a.links)[0]?.place;
  }, [drawing, stops, path]);
  // What is seen moves beneath the pointer without the drawing being made again.
  const behaviour = useMemo(
    () => zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.5, 40])
      .extent([[0, 0], [drawing.width, drawing.height]])
      .clickDistance(4)
      .on("zoom", ({ transform }: D3ZoomEvent<SVGSVGElement, unknown>) => layer.current?.setAttribute("transform", transform.toString())),
    [drawing],
  );
  useLayoutEffect(() => {
    const svg = svgRef.current;
    const box = svg?.getBoundingClientRect();
    if (!svg) return;
    const chart = select(svg).call(behaviour).on("dblclick.zoom", null);
    if (box?.width && box.height && focus) {
      const { x, y, scale } = readable(drawing, box, focus);
      chart.call(behaviour.transform, zoomIdentity.scale(scale).translate(-x, -y));
    }
    return () => { chart.on(".zoom", null); };
  }, [behaviour, drawing, focus, svgRef]);
  const withChart = (change: (chart: Selection<SVGSVGElement, unknown, null, undefined>) => void) => () => {
    if (svgRef.current) change(select(svgRef.current));
  };

  return (
    <div className="relative min-h-0 flex-1">
      <svg
        ref={svgRef}
        className="h-full w-full touch-none select-none"
        viewBox={`0 0 ${drawing.width} ${drawing.height}`}
        preserveAspectRatio="xMidYMid meet"
        role="group"
        aria-label="Map of the network"
      >
        <g ref={layer}>
        {drawing.wires.map((wire) => {
          const a = at.get(wire.from);
          const b = at.get(wire.to);
          if (!a || !b) return null;
          const legs = used.get(`${wire.from} ${wire.to} ${wire.link}`);
          const flat = a.spine && b.spine && Math.abs(a.x - b.x) > 200 && drawing.places.some((p) => p.spine && p.x > Math.min(a.x, b.x) && p.x < Math.max(a.x, b.x));
          const bend = flat ? -46 - Math.abs(a.x - b.x) / 14 : 0;
          const d = flat
            ? `M${a.x} ${a.y}C${a.x} ${a.y + bend} ${b.x} ${b.y + bend} ${b.x} ${b.y}`
            : `M${a.x} ${a.y}L${b.x} ${b.y}`;
          const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 + bend * 0.75 };
          const crossX = a.spine !== b.spine ? (a.spine ? a.x * 0.42 + b.x * 0.58 : a.x * 0.58 + b.x * 0.42) : middle.x;
          const crossY = a.spine !== b.spine && !flat ? (a.spine ? a.y * 0.42 + b.y * 0.58 : a.y * 0.58 + b.y * 0.42) : middle.y;
          return (
            <g key={`${wire.from} ${wire.to} ${wire.link}`} fill="none">
              <title>{bundleWords(whole?.bundles.get(wire.link)) ?? `${wire.label}${wire.up ? "" : " (down)"}`}</title>
              <path d={d} className="stroke-base-content" strokeOpacity={whole?.bundles.get(wire.link)?.only ? 0.7 : 0.35} strokeWidth={whole?.bundles.get(wire.link)?.only ? 5 : 1.5} strokeDasharray={wire.inside ? "1 5" : wire.up ? undefined : "3 5"} strokeLinecap={wire.inside ? "round" : undefined} />
              {legs?.has("outbound") ? <path d={d} transform="translate(0,-3)" stroke="var(--out)" strokeWidth="4" /> : null}
              {legs?.has("return") ? <path d={d} transform="translate(0,3)" stroke="var(--ret)" strokeWidth="4" /> : null}
              {wire.up ? null : <path d={`M${crossX - 6} ${crossY - 6}l12 12m0 -12l-12 12`} stroke="var(--stop)" strokeWidth="3.5" />}
            </g>
          );
        })}
        {ties.length ? null : drawing.wires.map((wire) => <BundleMark key={`${wire.from} ${wire.to} ${wire.link}`} bundle={whole?.bundles.get(wire.link)} a={at.get(wire.from)} b={at.get(wire.to)} />)}
        {ties.map((tie, index) => <Tie key={index} tie={tie} />)}
        {drawing.places.map((place) => place.kind === "group" ? (
          <GroupMark key={place.id} place={place} inside={whole?.inside.get(place.id)} onOpen={() => open(place.id)} />
        ) : (
          <PlaceMark key={place.id} place={place} stop={stops.get(place.id) ?? null} survey={survey}
            onOpen={() => open(place.id)} />
        ))}
        </g>
      </svg>
      <div className="no-print absolute right-3 bottom-3 flex flex-col gap-1">
        <button type="button" className="btn btn-sm btn-square" aria-label="Zoom in" onClick={withChart((chart) => behaviour.scaleBy(chart, 1.25))}>+</button>
        <button type="button" className="btn btn-sm btn-square" aria-label="Zoom out" onClick={withChart((chart) => behaviour.scaleBy(chart, 0.8))}>−</button>
        <button type="button" className="btn btn-sm btn-square" aria-label="Fit" onClick={withChart((chart) => behaviour.transform(chart, zoomIdentity))}>▢</button>
      </div>
    </div>
  );
}

interface Bound {
  a: Place;
  b: Place;
  works: boolean;
  label: string | null;
  title: string;
}

/** Neighbour relations as lines; between two groups one line for all, which says how many fail. */
function tiesOf(relations: Relation[], at: Map<string, Place>, standIn: Map<string, string>): Bound[] {
  const place = (device: string) => at.get(device) ?? at.get(standIn.get(device) ?? "");
  const out: Bound[] = [];
  const bundled = new Map<string, { a: Place; b: Place; all: number; failing: number }>();
  for (const relation of relations) {
    const a = place(relation.left.device);
    const b = place(relation.right.device);
    if (!a || !b || a === b) continue;
    if (a.kind !== "group" && b.kind !== "group") {
      const title = `${relationName(relation)}: ${relation.left.device} ${relation.left.state}, ${relation.right.device} ${relation.right.state}`;
      out.push({ a, b, works: relation.works, label: relationLabel(relation), title });
      continue;
    }
    const key = [a.id, b.id].sort().join("\n");
    const held = bundled.get(key) ?? { a, b, all: 0, failing: 0 };
    held.all += 1;
    held.failing += relation.works ? 0 : 1;
    bundled.set(key, held);
  }
  for (const { a, b, all, failing } of bundled.values()) {
    const title = `${all} neighbour relations, ${failing} of them fail`;
    out.push({ a, b, works: failing === 0, label: failing ? `${failing} of ${all} fail` : null, title });
  }
  return out;
}

/** A neighbour relation as a line of its own: whole if it works, broken with its gate if not. */
function Tie({ tie: { a, b, works, label, title } }: { tie: Bound }) {
  const colour = works ? "var(--good)" : "var(--stop)";
  return (
    <g fill="none">
      <title>{title}</title>
      <path d={`M${a.x} ${a.y}L${b.x} ${b.y}`} stroke={colour} strokeWidth={works ? 5 : 4} strokeOpacity={works ? 0.55 : 1} strokeDasharray={works ? undefined : "9 6"} />
      {label ? (
        <text x={(a.x + b.x) / 2} y={(a.y + b.y) / 2 + 4} textAnchor="middle" fontSize="11.5" fontWeight={works ? 400 : 700}
          fill={works ? "var(--soft)" : "var(--stop)"} paintOrder="stroke" stroke="var(--color-base-200)" strokeWidth="5">{label}</text>
      ) : null}
    </g>
  );
}

function bundleWords(bundle: Bundle | undefined): string | null {
  if (!bundle) return null;
  const count = bundle.links === 1 ? "1 link" : `${bundle.links} links`;
  return `${count}${bundle.down ? `, ${bundle.down} down` : ""}${bundle.only ? ", the only one up between what it joins" : ""}`;
}

/** How many links a line between groups stands for, and how many of them are down. */
function BundleMark({ bundle, a, b }: { bundle: Bundle | undefined; a: Place | undefined; b: Place | undefined }) {
  if (!bundle || !a || !b || (bundle.links === 1 && !bundle.down)) return null;
  const broken = bundle.down > 0;
  return (
    <text x={a.x * 0.5 + b.x * 0.5} y={a.y * 0.5 + b.y * 0.5 + 4} textAnchor="middle" fontSize="11.5" fontWeight={broken ? 700 : 400}
      fill={broken ? "var(--stop)" : "var(--soft)"} paintOrder="stroke" stroke="var(--color-base-200)" strokeWidth="5">
      {broken ? `${bundle.down} of ${bundle.links} down` : bundle.links}
    </text>
  );
}

function GroupMark({ place: { x, y, id, breaks }, inside, onOpen }: { place: Place; inside: Inside | undefined; onOpen: () => void }) {
  const name = shortName(id.slice(groupId("").length), 20);
  const parts = inside ? contents(inside) : "";
  const width = widthOf(id, inside);
  return (
    <g
      role="button" tabIndex={0} className="cursor-pointer"
      aria-label={`${name}, a group of ${parts}${breaks ? `, ${breaks} ${breaks === 1 ? "finding that breaks" : "findings that break"} something` : ""}`}
      onClick={onOpen} onKeyDown={(event) => { if (event.key === "Enter" || event.key === " ") { event.preventDefault(); onOpen(); } }}
    >
      <rect className="focus-ring fill-base-100" x={x - width / 2} y={y - 23} width={width} height="46" rx="8" stroke="var(--color-base-content)" strokeWidth="1.5" />
      <rect x={x - width / 2 + 3} y={y - 20} width={width - 6} height="40" rx="6" fill="none" stroke="var(--color-base-content)" strokeOpacity="0.45" />
      <text x={x} y={y - 2} textAnchor="middle" fontSize="13" fontWeight="700" className="fill-base-content">{name}</text>
      <text x={x} y={y + 13} textAnchor="middle" fontSize="11" fill="var(--soft)">{parts}</text>
      {breaks ? (
        <g>
          <circle cx={x + width / 2 - 2} cy={y - 21} r="9" fill="var(--stop)" />
          <text x={x + width / 2 - 2} y={y - 17} textAnchor="middle" fontSize="11" fontWeight="700" className="fill-base-100">{breaks}</text>
        </g>
      ) : null}
    </g>
  );
}

function PlaceMark({ place, stop, onOpen }: { place: Place; stop: string | null; survey: number; onOpen: () => void }) {
  const { x, y } = place;
  if (place.kind === "lan") {
    return (
      <g>
        <rect x={x - 34} y={y - 3} width="68" height="6" rx="3" className="fill-base-content" fillOpacity="0.55" />
        <text x={x} y={y - 8} textAnchor="middle" fontSize="11" fill="var(--soft)" paintOrder="stroke" stroke="var(--color-base-200)" strokeWidth="4">{place.id.slice(4)}</text>
      </g>
    );
  }
  const host = place.kind === "host";
  const height = host ? 24 : 32;
  const name = shortName(place.id, 15);
  const width = Math.max(60, name.length * 7.6 + 18);
  const fails = stop !== null;
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={`${place.id}, ${place.kind}${fails ? `, ${stop}` : ""}${place.breaks ? `, ${place.breaks} ${place.breaks === 1 ? "finding that breaks" : "findings that break"} something` : ""}`}
      className="cursor-pointer"
      onClick={onOpen}
      onKeyDown={(event) => { if (event.key === "Enter" || event.key === " ") { event.preventDefault(); onOpen(); } }}
    >
      <rect
        className="focus-ring fill-base-100" x={x - width / 2} y={y - height / 2} width={width} height={height}
        rx={host ? 12 : 6} stroke={fails ? "var(--stop)" : "var(--color-base-content)"}
        strokeWidth={fails ? 3 : place.spine ? 2 : 1.2} strokeDasharray={place.kind === "unread" ? "4 3" : undefined}
      />
      <text x={x} y={y + 4} textAnchor="middle" fontSize={host ? 11.5 : 13} fontWeight={host ? 400 : 700} className="fill-base-content">
        {name}<title>{place.id}</title>
      </text>
      {fails ? (
        <text x={x} y={y + height / 2 + 14} textAnchor="middle" fontSize="12" fontWeight="700" fill="var(--stop)" paintOrder="stroke" stroke="var(--color-base-200)" strokeWidth="4">
          ▌▏{stop}
        </text>
      ) : place.breaks ? (
        <g>
          <circle cx={x + width / 2 - 2} cy={y - height / 2 + 2} r="7.5" fill="var(--stop)" />
          <text x={x + width / 2 - 2} y={y - height / 2 + 6} textAnchor="middle" fontSize="11" fontWeight="700" className="fill-base-100">{place.breaks}</text>
        </g>
      ) : null}
    </g>
  );
}
