import type { Shapes } from "../api/client";

type Edit = Shapes["EditShape"];

function valueWords(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

/** The last steps of a path say enough where the device stands beside it. */
function shortPath(path: string): string {
  const steps = path.split(/\/(?![^[]*\])/).filter(Boolean);
  return steps.slice(-2).join(" / ");
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
                {edit.path ? <span className="mono block" title={edit.path}>{shortPath(edit.path)}</span> : null}
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
      <pre className="overflow-x-auto text-[0.9em]">{JSON.stringify(value, null, 1)}</pre>
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
