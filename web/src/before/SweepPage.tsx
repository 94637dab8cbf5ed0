import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { useSweep, type Failing } from "../api/queries";
import { Empty, Failed, Working } from "../ui/States";
import { Underway } from "../ui/Underway";
import { many } from "../ui/words";
import { endsOf, isDevice, lookAt, nameOf, ranked, type Failure } from "./failures";

const CHOICES: [Failing, string][] = [["both", "links and devices"], ["links", "links"], ["devices", "devices"]];
const SHOWN = 40;

/** Every single failure: on what most hangs, and each one to be looked at before it happens. */
export function SweepPage() {
  const survey = Number(useParams().survey);
  const [query, setQuery] = useSearchParams();
  const asked = query.get("what") as Failing | null;
  const what: Failing = asked && CHOICES.some(([name]) => name === asked) ? asked : "both";
  const found = useSweep(survey, what, true);
  const [all, setAll] = useState(false);
  useEffect(() => {
    document.title = "Single failures – Trochos";
  }, []);
  const data = found.data;
  const answer = data?.answer;
  const listed = ranked(answer?.failures ?? []);
  const threads = listed.filter((item) => item.cuts || item.expectations.length);
  const rest = listed.length - threads.length;
  const most = Math.max(1, ...threads.map((item) => item.cuts));
  return (
    <div className="h-full overflow-auto px-4 pb-6">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 pt-4 pb-2">
        <h1 className="text-lg font-semibold">What if it fails?</h1>
        <div role="group" aria-label="What fails" className="join">
          {CHOICES.map(([name, words]) => (
            <button
              key={name} type="button" aria-pressed={what === name}
              className={`btn btn-sm join-item ${what === name ? "btn-neutral" : ""}`}
              onClick={() => setQuery(name === "both" ? {} : { what: name }, { replace: true })}
            >
              {words}
            </button>
          ))}
        </div>
      </header>
      {found.isPending ? <Working what="Taking the first one down" /> : null}
      {found.error ? <Failed error={found.error} /> : null}
      {data?.state === "working" ? <Underway doing="Taking one after the other down, on a copy" label="Failures tried" state={data} /> : null}
      {answer && answer.of === 0 ? <Empty title="There is nothing here that could fail alone."><p>No link has two known ends, and no device passes anything on.</p></Empty> : null}
      {answer && answer.of > 0 ? (
        <>
          <p className="py-2" data-testid="sweep-says">
            {threads.length ? (
              <><b className="stop">{many(threads.length, "single failure")} of {answer.tried}{answer.tried < answer.of ? " tried" : ""}</b> {threads.length === 1 ? "cuts" : "cut"} something{rest ? `; the other ${rest} cut${rest === 1 ? "s" : ""} nothing.` : "."}</>
            ) : <b className={answer.tried < answer.of ? "" : "good"}>No single failure of {answer.tried}{answer.tried < answer.of ? " tried" : ""} cuts anything.</b>}
            {" "}<span className="soft">{answer.baseline.ok} of {answer.baseline.pairs} pairs work now{answer.tried < answer.of ? `; ${answer.of - answer.tried} more ${data?.state === "working" ? "are to be tried" : "were not tried"}` : ""}.</span>
          </p>
          <ol className="space-y-1.5">
            {threads.slice(0, all ? undefined : SHOWN).map((item) => <Row key={nameOf(item)} survey={survey} failure={item} most={most} />)}
          </ol>
          {threads.length > SHOWN && !all ? <button type="button" className="btn btn-sm mt-2" onClick={() => setAll(true)}>Show all {threads.length}</button> : null}
          {rest ? <Harmless failures={listed.filter((item) => !item.cuts && !item.expectations.length)} survey={survey} /> : null}
        </>
      ) : null}
    </div>
  );
}

function Row({ survey, failure, most }: { survey: number; failure: Failure; most: number }) {
  const example = failure.examples[0];
  return (
    <li className="grid grid-cols-[5.5rem_minmax(0,1fr)_auto] items-center gap-x-3 rounded-box border border-base-300 bg-base-100 p-2" data-testid="failure">
      <div className="text-right" title={`${many(failure.cuts, "pair")} cut`}>
        <b className={failure.cuts ? "stop text-lg leading-none" : "text-lg leading-none"}>{failure.cuts}</b> <span className="soft">cut</span>
        <span aria-hidden className="mt-1 block h-1.5 rounded-full bg-base-300"><span className="block h-1.5 rounded-full bg-error" style={{ width: `${Math.max(2, (100 * failure.cuts) / most)}%` }} /></span>
      </div>
      <div className="min-w-0">
        <p><b>{nameOf(failure)}</b> <span className="soft">{isDevice(failure) ? "as a whole" : "down"}</span></p>
        <p className="soft">
          {failure.moves ? `${many(failure.moves, "pair takes", "pairs take")} another way. ` : ""}
          {failure.gone ? `${many(failure.gone, "pair goes", "pairs go")} with what failed. ` : ""}
          {example ? <>Cut, for one: {example.from} → {example.device}.</> : null}
        </p>
        {failure.expectations.length ? <p className="stop">Would not hold: {failure.expectations.join("; ")}.</p> : null}
      </div>
      <p className="flex gap-2">
        {example ? <Link className="btn btn-sm" to={`/s/${survey}/case?from=${encodeURIComponent(example.from)}&to=${encodeURIComponent(example.to)}`}>The way now</Link> : null}
        <Link className="btn btn-sm btn-neutral" to={look(survey, failure)}>Before and after</Link>
      </p>
    </li>
  );
}

/** Where a failure opens: the journey of its first pair before and after. */
function look(survey: number, failure: Failure): string {
  const example = failure.examples[0];
  return lookAt(survey, endsOf(failure), example ? { from: example.from, to: example.to, source: example.source } : {});
}

function Harmless({ failures, survey }: { failures: Failure[]; survey: number }) {
  const [open, setOpen] = useState(false);
  const moving = failures.filter((item) => item.moves).length;
  return (
    <section className="pt-4" aria-label="What cuts nothing">
      <button type="button" className="btn btn-ghost btn-sm" aria-expanded={open} onClick={() => setOpen(!open)}>
        {many(failures.length, "failure cuts", "failures cut")} nothing; {moving ? `${moving} of them move something` : "none moves anything"}
      </button>
      {open ? (
        <ul className="columns-1 gap-6 pt-1 lg:columns-2">
          {failures.map((item) => <li key={nameOf(item)} className="break-inside-avoid"><Quiet survey={survey} failure={item} /></li>)}
        </ul>
      ) : null}
    </section>
  );
}

function Quiet({ survey, failure }: { survey: number; failure: Failure }) {
  return (
    <>
      <Link className="underline decoration-dotted" to={look(survey, failure)}>{nameOf(failure)}</Link>{" "}
      <span className="soft">{failure.moves ? `${failure.moves} move` : "nothing moves"}{failure.gone ? `, ${failure.gone} go with it` : ""}</span>
    </>
  );
}
