import { useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";

import { shortName } from "../ui/names";
import { protocolWords, VERDICT_WORDS } from "../ui/words";
import { fold } from "./fold";
import { filtersOf, hopAt, type HopKey, hopText, type Lane, layOut, type LegName, type Path, rewritesOf, rewrittenEnd, type Station, wrapOf } from "./journey";

interface Props {
  path: Path;
  roles: Map<string, string>;
  selected: HopKey;
  onSelect: (key: HopKey) => void;
  svgRef?: React.RefObject<SVGSVGElement | null>;
}

const HEAD = 26;
const LABELS = 40;
const GAP = 22;
const BOX = 44;
const LEVEL = 30;
const MIN_COLUMN = 108;

const COLOUR: Record<LegName, string> = { outbound: "var(--out)", return: "var(--ret)" };

function clip(text: string, width: number, perChar: number): string {
  const room = Math.max(4, Math.floor(width / perChar));
  return text.length > room ? `${text.slice(0, room - 1)}…` : text;
}

function stationWords(station: Station, lane: Lane): { what: string; where: string; dead: boolean } {
  const last = station.index === lane.stations.length - 1;
  const route = station.hop.route;
  if (last && lane.verdict !== "delivered") {
    return { what: VERDICT_WORDS[lane.verdict], where: route?.prefix ?? "", dead: lane.verdict !== "unknown" };
  }
  if (route?.protocol === "local") return { what: "arrives", where: "", dead: false };
  return {
    what: route ? protocolWords(route) : "no route",
    where: route?.prefix ?? "",
    dead: false,
  };
}

function rewriteWords(station: Station): string {
  return rewritesOf(station.hop).map((item) => `, ${item.what ?? ""} rewritten to ${rewrittenEnd(item, "to")}`).join("");
}

function filterWords(station: Station): string {
  const passed = filtersOf(station.hop).filter((action) => action.result === "permit").length;
  return passed ? `, ${passed === 1 ? "a filter lets it pass" : `${passed} filters let it pass`}` : "";
}

/** Both legs over one row of devices: outbound above, return below. */
export function Journey({ path, roles, selected, onSelect, svgRef }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const own = useRef<SVGSVGElement>(null);
  const svg = svgRef ?? own;
  const [width, setWidth] = useState(900);
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    setWidth(element.clientWidth);
    return () => observer.disconnect();
  }, []);
  const journey = useMemo(() => layOut(path), [path]);
  const [whole, setWhole] = useState<Path | null>(null);
  const room = whole === path ? Infinity : Math.floor((width - 8) / MIN_COLUMN);
  const chosenDevice = hopAt(path, selected)?.device ?? null;
  const { slot, slots } = useMemo(() => fold(journey, room, chosenDevice), [journey, room, chosenDevice]);
  const count = slots.length;
  const folded = (index: number) => (slots[slot[index] ?? -1]?.length ?? 1) > 1;
  const long = journey.columns.length > Math.floor((width - 8) / MIN_COLUMN);
  const column = Math.max(MIN_COLUMN, Math.min(230, (width - 8) / Math.max(count, 1)));
  // A short journey leaves room beside it, which its reasons may use.
  const total = Math.max(column * count + 8, width - 8);
  const centre = (index: number) => 4 + column * ((slot[index] ?? index) + 0.5);

  const above = Math.max(0, journey.outbound.length - 1) * LEVEL;
  const below = Math.max(0, journey.back.length - 1) * LEVEL;
  const yOut = HEAD + above + LABELS + 8;
  const yBox = yOut + GAP;
  const yRet = yBox + BOX + GAP;
  const height = yRet + 8 + LABELS + below + HEAD;
  const laneY = (lane: Lane) =>
    lane.leg === "outbound"
      ? lane.level === 0 ? yOut : yOut - LABELS - (lane.level - 1) * LEVEL - 14
      : lane.level === 0 ? yRet : yRet + LABELS + (lane.level - 1) * LEVEL + 14;

  const lanes = [...journey.outbound, ...journey.back];
  // A branch that leaves a shared device by another exit stands beside that device.
  const mainOf = (lane: Lane) => lanes.find((item) => item.leg === lane.leg && item.level === 0);
  const forks = (lane: Lane, station: Station) =>
    lane.level > 0 && station.index === lane.own[0] && Boolean(mainOf(lane)?.stations.some((s) => s.device === station.device));
  const stationX = (lane: Lane, station: Station) =>
    centre(station.column) + (forks(lane, station) ? (lane.leg === "outbound" ? 1 : -1) * column * 0.34 : 0);
  const keys: HopKey[] = lanes.flatMap((lane) =>
    lane.stations
      .filter((station) => lane.level === 0 || (station.index >= lane.own[0] && station.index <= lane.own[1]))
      .map((station) => ({ leg: lane.leg, branch: lane.branch, index: station.index })),
  );
  const move = (event: KeyboardEvent, key: HopKey) => {
    const at = keys.findIndex((item) => hopText(item) === hopText(key));
    const steps: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1 };
    const step = steps[event.key];
    if (step !== undefined) {
      event.preventDefault();
      // On the screen the return leg runs from right to left.
      const target = keys[at + (key.leg === "return" ? -step : step)];
      if (target && target.leg === key.leg) {
        onSelect(target);
        svg.current?.querySelector<SVGGElement>(`[data-hop="${hopText(target)}"]`)?.focus();
      }
    } else if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      onSelect(key);
    }
  };

  const title = (name: string, leg: Path["outbound"] | null) =>
    leg ? `${name}: ${VERDICT_WORDS[leg.verdict]}${leg.branch_count > 1 ? `, ${leg.branch_count} ways` : ""}` : `${name}: nobody there to answer`;

  return (
    <div ref={box} className="overflow-x-auto overflow-y-hidden" data-testid="journey">
      {long && whole === path ? (
        <button type="button" className="btn btn-ghost btn-xs sticky left-0" onClick={() => setWhole(null)}>Fold what only passes it on</button>
      ) : null}
      <svg
        ref={svg}
        width={total}
        height={height}
        viewBox={`0 0 ${total} ${height}`}
        role="group"
        aria-label={`The journey from ${journey.columns[0] ?? ""} to ${journey.columns.at(-1) ?? ""}`}
        fontSize="12"
      >
        <LegHeading y={16} colour={COLOUR.outbound} title={title("Outbound", path.outbound)} reason={path.outbound.verdict === "delivered" || path.sentence.endsWith(path.outbound.reason) ? "" : path.outbound.reason} width={total} />
        <LegHeading y={height - 8} colour={COLOUR.return} title={title("Return", path.return)} reason={path.return && path.return.verdict !== "delivered" && !path.sentence.endsWith(path.return.reason) ? path.return.reason : ""} width={total} />
        {lanes.map((lane) => (
          <LaneLine
            key={`${lane.leg}${lane.branch}`}
            lane={lane}
            y={laneY(lane)}
            mainY={lane.leg === "outbound" ? yOut : yRet}
            centre={centre}
            stationX={(station) => stationX(lane, station)}
            column={column}
            end={lane.leg === "outbound" ? journey.columns.length - 1 : 0}
          />
        ))}
        {slots.map((columns) => columns.length > 1 ? (
          <Fold key={columns[0]} names={columns.map((index) => journey.columns[index] ?? "")} x={centre(columns[0] ?? 0)} y={yBox} width={column - 12}
            onOpen={() => setWhole(path)} />
        ) : null)}
        {journey.columns.map((device, index) => {
          if (folded(index)) return null;
          const mine = lanes.flatMap((lane) => (lane.level === 0 ? lane.stations.filter((s) => s.device === device).map((s) => ({ lane, s })) : []));
          const first = mine[0];
          const hop = first?.s.hop;
          const x = centre(index) - column / 2 + 6;
          const isSelected = lanes.some((lane) => lane.leg === selected.leg && lane.branch === selected.branch && lane.stations[selected.index]?.device === device);
          const role = roles.get(device) ?? "router";
          const reached = lanes.some((lane) => lane.stations.some((s) => s.device === device));
          const ports = hop ? [hop.in, hop.out].filter(Boolean).join(" → ") : "";
          const key = first ? { leg: first.lane.leg, branch: first.lane.branch, index: first.s.index } : null;
          return (
            <g
              key={device}
              onClick={key ? () => onSelect(key) : undefined}
              className={key ? "cursor-pointer" : undefined}
            >
              {isSelected ? (
                <rect x={x - 4} y={yBox - 4} width={column - 4} height={BOX + 8} rx={role === "host" ? 26 : 10} fill="none" stroke="var(--mark-edge)" strokeWidth="3" />
              ) : null}
              <rect
                x={x} y={yBox} width={column - 12} height={BOX} rx={role === "host" ? 22 : 7}
                className="fill-base-100 stroke-base-content" strokeWidth="1.5"
                strokeDasharray={role === "unread" || !reached ? "5 4" : undefined}
              />
              <text x={centre(index)} y={yBox + 19} textAnchor="middle" fontSize="13.5" fontWeight="700" className="fill-base-content">
                {shortName(device, Math.max(4, Math.floor((column - 22) / 7.9)))}
                <title>{device}</title>
              </text>
              <text x={centre(index)} y={yBox + 35} textAnchor="middle" fontSize="11" fill="var(--soft)">
                {clip(ports || (role === "host" ? "host" : reached ? role : "not reached"), column - 18, 6.4)}
              </text>
            </g>
          );
        })}
        {lanes.map((lane) =>
          lane.stations.map((station) => {
            if (lane.level > 0 && (station.index < lane.own[0] || station.index > lane.own[1])) return null;
            if (folded(station.column)) return null;
            const key: HopKey = { leg: lane.leg, branch: lane.branch, index: station.index };
            const words = stationWords(station, lane);
            const y = laneY(lane);
            const x = stationX(lane, station);
            const chosen = hopText(key) === hopText(selected);
            const up = lane.leg === "outbound";
            const dead = words.dead;
            const textY = up ? y - 27 : y + 21;
            const small = lane.level > 0;
            // A device that is passed twice has its words once.
            const again = lane.stations.some((other) => other.index < station.index && other.column === station.column) && !dead;
            return (
              <g
                key={hopText(key)}
                data-hop={hopText(key)}
                role="button"
                tabIndex={chosen ? 0 : -1}
                aria-pressed={chosen}
                aria-label={`${lane.leg}, ${station.device}: ${words.what} ${words.where}${rewriteWords(station)}${filterWords(station)}${dead ? `, ${lane.reason}` : ""}`}
                className="cursor-pointer"
                onClick={() => onSelect(key)}
                onKeyDown={(event) => move(event, key)}
              >
                <rect className="focus-ring" x={x - column / 2 + 3} y={small ? y - 12 : up ? y - LABELS - 2 : y - 9} width={column - 6} height={small ? 24 : LABELS + 11} rx="6" fill="transparent" stroke="transparent" />
                <circle cx={x} cy={y} r={small ? 4 : 5.5} fill={dead ? "var(--stop)" : COLOUR[lane.leg]} />
                {again ? null : small ? (
                  dead ? (
                    <text x={x + (up ? 36 : -36)} y={y + 4} textAnchor={up ? "start" : "end"} fontSize="11.5" fontWeight="700" fill="var(--stop)" paintOrder="stroke" stroke="var(--color-base-200)" strokeWidth="4">
                      {clip(words.what, column - 24, 6.8)}
                    </text>
                  ) : null
                ) : (
                  <>
                    <text x={x} y={textY} textAnchor="middle" fontSize="12" fontWeight={dead ? 700 : 400} fill={dead ? "var(--stop)" : "var(--soft)"}>
                      {clip(words.what, column - 8, 6.3)}
                    </text>
                    <text x={x} y={textY + 14} textAnchor="middle" fontSize="11.5" className="mono" fontWeight={dead ? 700 : 400} fill={dead ? "var(--stop)" : "var(--color-base-content)"}>
                      {clip(words.where, column - 6, 7)}
                      <title>{words.where}</title>
                    </text>
                  </>
                )}
              </g>
            );
          }),
        )}
        <Hidden count={journey.hidden.outbound} y={HEAD + 6} x={total - 8} />
        <Hidden count={journey.hidden.back} y={height - HEAD} x={total - 8} />
      </svg>
    </div>
  );
}

