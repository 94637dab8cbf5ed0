import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";

interface Props {
  lines: string[];
  /** Marked lines, with the part of a crowded line that is meant. */
  marks: Map<number, string | null>;
  /** Lines that were not understood and could change an answer. */
  open?: Set<number>;
  /** The line to scroll to. */
  focus?: number | null;
  label: string;
}

function Marked({ text, part }: { text: string; part: string | null }) {
  if (!part || text.length < 200) return <>{text}</>;
  const at = text.indexOf(part);
  if (at < 0) return <>{text}</>;
  return (
    <>
      {text.slice(0, at)}
      <mark className="rounded bg-[var(--mark-edge)]/40 font-semibold text-inherit">{part}</mark>
      {text.slice(at + part.length)}
    </>
  );
}

/** A device's own text with line numbers; the deciding lines are marked. */
export function SourceText({ lines, marks, open, focus, label }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => 19,
    overscan: 20,
  });
  useEffect(() => {
    if (focus) rows.scrollToIndex(Math.min(focus, lines.length) - 1, { align: "center" });
  }, [focus, lines, rows]);
  return (
    <div
      ref={box}
      tabIndex={0}
      role="region"
      aria-label={label}
      className="mono h-full min-h-0 overflow-auto pb-2"
    >
      <div style={{ height: rows.getTotalSize(), position: "relative" }}>
        {rows.getVirtualItems().map((row) => {
          const number = row.index + 1;
          const marked = marks.has(number);
          const text = lines[row.index] ?? "";
          return (
            <div
              key={row.key}
              data-index={row.index}
              data-marked={marked || undefined}
              ref={rows.measureElement}
              className={`absolute left-0 flex w-full ${marked ? "bg-[var(--mark)] shadow-[inset_3px_0_0_var(--mark-edge)]" : ""}`}
              style={{ transform: `translateY(${row.start}px)` }}
            >
              <span className="soft w-12 shrink-0 pr-3 text-right select-none">
                {open?.has(number) ? <span title="not understood, and it matters">?</span> : null}
                {number}
              </span>
              <span className="min-w-0 break-all whitespace-pre-wrap">
                <Marked text={text} part={marks.get(number) ?? null} />
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}
