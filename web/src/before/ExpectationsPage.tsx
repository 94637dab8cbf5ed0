import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";

import { ask, client, type Shapes } from "../api/client";
import { useExpectations, useSuggested } from "../api/queries";
import { Empty, Failed, Working } from "../ui/States";
import { Underway } from "../ui/Underway";
import { many, when } from "../ui/words";
import { useMay } from "../ui/may";

type Told = Shapes["ExpectationsShape"];
type Result = Shapes["ExpectationResultShape"];
type Mark = Shapes["HeldShape"];

/** What must, and must not, reach what: held against every survey of the network. */
export function ExpectationsPage() {
  const survey = Number(useParams().survey);
  const told = useExpectations(survey);
  const [writing, setWriting] = useState(false);
  const may = useMay("engineer");
  useEffect(() => {
    document.title = "Expectations – Trochos";
  }, []);
  const data = told.data;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 pt-4 pb-2">
        <h1 className="text-lg font-semibold">Expectations</h1>
        {data ? <span className="soft">of {data.network}{data.of === "survey" ? ", as this survey brought them" : data.changed_by ? `, last changed by ${data.changed_by}, ${when(data.changed_at)}` : ""}</span> : null}
        {data && !writing && may ? <button type="button" className="btn btn-sm ml-auto" onClick={() => setWriting(true)}>Edit the list</button> : null}
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 pb-6">
        {told.isPending ? <Working what="Opening the expectations" /> : null}
        {told.error ? <Failed error={told.error}><p>Edit the list to mend it.</p><button type="button" className="btn btn-sm" onClick={() => setWriting(true)}>Edit the list</button></Failed> : null}
        {writing ? <Editor survey={survey} text={data?.text ?? ""} begin={!data?.text.trim()} onDone={() => setWriting(false)} /> : null}
        {!writing && data && !data.text.trim() ? (
          <Empty title="Nothing is expected of this network yet.">
            <p>Say what must reach what, and what must not; every survey that comes in is then held against it.</p>
            <button type="button" className="btn btn-sm btn-primary mt-3" onClick={() => setWriting(true)}>Begin with what works now</button>
          </Empty>
        ) : null}
        {!writing && data?.state === "working" ? <Underway doing="Holding this survey against the list" label="Failures tried" state={{ id: data.id ?? 0, tried: data.tried, of: data.total, what: data.what }} /> : null}
        {!writing && data?.answer ? <Results survey={survey} told={data} results={data.answer.results} /> : null}
      </div>
    </div>
  );
}

function Results({ survey, told, results }: { survey: number; told: Told; results: Result[] }) {
  const failing = results.filter((item) => !item.holds);
  const marks = new Map(told.history.map((item) => [item.name, item.marks]));
  const sorted = [...failing, ...results.filter((item) => item.holds)];
  return (
    <>
      <p className="py-2" data-testid="expectations-say">
        {failing.length ? <b className="stop">{failing.length} of {results.length} do not hold</b> : <b className="good">All {results.length} hold</b>} in this survey.
      </p>
      <ul className="space-y-1.5">
        {sorted.map((item, index) => (
          <li key={`${item.name} ${index}`} data-testid="expectation" className={`grid grid-cols-[1.2rem_minmax(0,1fr)_auto] items-start gap-x-2 rounded-box border bg-base-100 p-2 ${item.holds ? "border-base-300" : "border-base-content"}`}>
            <span aria-hidden className={item.holds ? "good" : "stop"}>{item.holds ? "✓" : "✕"}</span>
            <div className="min-w-0">
              <p className={item.holds ? "" : "font-semibold"}>{item.name} <span className="sr-only">{item.holds ? "holds" : "does not hold"}</span></p>
              {item.holds ? null : <p className="stop">{item.reason}</p>}
              {item.holds ? null : (
                <p className="pt-1">
                  <Link className="btn btn-sm" to={`/s/${survey}/case?${caseOf(item)}`}>Look for the cause</Link>
                </p>
              )}
            </div>
            <Strip marks={marks.get(item.name) ?? []} here={survey} />
          </li>
        ))}
      </ul>
    </>
  );
}

