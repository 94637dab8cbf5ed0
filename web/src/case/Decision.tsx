import { Fragment } from "react";
import { Link } from "react-router";

import type { Shapes } from "../api/client";
import { useDecision, type Question } from "../api/queries";
import { lookAt } from "../before/failures";
import { rewrittenEnd } from "./journey";
import { ManualLink } from "../manual/ManualLink";
import { EvidenceLink } from "../ui/EvidenceLink";
import { Failed, Working } from "../ui/States";
import { hopWords, protocolWords, VERDICT_WORDS } from "../ui/words";

const STATE = { wins: "is taken", shorter: "shorter", loses: "beaten", unusable: "not usable" } as const;

/** Every route of one router that covers the target, longest first; and what is missing. */
export function Decision({ survey, device, out, question, target, reason, verdict, crossing, filters, rewrites, rules = [] }: {
  survey: number; device: string; out: string | null; question: Question; target: string; reason: string | null; verdict?: keyof typeof VERDICT_WORDS | undefined; crossing?: Shapes["ActionShape"] | undefined; filters: Shapes["ActionShape"][]; rewrites: Shapes["ActionShape"][]; rules?: Shapes["AskedRuleShape"][] | undefined;
}) {
  const decision = useDecision(survey, device, target);
  return (
    <section aria-label="The decision" className="flex min-h-0 min-w-0 flex-col overflow-auto p-3">
      <h2 className="flex flex-wrap items-baseline gap-x-2 pb-1">
        <b>The decision at {device}</b> {target ? <span className="soft">for {target}</span> : null}
        {device ? (
          <span className="no-print ml-auto flex gap-1">
            {out ? <Link className="btn btn-ghost btn-xs" title={`What if ${device} ${out} fails?`} to={lookAt(survey, [{ device, interface: out }], question)}>Take {out} down</Link> : null}
            <Link className="btn btn-ghost btn-xs" title={`What if ${device} fails?`} to={lookAt(survey, [{ device, interface: null }], question)}>Take {device} down</Link>
          </span>
        ) : null}
      </h2>
      {target ? null : <p className="soft">There is no address to look for yet: the name comes first.</p>}
      {target && decision.isPending ? <Working what="Looking at its routes" /> : null}
      {decision.error ? <Failed error={decision.error} /> : null}
      {rewrites.length ? <Rewrites survey={survey} rewrites={rewrites} /> : null}
      {crossing ? <p className="pb-2"><b>Leads into {crossing.to ? `the routing instance ${crossing.to}` : "the main routing instance"}</b>{crossing.by ? <>: <EvidenceLink survey={survey} item={crossing.by} short={device} /></> : null}</p> : null}
      {rules.length ? <Rules survey={survey} device={device} rules={rules} /> : null}
      {verdict && verdict !== "delivered" ? <p className="pb-2">It ends here: <ManualLink page="verdicts" word={VERDICT_WORDS[verdict]} className="font-semibold underline decoration-dotted underline-offset-2" />.</p> : null}
      {decision.data ? <Body survey={survey} data={decision.data} reason={reason} /> : null}
      {filters.length ? <Filters survey={survey} filters={filters} /> : null}
    </section>
  );
}

/** What the device puts in place of the packet's ends, before and after it routes it. */
function Rewrites({ survey, rewrites }: { survey: number; rewrites: Shapes["ActionShape"][] }) {
  return (
    <ul className="pb-2" aria-label="Rewritten here">
      {rewrites.map((item, index) => (
        <li key={index}>
          <b>{item.what === "source" ? "Source" : "Destination"} rewritten:</b>{" "}
          <span className="mono">{rewrittenEnd(item, "from")}</span> becomes <span className="mono">{rewrittenEnd(item, "to")}</span>
          {item.entry ? <>, <EvidenceLink survey={survey} item={item.entry} /></> : <span className="soft">, because {item.what === "source" ? "the request was led elsewhere here" : "the request got another source here"}</span>}
        </li>
      ))}
    </ul>
  );
}

const ASKED = {
  taken: "decides", passes: "not about this packet", nothing: "no route there", suppressed: "passed over", onward: "leads on",
  skipped: "passed over", later: "not asked any more", unsure: "not certain", idle: "not carried out",
} as const;
const ENDS: Record<string, string> = { discard: "drops the packet", reject: "refuses the packet" };

