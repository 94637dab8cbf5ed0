import { Link } from "react-router";

import { useEnds, useNeighbours, type EndsQuestion } from "../api/queries";
import { ManualLink } from "../manual/ManualLink";
import { RelationGates } from "../neighbours/RelationGates";
import { relationKey } from "../neighbours/relations";
import { Breakable } from "../ui/Breakable";
import { Failed, Working } from "../ui/States";
import { VERDICT_WORDS } from "../ui/words";
import { wrapOf, type Wrap } from "./journey";

/** The link to the next device, both ends gate by gate. */
export function Ends({ survey, device, question, nothing, wrap }: {
  survey: number; device: string; question: EndsQuestion | null; nothing: string; wrap: Wrap | null;
}) {
  const ends = useEnds(survey, question);
  const data = ends.data;
  const relations = (useNeighbours(survey).data?.pairs ?? []).filter((pair) => {
    const names = [pair.left.device, pair.right.device];
    // Between both ends everything; where the packet goes nowhere, what fails at this device.
    if (data?.right) return names.includes(data.left.device) && names.includes(data.right.device);
    return question === null && !pair.works && names.includes(device);
  });
  const name = (end: { device: string; interface: string }) => `${end.device} ${end.interface}`;
  return (
    <section aria-label="The ends" className="flex min-h-0 min-w-0 flex-col overflow-auto border-l border-base-300 p-3">
      <h2 className="pb-1">
        <b>The ends</b>{" "}
        <span className="soft">{data ? `${name(data.left)} – ${data.right ? name(data.right) : (data.lan ?? "nobody")}` : ""}</span>
      </h2>
      {wrap ? <Outer survey={survey} wrap={wrap} /> : null}
      {question === null ? <p className="soft">{nothing}</p> : null}
      {question !== null && ends.isPending ? <Working what="Comparing both ends" /> : null}
      {ends.error ? <Failed error={ends.error} /> : null}
      {data ? (
        <>
          <table className="w-full table-fixed text-left">
            <thead className="soft">
              <tr>
                <th scope="col" className="w-[32%] font-normal">gate</th>
                <th scope="col" className="font-normal">{name(data.left)}</th>
                <th scope="col" className="font-normal">{data.right ? name(data.right) : (data.lan ?? "far end")}</th>
              </tr>
            </thead>
            <tbody>
              {data.gates.map((gate) => {
                const bad = gate.holds === false;
                return (
                  <tr key={gate.gate} className={`border-t border-base-300 align-top ${bad ? "hatched" : ""}`}>
                    <th scope="row" className={`py-1 pr-2 text-left ${bad ? "stop" : "font-normal"}`}>
                      {bad ? "✕ " : gate.holds ? "✓ " : "? "}<ManualLink page="gates" word={gate.gate} />
                    </th>
                    <td className={`mono py-1 pr-2 break-words ${bad ? "font-bold" : ""}`}><Breakable text={gate.left ?? "–"} /></td>
                    <td className={`mono py-1 break-words ${bad ? "font-bold" : ""}`}><Breakable text={gate.right ?? "–"} /></td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          <p className="soft pt-2">
            {data.first_failing
              ? `The first gate that fails: ${data.first_failing}.`
              : data.gates.some((gate) => gate.holds === null) ? "No gate fails; what carries a question mark is not known." : "Every gate holds."}{" "}
            {data.lan ? `Both are on the LAN ${data.lan}. ` : ""}
            {data.wired ? `Linked because ${data.reason}.` : data.reason}
          </p>
          {data.others.length > 1 ? (
            <p className="pt-1">
              On this link:{" "}
              {data.others.map((end, index) => (
                <span key={name(end)}>
                  {index ? ", " : ""}
                  <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${end.device}`}>{name(end)}</Link>
                </span>
              ))}
            </p>
          ) : null}
        </>
      ) : null}
      {relations.map((relation) => <RelationGates key={relationKey(relation)} survey={survey} relation={relation} />)}
    </section>
  );
}

/** The outer packet's own journey, folded inside the inner one. */
function Outer({ survey, wrap }: { survey: number; wrap: Wrap }) {
  const branch = wrap.under?.branches[0];
  return (
    <details open className="mb-2 rounded-field border border-base-300 p-1.5">
      <summary className="cursor-pointer">
        <b>Wrapped in {wrap.mode === "gre" ? "GRE" : "IP in IP"}</b> <span className="mono">{wrap.local} → {wrap.remote}</span>
        {wrap.under ? <span className={wrap.under.verdict === "delivered" ? "good" : "stop"}>, outer packet {VERDICT_WORDS[wrap.under.verdict]}</span> : null}
      </summary>
      {branch ? (
        <ol className="pt-1">
          {branch.hops.map((hop, index) => {
            const inner = wrapOf(hop);
            return (
              <li key={index}>
                <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${hop.device}`}>{hop.device}</Link>{" "}
                <span className="soft">{hop.route ? hop.route.prefix : "no route"}{hop.out ? `, out of ${hop.out}` : ""}</span>
                {inner ? <Outer survey={survey} wrap={inner} /> : null}
              </li>
            );
          })}
        </ol>
      ) : null}
      {branch && branch.verdict !== "delivered" ? <p className="stop">{branch.reason}</p> : null}
    </details>
  );
}
