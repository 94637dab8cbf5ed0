import type { Shapes } from "../api/client";

type Diff = Shapes["DiffShape"];

function Half({ number, text, changed, sign }: { number: number | null; text: string | null; changed: boolean; sign: string }) {
  return (
    <>
      <td className="soft w-10 pr-2 text-right align-top select-none">{number ?? ""}</td>
      <td className={`w-1/2 align-top [overflow-wrap:anywhere] whitespace-pre-wrap ${changed && text !== null ? "bg-[var(--mark)]" : ""}`}>
        {changed && text !== null ? <b aria-hidden className={sign === "+" ? "good" : "stop"}>{sign} </b> : null}
        {text ?? ""}
      </td>
    </>
  );
}

/** A text before and after, around what differs. */
export function SideBySide({ diff }: { diff: Diff }) {
  return (
    <section aria-label={`${diff.device} ${diff.file}, before and after`} className="pb-4">
      <h3 className="pb-1"><b>{diff.device}</b> <span className="soft">{diff.file}</span></h3>
      {diff.lines.length === 0 ? <p className="soft">Nothing differs.</p> : (
        <table className="mono w-full table-fixed border-collapse rounded-box border border-base-300 bg-base-100">
          <colgroup><col className="w-10" /><col /><col className="w-10" /><col /></colgroup>
          <thead className="soft">
            <tr><th colSpan={2} scope="colgroup" className="pl-2 text-left font-normal">now</th><th colSpan={2} scope="colgroup" className="text-left font-normal">with the change</th></tr>
          </thead>
          <tbody>
            {diff.lines.map((line, index) =>
              line.left === null && line.right === null ? (
                <tr key={index}><td colSpan={4} className="soft border-y border-base-300 text-center">…</td></tr>
              ) : (
                <tr key={index}>
                  <Half number={line.left} text={line.before} changed={!line.same} sign="−" />
                  <Half number={line.right} text={line.after} changed={!line.same} sign="+" />
                </tr>
              ),
            )}
          </tbody>
        </table>
      )}
    </section>
  );
}
