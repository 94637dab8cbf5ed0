import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useMemo, useRef, useState, type ReactNode } from "react";

import { download, toCsv } from "./download";
import { useAfterPaint } from "./painted";

export interface Column<T> {
  head: string;
  /** What is sorted, filtered and exported. */
  value: (row: T) => string | number;
  /** What is shown; the value if absent. */
  show?: (row: T) => ReactNode;
  /** A width of CSS grid, such as `8rem` or `2fr`. */
  width: string;
  mono?: boolean;
  right?: boolean;
}

/** So many rows are drawn, in sight or not. */
const WHOLE = 100;

interface Props<T> {
  label: string;
  /** The name of exported files. */
  file: string;
  rows: T[];
  columns: Column<T>[];
  rowKey: (row: T) => string;
  rowClass?: (row: T) => string;
  onRow?: (row: T) => void;
  empty: ReactNode;
  /** About how high a row is, in pixels: so many are drawn at first as that lets one expect in sight. */
  rowHeight?: number;
  height?: string;
  tools?: ReactNode;
}

/** A long table: sorted by its heads, filtered as one types, only what is seen is drawn. */
export function DataTable<T>({
  label, file, rows, columns, rowKey, rowClass, onRow, empty, rowHeight = 30, height = "100%", tools,
}: Props<T>) {
  const [filter, setFilter] = useState("");
  const [sort, setSort] = useState<{ column: number; down: boolean } | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const shown = useMemo(() => {
    const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
    let out = rows;
    if (words.length) {
      out = rows.filter((row) => {
        const text = columns.map((column) => String(column.value(row))).join(" ").toLowerCase();
        return words.every((word) => text.includes(word));
      });
    }
    if (sort) {
      const column = columns[sort.column];
      if (column) {
        const collator = new Intl.Collator("en", { numeric: true });
        const sign = sort.down ? -1 : 1;
        out = [...out].sort((a, b) => {
          const left = column.value(a);
          const right = column.value(b);
          return typeof left === "number" && typeof right === "number"
            ? sign * (left - right)
            : sign * collator.compare(String(left), String(right));
        });
      }
    }
    return out;
  }, [rows, columns, filter, sort]);
  const painted = useAfterPaint();
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    // A short table is drawn whole, so that the browser's own search finds what is in it.
    overscan: painted && shown.length <= WHOLE ? WHOLE : 6,
  });
  const grid = { gridTemplateColumns: columns.map((c) => `minmax(0, ${c.width})`).join(" ") };
  const exportRows = () => shown.map((row) => columns.map((column) => String(column.value(row))));
  const heads = columns.map((column) => column.head);

  return (
    <div className="flex min-h-0 flex-col" style={{ height }}>
      <div className="flex flex-wrap items-center gap-2 pb-2">
        <input
          type="search"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          placeholder="Filter"
          aria-label={`Filter ${label}`}
          className="input input-sm w-48"
        />
        <span className="soft" role="status">
          {shown.length === rows.length ? rows.length : `${shown.length} of ${rows.length}`}
        </span>
        {tools}
        <span className="ml-auto flex gap-1">
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            onClick={() => download(`${file}.csv`, toCsv(heads, exportRows()), "text/csv")}
          >
            CSV
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            onClick={() => {
              const objects = exportRows().map((row) =>
                Object.fromEntries(row.map((value, i) => [heads[i] ?? String(i), value])),
              );
              download(`${file}.json`, JSON.stringify(objects, null, 2), "application/json");
            }}
          >
            JSON
          </button>
        </span>
      </div>
      <div
        ref={box}
        role="table"
        aria-label={label}
        aria-rowcount={shown.length}
        className="min-h-0 flex-1 overflow-auto rounded-box border border-base-300 bg-base-100"
      >
        <div
          role="row"
          className="sticky top-0 z-10 grid border-b border-base-300 bg-base-200 font-semibold"
          style={grid}
        >
          {columns.map((column, index) => {
            const active = sort?.column === index;
            return (
              <div
                role="columnheader"
                key={column.head}
                aria-sort={active ? (sort.down ? "descending" : "ascending") : "none"}
              >
                <button
                  type="button"
                  className={`flex w-full items-center gap-1 px-2 py-1.5 text-left ${column.right ? "justify-end" : ""}`}
                  onClick={() =>
                    setSort(active ? (sort.down ? null : { column: index, down: true }) : { column: index, down: false })
                  }
                >
                  {column.head}
                  {active ? sort.down ? <ArrowDown size={12} /> : <ArrowUp size={12} /> : null}
                </button>
              </div>
            );
          })}
        </div>
        {shown.length === 0 ? (
          <div className="soft p-6 text-center">
            {rows.length === 0 ? empty : "Nothing matches the filter."}
          </div>
        ) : (
          <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
            {virtual.getVirtualItems().map((item) => {
              const row = shown[item.index] as T;
              return (
                <div
                  role="row"
                  key={rowKey(row)}
                  data-index={item.index}
                  ref={virtual.measureElement}
                  aria-rowindex={item.index + 1}
                  tabIndex={onRow ? 0 : undefined}
                  onClick={onRow ? () => onRow(row) : undefined}
                  onKeyDown={
                    onRow
                      ? (event) => {
                          if (event.key === "Enter" && event.target === event.currentTarget) onRow(row);
                        }
                      : undefined
                  }
                  className={`absolute left-0 grid w-full border-b border-base-300/60 ${onRow ? "cursor-pointer hover:bg-base-200" : ""} ${rowClass?.(row) ?? ""}`}
                  style={{ ...grid, transform: `translateY(${item.start}px)` }}
                >
                  {columns.map((column) => (
                    <div
                      role="cell"
                      key={column.head}
                      className={`px-2 py-1.5 break-words ${column.mono ? "mono" : ""} ${column.right ? "text-right" : ""}`}
                    >
                      {column.show ? column.show(row) : column.value(row)}
                    </div>
                  ))}
                </div>
              );
            })}
          </div>
        )}
      </div>
    </div>
  );
}
