import { useState } from "react";
import { Link } from "react-router";

import type { Shapes } from "../api/client";
import { useNames, useOrder, type Change } from "../api/queries";
import { Failed, Working } from "../ui/States";
import { Underway } from "../ui/Underway";
import { many } from "../ui/words";
import { EditLines } from "./EditLines";

type Step = Shapes["OrderStepShape"];

/** In which order the steps of a change are made, so that nothing is cut meanwhile. */
export function OrderOfSteps({ survey, change }: { survey: number; change: Change }) {
  const [host, setHost] = useState("");
  const found = useOrder(survey, change, host, true);
  const names = useNames(survey);
  const data = found.data;
  return (
    <div className="max-w-5xl">
      <label className="flex flex-wrap items-center gap-2 pb-3">
        I make it from
        <select className="select select-sm w-56" aria-label="I make it from" value={host} onChange={(event) => setHost(event.target.value)}>
          <option value="">a place that needs no way</option>
          {(names.data?.names ?? []).map((item) => <option key={item.device} value={item.device}>{item.device}</option>)}
        </select>
        <span className="soft">Then no step cuts the way from there to a device that is still to be changed.</span>
      </label>
      {found.isPending ? <Working what="Rehearsing the states between the steps" /> : null}
      {found.error ? <Failed error={found.error} /> : null}
      {data?.state === "working" ? <Underway doing="Looking for an order" label="States rehearsed" state={data} /> : null}
      {data?.answer ? (
        <>
          <p className={`pb-2 font-semibold ${data.answer.safe ? "good" : "stop"}`} data-testid="order-says">{data.answer.says}</p>
          <ol className="space-y-2">
            {data.answer.steps.map((step, index) => <One key={index} survey={survey} step={step} number={index + 1} last={index + 1 === data.answer?.steps.length} />)}
          </ol>
          <p className="soft pt-2">{many(data.answer.tried, "state")} of the network {data.answer.tried === 1 ? "was" : "were"} rehearsed{data.answer.exact ? "; no order cuts less" : ""}. The way back at each step is the same list, the other way round.</p>
        </>
      ) : null}
    </div>
  );
}

function One({ survey, step, number, last }: { survey: number; step: Step; number: number; last: boolean }) {
  const bad = step.cuts > 0 || step.unsure > 0 || step.unreached.length > 0;
  const example = step.examples[0];
  return (
    <li data-testid="step" className={`grid grid-cols-[2rem_minmax(0,1fr)_minmax(13rem,18rem)] gap-3 rounded-box border bg-base-100 p-2 ${bad ? "border-base-content" : "border-base-300"}`}>
      <b className="text-right text-lg leading-tight">{number}</b>
      <div className="min-w-0"><b>{step.device}</b><EditLines edits={step.edits} /></div>
      <div>
        {step.cuts ? <p className="stop"><b>{many(step.cuts, "pair is", "pairs are")} cut</b> until the next step</p> : null}
        {step.unsure ? <p className="stop">of {many(step.unsure, "pair")} it is not known</p> : null}
        {step.unreached.length ? <p className="stop">out of reach: {step.unreached.join(", ")}</p> : null}
        {bad ? null : <p className="good">{last ? "done, nothing is cut" : "nothing is cut"}</p>}
        {example ? <p className="soft">for one <Link className="underline decoration-dotted" to={`/s/${survey}/case?from=${encodeURIComponent(example.from)}&to=${encodeURIComponent(example.to)}`}>{example.from} → {example.device}</Link></p> : null}
      </div>
    </li>
  );
}