/** Devices that only pass it on, in the place of one. */
function Fold({ names, x, y, width, onOpen }: { names: string[]; x: number; y: number; width: number; onOpen: () => void }) {
  const said = `${names.length} devices that only pass it on`;
  return (
    <g
      role="button" tabIndex={0} className="cursor-pointer" aria-label={`${said}: show ${names.join(", ")}`}
      onClick={onOpen}
      onKeyDown={(event) => { if (event.key === "Enter" || event.key === " ") { event.preventDefault(); onOpen(); } }}
    >
      {[6, 3, 0].map((shift) => (
        <rect key={shift} x={x - width / 2 + shift} y={y - shift} width={width - 6} height={BOX} rx="7" className={`fill-base-100 stroke-base-content${shift ? "" : " focus-ring"}`} strokeWidth="1" strokeOpacity={shift ? 0.5 : 1} />
      ))}
      <text x={x - 3} y={y + 19} textAnchor="middle" fontSize="13" fontWeight="700" className="fill-base-content">{names.length} more</text>
      <text x={x - 3} y={y + 35} textAnchor="middle" fontSize="11" fill="var(--soft)">pass it on</text>
      <title>{names.join(", ")}</title>
    </g>
  );
}

function Hidden({ count, x, y }: { count: number; x: number; y: number }) {
  if (count <= 0) return null;
  return (
    <text x={x} y={y} textAnchor="end" fontSize="11.5" fill="var(--soft)">
      and {count} more ways
    </text>
  );
}

