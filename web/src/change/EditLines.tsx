import type { Shapes } from "../api/client";

type Edit = Shapes["EditShape"];

function valueWords(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

/** A path of data in words: the entries that it leads through, and the value at its end. */
export function pathWords(path: string): string {
  const steps = path.split(/\/(?![^[]*\])/).filter(Boolean);
  const words = steps.flatMap((step, at) => {
    const name = (step.split("[")[0] ?? "").replace(/^[^:]*:/, "");
    const keys = [...step.matchAll(/\[([^=\]]+)=(?:'([^']*)'|"([^"]*)"|([^\]]*))\]/g)].map((key) => [key[1] ?? "", key[2] ?? key[3] ?? key[4] ?? ""] as const);
    // Of a protocol its name is enough, its type says the same once more.
    const shown = keys.filter(([key]) => keys.length === 1 || !["type", "identifier"].includes(key)).map(([, value]) => value.replace(/^[\w-]+:(?=[A-Z])/, ""));
    if (keys.length) return [`${name.replace("control-plane-protocol", "protocol")} ${shown.join(" ")}`.trim()];
    return at === steps.length - 1 ? [name] : [];
  });
  return words.join(", ");
}

/** Edits as lines that go and lines that come, with word and sign, not by colour alone. */
export function EditLines({ edits }: { edits: Edit[] }) {
  return (
    <ul className="mt-1 space-y-1 rounded-field bg-base-200 p-1.5">
      {edits.map((edit, index) => (
        <li key={index}>
          {edit.down ? <span>goes down: <span className="mono">{JSON.stringify(edit.down)}</span></span> : (
            <>
              <span className="soft block break-words">
                {edit.device}{edit.context?.length ? `, ${edit.context.join(", ")}` : ""}
                {edit.path ? <span className="mono block" title={edit.path}>{pathWords(edit.path)}</span> : null}
              </span>
              {edit.path && (edit.old ?? null) !== null ? <Line sign="−" word="without">{valueWords(edit.old)}</Line> : null}
              {edit.path && (edit.new ?? null) === null ? <Line sign="−" word="removed">taken out</Line> : null}
              {edit.path && (edit.new ?? null) !== null ? <Value value={edit.new} /> : null}
              {edit.remove?.map((line) => <Line key={line} sign="−" word="without">{line}</Line>)}
              {edit.add?.map((line) => <Line key={line} sign="+" word="with">{line}</Line>)}
            </>
          )}
        </li>
      ))}
    </ul>
  );
}

/** A plain value as a line; an entry of many values folded, with its size. */
function Value({ value }: { value: unknown }) {
  const words = valueWords(value);
  if (words === "{}") return <Line sign="+" word="with">present</Line>;
  if (typeof value !== "object" || words.length < 60) return <Line sign="+" word="with">{words}</Line>;
  return (
    <details className="mono">
      <summary className="cursor-pointer"><span className="good font-bold">+</span> one whole entry</summary>
      <pre className="overflow-x-auto text-xs">{JSON.stringify(value, null, 1)}</pre>
    </details>
  );
}

function Line({ sign, word, children }: { sign: string; word: string; children: string }) {
  return (
    <span className="mono flex gap-1.5 [overflow-wrap:anywhere]">
      <span aria-hidden className={`shrink-0 font-bold ${sign === "+" ? "good" : "stop"}`}>{sign}</span>
      <span className="sr-only">{word}: </span>
      <span className={sign === "+" ? "" : "line-through decoration-1"}>{children}</span>
    </span>
  );
}