function caseOf(item: Result): string {
  const query = new URLSearchParams({ from: item.from, to: item.to });
  const [protocol, port] = item.service.split("/");
  if (protocol && protocol !== "icmp") query.set("protocol", protocol);
  if (port) query.set("port", port);
  return query.toString();
}

/** One mark per survey of the network, the oldest first: held, did not, was not checked. */
function Strip({ marks, here }: { marks: Mark[]; here: number }) {
  return (
    <ol className="flex gap-0.5" aria-label="In the surveys of this network">
      {marks.map((mark) => {
        const word = mark.holds === null ? "not checked" : mark.holds ? "held" : "did not hold";
        return (
          <li key={mark.survey}>
            <Link
              to={`/s/${mark.survey}/expectations`} title={`${mark.title}, ${when(mark.taken_at)}: ${word}`} aria-label={`${mark.title}: ${word}`}
              className={`grid h-6 w-5 place-items-center rounded-field border text-xs ${mark.survey === here ? "border-base-content" : "border-base-300"} ${mark.holds === false ? "hatched stop font-bold" : mark.holds ? "good" : "soft"}`}
            >
              {mark.holds === null ? "·" : mark.holds ? "✓" : "✕"}
            </Link>
          </li>
        );
      })}
    </ol>
  );
}

function Editor({ survey, text, begin, onDone }: { survey: number; text: string; begin: boolean; onDone: () => void }) {
  const [now, setNow] = useState(text);
  const [asked, setAsked] = useState(begin);
  const suggested = useSuggested(survey, asked);
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: () => ask(client.PUT("/api/surveys/{survey}/expectations", { params: { path: { survey } }, body: { text: now } })),
    onSuccess: (told) => {
      queries.setQueryData(["expectations", survey], told);
      void queries.invalidateQueries({ queryKey: ["expectations"] });
      onDone();
    },
  });
  const proposal = suggested.data?.answer?.text;
  useEffect(() => {
    if (asked && proposal !== undefined) {
      setNow((before) => (before.trim() ? `${before.trimEnd()}\n${proposal}` : proposal));
      setAsked(false);
    }
  }, [asked, proposal]);
  const lines = Math.min(30, Math.max(12, now.split("\n").length + 1));
  return (
    <form className="space-y-2" onSubmit={(event) => { event.preventDefault(); keep.mutate(); }}>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(14rem,20rem)] gap-4">
        <textarea aria-label="The list of expectations" className="textarea mono w-full" spellCheck={false} rows={lines} value={now} onChange={(event) => setNow(event.target.value)} placeholder={EXAMPLE} />
        <aside className="space-y-2">
          <button type="button" className="btn btn-sm" disabled={asked} onClick={() => setAsked(true)}>{asked ? "Asking every pair of hosts" : "Add what works now"}</button>
          <p className="soft">Hosts that are treated alike become one line.</p>
          <h2 className="font-semibold">One entry</h2>
          <pre className="mono overflow-x-auto rounded-box border border-base-300 bg-base-100 p-2">{EXAMPLE}</pre>
          <p className="soft">Also: <span className="mono">must: not-work</span>, <span className="mono">over: [heron]</span>, <span className="mono">avoid: [tern]</span>, <span className="mono">paths: equal</span>, <span className="mono">survives: link</span> or <span className="mono">device</span>, <span className="mono">instance:</span>, lists in <span className="mono">from</span> and <span className="mono">to</span>.</p>
        </aside>
      </div>
      {keep.error ? <p role="alert" className="stop font-semibold">{keep.error.message}</p> : null}
      <p className="flex gap-2">
        <button type="submit" className="btn btn-sm btn-primary" disabled={keep.isPending}>Keep for the network</button>
        <button type="button" className="btn btn-sm btn-ghost" onClick={onDone}>Leave it as it was</button>
        <span className="soft self-center">{many(now.split("\n").filter((line) => /^- /.test(line)).length, "entry", "entries")}</span>
      </p>
    </form>
  );
}

const EXAMPLE = `- name: printers reach the bookings
  from: gate-printer
  to: booking-db
  service: tcp/5432
  survives: link`;
