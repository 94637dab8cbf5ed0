import { Link } from "react-router";

import { ManualLink } from "../manual/ManualLink";
import { Breakable } from "../ui/Breakable";
import { endName, relationKey, relationName, type Relation } from "./relations";

/** A relation in little space: its state, and its gates from the first that fails. */
export function RelationGates({ survey, relation }: { survey: number; relation: Relation }) {
  const failing = relation.gates.filter((gate) => gate.holds === false);
  return (
    <section className="border-t border-base-300 pt-2" aria-label={`${relationName(relation)} between ${endName(relation.left)} and ${endName(relation.right)}`}>
      <h3>
        <Link className="underline decoration-dotted" to={`/s/${survey}/neighbours?pair=${encodeURIComponent(relationKey(relation))}`}>
          {relationName(relation)} neighbours
        </Link>{" "}
        <span className="soft">{relation.left.device} {relation.left.state}, {relation.right.device} {relation.right.state}</span>
      </h3>
      {relation.works ? <p className="soft">{relation.gates.some((gate) => gate.holds === null) ? "No gate fails, but not all are known." : "Every gate holds."}</p> : <table className="w-full table-fixed text-left">
        <thead className="soft">
          <tr>
            <th scope="col" className="w-[32%] font-normal">gate</th>
            <th scope="col" className="font-normal">{endName(relation.left)}</th>
            <th scope="col" className="font-normal">{endName(relation.right)}</th>
          </tr>
        </thead>
        <tbody>
          {failing.map((gate) => (
            <tr key={gate.gate} className="hatched border-t border-base-300 align-top">
              <th scope="row" className="stop py-1 pr-2 text-left">✕ <ManualLink page="gates" word={gate.gate} /></th>
              <td className="mono py-1 pr-2 break-words"><Breakable text={gate.left ?? "–"} /></td>
              <td className="mono py-1 break-words"><Breakable text={gate.right ?? "–"} /></td>
            </tr>
          ))}
        </tbody>
      </table>}
    </section>
  );
}
