import { Link, useParams } from "react-router";

import { useFindings, useSourceAddresses, type Question } from "../api/queries";
import { Works, Severity } from "../ui/Badge";
import { EvidenceLink } from "../ui/EvidenceLink";
import { WORKS_WORDS } from "../ui/words";
import type { Path } from "./journey";
import { Pasted } from "./Pasted";
import { Probe } from "./Probe";
import { Rungs } from "./Rungs";
import { Since } from "./Since";
import { Sizes } from "./Sizes";
import { Suspects } from "./Suspects";

export function Aside({ survey, question, path, also, ids }: {
  survey: number; question: Question; path: Path; also: Path | null; ids: string[];
}) {
  const params = useParams<{ case: string }>();
  const findings = useFindings(survey);
  const sources = useSourceAddresses(survey, path.from.device, path.to.address, question);
  const touching = ids.flatMap((id) => findings.data?.findings.filter((item) => item.id === id) ?? []);
  const serious = touching.filter((finding) => finding.severity !== "notes");
  const shown = (serious.length ? serious : touching).slice(0, 6);
  const rows = sources.data?.sources ?? [];
  return (
    <aside aria-label="Beside the journey" className="min-h-0 space-y-4 overflow-auto border-l border-base-300 bg-base-100 p-3">
      {path.works === "no" || path.works === "partly" ? <Suspects survey={survey} question={question} /> : null}
      {path.works === "no" || path.works === "partly" ? <Since key={JSON.stringify(question)} survey={survey} question={question} /> : null}
      {path.works === "no" || path.works === "partly" ? null : <section aria-label="Found on the way">
        <h2 className="pb-1.5">
          <b>Found on the way</b>{" "}
          <span className="soft">{findings.data ? `${touching.length} of ${findings.data.findings.length}` : ""}</span>
        </h2>
        {findings.data && shown.length === 0 ? (
          <p className="soft">
            No line on this way is wrong.{" "}
            {path.works === "yes" ? "" : path.works === "unknown" ? "What is not computed may decide; see below." : "What is missing is a line that nobody wrote: the decision names the prefix, the source shows the place."}
          </p>
        ) : null}
        <ul className="space-y-2">
          {shown.map((finding) => (
            <li key={finding.id} className="rounded-box border border-base-300 p-2">
              <p><Severity severity={finding.severity} /> <b>{finding.summary}</b></p>
              <p className="soft pt-1">{finding.detail}</p>
              <p className="pt-1">
                {finding.evidence.slice(0, 3).map((item, index) => (
                  <span key={index}>{index ? ", " : ""}<EvidenceLink survey={survey} item={item} /></span>
                ))}
              </p>
            </li>
          ))}
        </ul>
        {touching.length > shown.length ? (
          <p className="pt-1"><Link className="underline" to={`/s/${survey}/findings`}>All findings</Link></p>
        ) : null}
      </section>}
      {path.name ? (
        <section aria-label="The name">
          <h2 className="pb-1"><b>The name</b> <span className="mono">{path.name.asked}</span></h2>
          <p>
            {path.name.addresses.length ? <>stands for <span className="mono">{path.name.addresses.join(", ")}</span>, by {path.name.by}.</> : path.name.reason}{" "}
            {path.name.evidence.slice(0, 2).map((item, index) => (
              <span key={index}><EvidenceLink survey={survey} item={item} /> </span>
            ))}
          </p>
        </section>
      ) : null}
      <Rungs survey={survey} question={question} />
      <Probe survey={survey} question={question} device={path.from.device ?? ""} />
      {params.case ? <Pasted survey={survey} number={Number(params.case)} /> : null}
      {rows.length > 1 ? (
        <section aria-label="By source address">
          <h2 className="pb-1.5"><b>By source address</b> <span className="soft">of {path.from.device}</span></h2>
          <ul className="space-y-1">
            {rows.map((row) => (
              <li key={row.address} className="flex items-baseline gap-2" title={row.sentence}>
                <span className="mono">{row.address}</span>
                <span className="soft">{row.interface}{row.chosen ? ", its own choice" : ""}</span>
                <span className={`ml-auto font-semibold ${row.works === "yes" ? "good" : row.works === "unknown" ? "" : "stop"}`}>{WORKS_WORDS[row.works]}</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      {also ? (
        <section aria-label="The other address family">
          <h2 className="pb-1.5"><b>{also.family === "ipv4" ? "IPv4" : "IPv6"}</b> <span className="soft">{also.from.address} to {also.to.address}</span></h2>
          <p><Works state={also.works} text={WORKS_WORDS[also.works]} /></p>
          <p className="pt-1">{also.sentence}</p>
          <p className="pt-1">
            <Link className="underline" to={`/s/${survey}/case?from=${also.from.address ?? ""}&to=${also.to.address ?? ""}`}>Look at it</Link>
          </p>
        </section>
      ) : null}
      <Sizes path={path} />
      {path.caveats.length ? (
        <section aria-label="Not certain">
          <h2><b>Not certain</b></h2>
          <ul className="space-y-1">
            {path.caveats.map((item, index) => (
              <li key={index} className="hatched rounded-field p-1.5">
                <span className="mono">{item.text}</span>
                <span className="block"><EvidenceLink survey={survey} item={item} />: {item.why}.</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
    </aside>
  );
}
