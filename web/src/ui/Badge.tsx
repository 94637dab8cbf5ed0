import { Check, CircleHelp, OctagonX, Split, TriangleAlert, Info } from "lucide-react";

const WORKS = {
  yes: { icon: Check, colour: "bg-success text-success-content", border: "" },
  no: { icon: OctagonX, colour: "bg-error text-error-content", border: "" },
  partly: { icon: Split, colour: "bg-base-100 text-error border-2 border-error", border: "" },
  unknown: {
    icon: CircleHelp,
    colour: "bg-base-100 text-base-content border-2 border-dashed border-base-content",
    border: "",
  },
} as const;

/** Whether something works: word, shape and colour. */
export function Works({ state, text }: { state: keyof typeof WORKS; text: string }) {
  const { icon: Icon, colour } = WORKS[state];
  return (
    <span
      className={`inline-flex items-center gap-1.5 rounded-field px-2 py-0.5 font-semibold whitespace-nowrap ${colour}`}
    >
      <Icon aria-hidden="true" size={15} /> {text}
    </span>
  );
}

const SEVERITIES = {
  breaks: { icon: OctagonX, word: "breaks", className: "text-error border-error" },
  risks: { icon: TriangleAlert, word: "risks", className: "text-warning border-warning border-dashed" },
  notes: { icon: Info, word: "notes", className: "soft border-base-300" },
} as const;

/** How serious a finding is. */
export function Severity({ severity }: { severity: keyof typeof SEVERITIES }) {
  const { icon: Icon, word, className } = SEVERITIES[severity];
  return (
    <span
      className={`inline-flex items-center gap-1 rounded-field border px-1.5 text-xs font-semibold ${className}`}
    >
      <Icon aria-hidden="true" size={13} /> {word}
    </span>
  );
}