/** The rules of the device in their order, and what each did with this packet. */
function Rules({ survey, device, rules }: { survey: number; device: string; rules: Shapes["AskedRuleShape"][] }) {
  const decided = rules.find((item) => item.state === "taken");
  return (
    <div className="pb-3">
      <h3 className="font-semibold">Its rules, in their order{decided ? <span className="soft font-normal">: {decided.called} decides</span> : null}</h3>
      <ol className="pt-1" aria-label="Rules">
        {rules.map((item, index) => (
          <li key={index} className={`border-t border-base-300 py-1 ${item.state === "unsure" ? "hatched" : ["passes", "later", "skipped", "idle"].includes(item.state) ? "soft" : ""}`}>
            <span className="flex items-baseline gap-x-2">
              <b>{item.called[0]?.toUpperCase()}{item.called.slice(1)}</b>
              <b className={`ml-auto whitespace-nowrap ${item.state === "taken" ? "good" : ""}`}>{ASKED[item.state]}</b>
            </span>
            <span className="block">
              {item.about[0]?.toUpperCase()}{item.about.slice(1)}: {item.special ? ENDS[item.special] : item.table ? (item.table === "main" ? "the main table" : `table ${item.table}`) : "nothing"}
              {item.prefix && item.state !== "passes" && !item.special ? <>, finds <span className="mono">{item.prefix}</span></> : null}.
              {" "}<EvidenceLink survey={survey} item={item.entry} short={device} />
            </span>
          </li>
        ))}
      </ol>
    </div>
  );
}

const RESULT = { permit: "lets it pass", drop: "drops it", reject: "refuses it", unknown: "not certain" } as const;

/** The filters that the packet meets at this device, in order, each with the entry that decided. */
function Filters({ survey, filters }: { survey: number; filters: Shapes["ActionShape"][] }) {
  return (
    <div className="mt-3">
      <h3 className="font-semibold">Filters it meets here</h3>
      <ol className="space-y-1 pt-1">
        {filters.map((filter, index) => (
          <li key={index} className="border-t border-base-300 pt-1">
            <b className={filter.result === "permit" ? "good" : filter.result === "unknown" ? "" : "stop"}>{RESULT[filter.result ?? "unknown"]}</b>
            {": "}{filter.says}
            {filter.entry ? <>, <EvidenceLink survey={survey} item={filter.entry} /></> : null}
          </li>
        ))}
      </ol>
    </div>
  );
}

function Body({ survey, data, reason }: { survey: number; data: Shapes["DecisionShape"]; reason: string | null }) {
  return (
    <>
      {reason ? <p className="pb-2 font-semibold">{reason}</p> : null}
      {data.ruled ? <h3 className="pb-1 font-semibold">Its main table</h3> : null}
      {data.uncertain ? <p className="hatched mb-2 rounded-field p-2"><b>Not certain.</b> {data.uncertain[0]?.toUpperCase()}{data.uncertain.slice(1)}.</p> : null}
      {data.candidates.length === 0 ? (
        <p className="hatched rounded-field p-2">No {data.uncertain || data.ruled ? "configured " : ""}route here covers {data.target}, not even a default.</p>
      ) : (
        <table className="w-full text-left">
          <thead className="soft">
            <tr><th scope="col" className="font-normal">prefix</th><th scope="col" className="font-normal">from</th><th scope="col" className="font-normal">next hop</th><th scope="col" className="font-normal">verdict</th></tr>
          </thead>
          <tbody>
            {data.candidates.map((item, index) => {
              const shade = item.state === "unusable" ? "hatched" : "";
              const long = item.route.next_hops.some((hop) => (hop.address?.length ?? 0) > 15);
              return (
                <Fragment key={index}>
                  <tr className={`border-t border-base-300 align-top ${shade}`}>
                    <td className={`mono py-1 pr-2 ${item.route.prefix.length > 18 ? "break-all" : "whitespace-nowrap"}`}>{item.route.prefix}</td>
                    <td className="py-1 pr-2">
                      {protocolWords(item.route)}
                      {item.route.distance > 1 && item.route.protocol === "static" ? <span className="soft">, distance {item.route.distance}</span> : null}
                      {item.route.because.slice(0, 3).map((evidence, i) => (
                        <span key={i} className="block text-xs"><EvidenceLink survey={survey} item={evidence} short={data.device} /></span>
                      ))}
                    </td>
                    <td className={`mono py-1 pr-2 ${long ? "break-all" : ""}`}>
                      {item.route.next_hops.map((hop, i) => <span key={i} className="block">{hopWords(hop)}</span>)}
                      {item.route.via.length ? <span className="soft block">by way of {item.route.via.join(", ")}</span> : null}
                    </td>
                    <td className="py-1 whitespace-nowrap">
                      <b className={item.state === "wins" ? "good" : item.state === "unusable" ? "stop" : "soft"}>{STATE[item.state]}</b>
                    </td>
                  </tr>
                  {item.state === "wins" ? null : (
                    <tr className={shade}><td colSpan={4} className="pb-1.5">{item.says}</td></tr>
                  )}
                </Fragment>
              );
            })}
          </tbody>
        </table>
      )}
      {data.missing ? (
        <div className="mt-3">
          <h3 className="font-semibold">Why not {data.missing.prefix}?</h3>
          <ol className="list-decimal space-y-1 pt-1 pl-5">
            {data.missing.chain.map((step, index) => (
              <li key={index} className={index === data.missing!.chain.length - 1 ? "font-semibold" : ""}>
                {step.says}{" "}
                {step.evidence.slice(0, 2).map((evidence, i) => <span key={i} className="font-normal"><EvidenceLink survey={survey} item={evidence} /> </span>)}
              </li>
            ))}
          </ol>
        </div>
      ) : null}
    </>
  );
}
