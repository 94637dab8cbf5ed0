import { useMemo, useRef } from "react";

import type { Shapes } from "../api/client";
import { downloadPng, downloadSvg } from "../ui/download";
import { many } from "../ui/words";

type Cell = Shapes["CellShape"];

const STATES = {
  breaks: { word: "breaks", colour: "var(--stop)" },
  heals: { word: "heals", colour: "var(--good)" },
  moves: { word: "takes another way", colour: "var(--ret)" },
  gone: { word: "gone with its own address", colour: "var(--soft)" },
} as const;

function Mark({ state, x, y, size }: { state: Cell["state"]; x: number; y: number; size: number }) {
  const r = size / 2 - 1.5;
  const colour = STATES[state].colour;
  const cx = x + size / 2;
  const cy = y + size / 2;
  // Every state has a shape of its own: a full disc, a cross, a ring, a dot.
  if (state === "heals") return <circle cx={cx} cy={cy} r={r} fill={colour} />;
  if (state === "breaks") {
    return <path d={`M${cx - r} ${cy - r}L${cx + r} ${cy + r}M${cx + r} ${cy - r}L${cx - r} ${cy + r}`} stroke={colour} strokeWidth={2.4} />;
  }
  if (state === "moves") return <circle cx={cx} cy={cy} r={r - 0.6} fill="none" stroke={colour} strokeWidth={1.7} />;
  return <circle cx={cx} cy={cy} r={1.6} fill={colour} />;
}

/** Who heals, breaks and moves: senders down, receivers across, one mark for every two devices. */
export function EffectPicture({ cells }: { cells: Cell[] }) {
  const svg = useRef<SVGSVGElement>(null);
  const { rows, columns } = useMemo(() => {
    const count = (pick: (cell: Cell) => string) => {
      const found = new Map<string, number>();
      for (const cell of cells) found.set(pick(cell), (found.get(pick(cell)) ?? 0) + 1);
      return [...found.entries()].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0])).map(([name]) => name);
    };
    return { rows: count((cell) => cell.from), columns: count((cell) => cell.to) };
  }, [cells]);
  if (!cells.length) return <p className="soft p-4">No pair of devices heals, breaks or takes another way.</p>;
  const size = Math.max(9, Math.min(18, Math.floor(560 / Math.max(rows.length, columns.length))));
  const left = 96;
  const top = 92;
  const present = (Object.keys(STATES) as Cell["state"][]).filter((state) => cells.some((cell) => cell.state === state));
  const text = present.map((state) => `${STATES[state].word}: ${many(cells.filter((cell) => cell.state === state).length, "pair of devices", "pairs of devices")}`).join(", ");
  return (
    <figure>
      <figcaption className="flex flex-wrap items-center gap-x-4 gap-y-1 pb-1">
        {present.map((state) => (
          <span key={state} className="inline-flex items-center gap-1.5">
            <svg width={16} height={16} aria-hidden><Mark state={state} x={0} y={0} size={16} /></svg>
            {STATES[state].word}
          </span>
        ))}
        <span className="no-print ml-auto">
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadSvg(svg.current, "effect")}>SVG</button>
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadPng(svg.current, "effect")}>PNG</button>
        </span>
      </figcaption>
      <div className="overflow-auto">
        <svg ref={svg} role="img" aria-label={`From the devices on the left to those on top. ${text}.`} width={left + columns.length * size + 56} height={top + rows.length * size + 6} className="text-xs">
          {columns.map((name, index) => (
            <text key={name} transform={`translate(${left + index * size + size / 2 + 3} ${top - 5}) rotate(-60)`} fill="currentColor">{name}</text>
          ))}
          {rows.map((name, index) => (
            <g key={name}>
              <text x={left - 6} y={top + index * size + size / 2 + 3.5} textAnchor="end" fill="currentColor">{name}</text>
              <line x1={left} x2={left + columns.length * size} y1={top + index * size} y2={top + index * size} stroke="var(--color-base-300)" strokeWidth={0.6} />
            </g>
          ))}
          {cells.map((cell) => (
            <g key={`${cell.from} ${cell.to}`}>
              <title>{`${cell.from} to ${cell.to}: ${STATES[cell.state].word} (${many(cell.count, "pair")})`}</title>
              <rect x={left + columns.indexOf(cell.to) * size} y={top + rows.indexOf(cell.from) * size} width={size} height={size} fill="transparent" />
              <Mark state={cell.state} x={left + columns.indexOf(cell.to) * size} y={top + rows.indexOf(cell.from) * size} size={size} />
            </g>
          ))}
        </svg>
      </div>
    </figure>
  );
}