function LegHeading({ y, colour, title, reason, width }: { y: number; colour: string; title: string; reason: string; width: number }) {
  const room = width - title.length * 7.6 - 30;
  return (
    <text x="6" y={y} fontSize="12.5">
      <tspan fontWeight="700" fill={colour}>{title}</tspan>
      {reason ? <tspan dx="10" className="fill-base-content">{clip(reason, room, 6.6)}</tspan> : null}
      {reason ? <title>{reason}</title> : null}
    </text>
  );
}

/** The line of one branch, its arrow or its stop, and a loop that closes on itself. */
function LaneLine({ lane, y, mainY, centre, stationX, column, end }: {
  lane: Lane; y: number; mainY: number; centre: (index: number) => number;
  stationX: (station: Station) => number; column: number; end: number;
}) {
  const colour = COLOUR[lane.leg];
  const thick = lane.level === 0 ? 4.5 : 2.2;
  const direction = lane.leg === "outbound" ? 1 : -1;
  const first = lane.stations[0];
  const last = lane.stations.at(-1);
  if (!first || !last) return null;
  const out = lane.leg === "outbound" ? -1 : 1;

  const shown = lane.level === 0 ? lane.stations : lane.stations.slice(lane.own[0], lane.own[1] + 1);
  const points = shown.map(stationX);
  const pieces: string[] = [];
  points.forEach((x, i) => {
    const before = points[i - 1];
    if (before === undefined) pieces.push(`M${x} ${y}`);
    else if ((x - before) * direction >= 0) pieces.push(`L${x} ${y}`);
    // Against the run of the lane: an arc, so that it is seen to go back.
    else pieces.push(`C${before} ${y + out * 20} ${x} ${y + out * 20} ${x} ${y}`);
  });
  let d = pieces.join("");
  const endX = points.at(-1) ?? 0;
  const delivered = lane.verdict === "delivered";
  if (lane.level > 0) {
    const opening = shown[0];
    const beside = opening && stationX(opening) !== centre(opening.column);
    const from = beside ? opening : lane.stations[lane.own[0] - 1];
    const to = lane.stations[lane.own[1] + 1];
    const x0 = points[0] ?? 0;
    // A branch that forks at its first shown station leaves from that station's place on the main lane.
    d = from
      ? `M${centre(from.column) + direction * 4} ${mainY}C${(centre(from.column) + x0) / 2 + direction * 18} ${mainY} ${(centre(from.column) + x0) / 2} ${y} ${x0} ${y}${pieces.slice(1).join("")}`
      : `M${x0} ${mainY}L${x0} ${y}${pieces.slice(1).join("")}`;
    if (to && delivered) {
      d += `C${(endX + centre(to.column)) / 2} ${y} ${(endX + centre(to.column)) / 2 - direction * 18} ${mainY} ${centre(to.column) - direction * 4} ${mainY}`;
    }
  }
  const loop = lane.loopTo !== null && lane.loopTo >= 0 ? centre(lane.loopTo) : null;
  const stopX = endX + direction * Math.min(22, column * 0.18);
  return (
    <g fill="none" aria-hidden="true">
      {/* What goes through a tunnel is a lane within a lane. */}
      {shown.map((station, i) => {
        const wrap = wrapOf(station.hop);
        const x0 = points[i];
        if (!wrap || x0 === undefined) return null;
        const x1 = points[i + 1] ?? x0 + direction * Math.min(22, column * 0.18);
        const from = x0 + direction * 9;
        const to = points[i + 1] === undefined ? x1 : x1 - direction * 9;
        return (
          <g key={station.index}>
            <rect x={Math.min(from, to)} y={y - 7} width={Math.abs(to - from)} height={14} rx={7} stroke={colour} strokeWidth="1.4" />
            {Math.abs(to - from) > 60 ? (
              <text x={(from + to) / 2} y={y + out * 15 + 4} textAnchor="middle" fontSize="11" fill="var(--soft)" stroke="none">{wrap.mode === "gre" ? "GRE" : "IP in IP"}</text>
            ) : null}
          </g>
        );
      })}
      {/* From here on the packet names another end. */}
      {shown.map((station, i) => {
        const x0 = points[i];
        const rewrites = rewritesOf(station.hop);
        if (!rewrites.length || x0 === undefined || lane.level > 0) return null;
        const x1 = points[i + 1] ?? x0 + direction * 60;
        const words = rewrites.map((item) => `${item.what === "source" ? "from" : "to"} ${item.to ?? ""}`);
        return words.map((text, line) => (
          <text key={`t${station.index}.${line}`} x={(x0 + x1) / 2} y={y + out * -1 * (7 + line * 12) + (out < 0 ? 8 : -1)} textAnchor="middle" fontSize="11" fontWeight="600" className="fill-base-content" stroke="none">
            {clip(text, Math.abs(x1 - x0) - 8, 5.9)}
            <title>{text}</title>
          </text>
        ));
      })}
      <path d={d} stroke={colour} strokeWidth={thick} strokeLinejoin="round" />
      {/* A filter that lets the packet pass is a door that stands open. */}
      {shown.map((station, i) => {
        const passed = filtersOf(station.hop).filter((action) => action.result === "permit").length;
        const x0 = points[i];
        if (!passed || x0 === undefined) return null;
        const x = x0 + direction * (station.hop.out ? 15 : -15);
        return (
          <g key={`f${station.index}`} stroke="var(--soft)" strokeWidth="2.2" strokeLinecap="round">
            <path d={`M${x} ${y - 9}v5M${x} ${y + 9}v-5`} />
            <path d={`M${x - 4} ${y - 9}h8M${x - 4} ${y + 9}h8`} />
          </g>
        );
      })}
      {delivered && lane.level === 0 ? (
        <path d={`M${endX - 6} ${y - out * 9}h12l-6 ${-out * 9}z`} fill={colour} />
      ) : null}
      {loop !== null ? (
        <>
          <path
            d={`M${endX} ${y}C${endX + direction * 30} ${y - out * 19} ${loop - direction * 30} ${y - out * 19} ${loop} ${y - out * 4}`}
            stroke="var(--stop)" strokeWidth={thick * 0.8} strokeDasharray="7 4"
          />
          <path d={`M${loop - direction * 15} ${y - out * 14}l${direction * 3} ${out * 9}l${direction * 7} ${-out * 4}z`} fill="var(--stop)" />
        </>
      ) : null}
      {lane.verdict === "unknown" ? (
        <>
          <path d={`M${endX} ${y}H${stopX - direction * 3}`} stroke={colour} strokeWidth={thick} strokeDasharray="4 3" />
          <text x={stopX + direction * 8} y={y + 7} textAnchor="middle" fontSize="21" fontWeight="700" className="fill-base-content">?</text>
        </>
      ) : !delivered && loop === null ? (
        <>
          <path d={`M${endX} ${y}H${stopX - direction * 3}`} stroke={colour} strokeWidth={thick} />
          <path d={`M${stopX} ${y - 12}v24`} stroke="var(--stop)" strokeWidth="7" />
          <path d={`M${stopX + direction * 8} ${y - 12}v24`} stroke="var(--stop)" strokeWidth="2.5" />
        </>
      ) : null}
      {!delivered && lane.level === 0 && (centre(end) - stopX) * direction > 20 ? (
        <path d={`M${(loop !== null ? Math.max(endX * direction, loop * direction) * direction : stopX) + direction * 16} ${y}H${centre(end)}`} stroke={colour} strokeWidth="1.5" strokeDasharray="2 7" />
      ) : null}
    </g>
  );
}
