import { useEffect, useMemo, useState, type ReactNode } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import type { Shapes } from "../api/client";
import { useCases, useNames, useProposal, useRehearsal, type Change, type Question } from "../api/queries";
import { Journey } from "../case/Journey";
import { firstSelection, type Path } from "../case/journey";
import { questionOf, queryOf } from "../case/question";
import { useStep } from "../case/steps";
import { downsOf } from "../before/failures";
import { standing } from "../ui/address";
import { Works } from "../ui/Badge";
import { DataTable } from "../ui/DataTable";
import { Empty, Failed, Working } from "../ui/States";
import { many, WORKS_WORDS } from "../ui/words";
import { useMay } from "../ui/may";
import { alongTabs, tabStop } from "../ui/tabs";
import { EditLines } from "./EditLines";
import { Editing } from "./Editing";
import { EffectPicture } from "./EffectPicture";
import { HandOver } from "./HandOver";
import { draftPlace, useKeep } from "./keep";
import { OrderOfSteps } from "./OrderOfSteps";
import { SideBySide } from "./SideBySide";

type Rehearsal = Shapes["RehearsalShape"];
const TABS = ["effect", "difference", "journey", "pairs", "order", "hand over", "edit"] as const;
type Tab = (typeof TABS)[number];

const NOTHING: Change = { edits: [], texts: [], question: {} };

/** A change: edited on the source, rehearsed on a copy, kept, handed over. */
export function ChangePage() {
  const params = useParams();
  const survey = Number(params.survey);
  const number = params.proposal ? Number(params.proposal) : null;
  const [query, setQuery] = useSearchParams();
  const proposal = useProposal(number);
  const place = draftPlace(survey, params.proposal, query.getAll("down"));
  const [own, setOwn] = useDraft(place);
  const asking = query.get("from") && query.get("to") ? queryOf(questionOf(query) as Question).toString() : "";
  const down = number === null ? new URLSearchParams(query.getAll("down").map((text) => ["down", text])).toString() : "";
  const kept = useMemo<Change>(() => {
    if (proposal.data) return { edits: proposal.data.edits, texts: [], question: proposal.data.question ?? {} };
    return { ...NOTHING, edits: downsOf(new URLSearchParams(down)), question: questionOf(new URLSearchParams(asking)) ?? {} };
  }, [proposal.data, asking, down]);
  const change = own ?? kept;
  const something = change.edits.length + change.texts.length > 0;
  const rehearsal = useRehearsal(survey, number === null || proposal.data ? change : null);
  const asked = query.get("show") as Tab | null;
  const tab: Tab = asked && TABS.includes(asked) ? asked : something ? "effect" : "edit";
  const show = (next: Tab) => {
    const changed = standing();
    changed.set("show", next);
    setQuery(changed, { replace: true });
  };
  useEffect(() => {
    document.title = `Change – Trochos`;
  }, []);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-base-300 px-4 py-2">
        <h1 className="text-[14px] font-semibold">
          {proposal.data && !own ? proposal.data.title : down && !own ? `If ${query.getAll("down").join(", ").replaceAll("~", " – ").replaceAll(":", " ")} fails` : something ? "A change of your own" : "Change"}
        </h1>
        {change.question.from ? (
          <Link className="soft underline" to={`/s/${survey}/case?${queryOf(change.question as Question).toString()}`}>
            for {change.question.from} → {change.question.to}
          </Link>
        ) : null}
        {down && !own ? <Link className="btn btn-sm" to={change.question.from ? `/s/${survey}/case?${queryOf(change.question as Question).toString()}` : `/s/${survey}/failures`}>Put it back</Link> : null}
        <span className="ml-auto flex items-center gap-2">
          {own && rehearsal.data ? <KeepOwn survey={survey} edits={rehearsal.data.edits} question={change.question} onKept={() => setOwn(null)} /> : null}
          {number !== null && !own ? <Attach survey={survey} proposal={number} question={change.question} /> : null}
        </span>
      </header>
      {number !== null && proposal.isPending ? <Working what="Opening the proposal" /> : null}
      {proposal.error ? <Failed error={proposal.error} /> : null}
      {rehearsal.data?.not_understood.length ? (
        <section aria-label="Lines that are not understood" className="border-b border-base-300 border-l-4 border-l-error bg-base-100 px-4 py-2">
          <p><b>{many(rehearsal.data.not_understood.length, "line of this change is", "lines of this change are")} not understood</b>, so what {rehearsal.data.not_understood.length === 1 ? "it does" : "they do"} is not known and nothing is handed over:</p>
          <ul>{rehearsal.data.not_understood.map((line) => <li key={`${line.device} ${line.file} ${line.line}`}>{line.device} {line.file}, line {line.line}: <span className="mono stop">{line.text}</span></li>)}</ul>
          <label className="flex items-center gap-2 pt-1">
            <input type="checkbox" className="checkbox checkbox-sm" checked={change.accept_unknown_lines ?? false} onChange={(event) => setOwn({ ...change, accept_unknown_lines: event.target.checked })} />
            I know what {rehearsal.data.not_understood.length === 1 ? "it does" : "they do"}, and take {rehearsal.data.not_understood.length === 1 ? "it" : "them"} on
          </label>
        </section>
      ) : null}
      {rehearsal.data ? <Summary data={rehearsal.data} survey={survey} /> : null}
      <div role="tablist" onKeyDown={alongTabs} aria-label="Parts of the change" className="flex gap-1 border-b border-base-300 px-4 pt-1.5">
        {TABS.filter((name) => something || name === "edit").map((name) => (
          <button
            key={name} type="button" role="tab" aria-selected={tab === name} tabIndex={tabStop(tab === name)} onClick={() => show(name)}
            className={`rounded-t-field border border-b-0 px-3 py-1 ${tab === name ? "border-base-300 bg-base-100 font-semibold" : "soft border-transparent"}`}
          >
            {name === "pairs" && rehearsal.data ? `pairs (${rehearsal.data.heals.count + rehearsal.data.breaks.count + rehearsal.data.moves.count})` : name}
          </button>
        ))}
      </div>
      <div className="min-h-0 flex-1 overflow-auto p-4">
        {rehearsal.error ? <Failed error={rehearsal.error}><p>Nothing was changed. Mend the edit below, or take it out.</p></Failed> : null}
        {something && rehearsal.isPending && !rehearsal.error ? <Working what="Computing the network with the change" /> : null}
        {tab === "edit" ? (
          <Editing survey={survey} change={change} texts={rehearsal.data?.texts ?? []} onChange={setOwn} />
        ) : rehearsal.data ? (
          <Part tab={tab} data={rehearsal.data} survey={survey} change={change} onOrder={() => show("order")} />
        ) : !something ? (
          <Empty title="Nothing is changed yet."><p>Edit a device's source, or take a link or a device down.</p></Empty>
        ) : null}
      </div>
    </div>
  );
}

/** What is edited and not kept yet, there again after a reload. */
function useDraft(place: string): [Change | null, (change: Change | null) => void] {
  const [held, setHeld] = useState<{ place: string; change: Change | null }>(() => ({ place, change: stored(place) }));
  if (held.place !== place) setHeld({ place, change: stored(place) });
  const set = (change: Change | null) => {
    try {
      if (change === null || change.edits.length + change.texts.length === 0) window.sessionStorage.removeItem(place);
      else window.sessionStorage.setItem(place, JSON.stringify(change));
    } catch {
      // A browser that keeps nothing still edits; only a reload loses it.
    }
    setHeld({ place, change });
  };
  return [held.place === place ? held.change : stored(place), set];
}

function stored(place: string): Change | null {
  try {
    const text = window.sessionStorage.getItem(place);
    return text ? (JSON.parse(text) as Change) : null;
  } catch {
    return null;
  }
}

function Part({ tab, data, survey, change, onOrder }: { tab: Exclude<Tab, "edit">; data: Rehearsal; survey: number; change: Change; onOrder: () => void }): ReactNode {
  if (tab === "effect") {
    return (
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(15rem,22rem)] gap-6">
        <EffectPicture cells={data.cells} />
        <div className="space-y-3">
          <section aria-label="The edits"><h2><b>The edits</b></h2><EditLines edits={data.edits} /></section>
          {data.along.length ? (
            <section aria-label="What goes along">
              <h2><b>What goes along</b> <span className="soft">{data.along.length}</span></h2>
              <ul tabIndex={0} aria-label="What the change takes along" className="max-h-56 overflow-auto">{data.along.slice(0, 200).map((item, index) => <li key={index}>{item.device}: {item.what} <span className="mono">{item.text}</span></li>)}</ul>
            </section>
          ) : null}
          <Relations title="Neighbours gained" items={data.neighbours.gained} />
          <Relations title="Neighbours lost" items={data.neighbours.lost} />
        </div>
      </div>
    );
  }
  if (tab === "difference") {
    return data.diffs.length ? data.diffs.map((diff) => <SideBySide key={`${diff.device} ${diff.file}`} diff={diff} />) : <p className="soft">A failure changes no text.</p>;
  }
  if (tab === "journey") return <Journeys data={data} />;
  if (tab === "order") return <OrderOfSteps survey={survey} change={change} />;
  if (tab === "hand over") return <Documents survey={survey} change={change} onOrder={onOrder} />;
  const rows = (["breaks", "heals", "moves", "gone"] as const).flatMap((state) => data[state].pairs.map((pair) => ({ state, ...pair })));
  const total = data.breaks.count + data.heals.count + data.moves.count + data.gone.count;
  return (
    <div className="flex h-full flex-col">
      {total > rows.length ? <p className="soft pb-1">The first {rows.length} of {total} pairs; the command line lists them all.</p> : null}
      <div className="min-h-0 flex-1">
        <DataTable
          label="pairs" file="pairs" rows={rows} rowKey={(row) => `${row.state} ${row.from} ${row.source} ${row.to}`}
          columns={[
            { head: "what happens", value: (row) => (row.state === "moves" ? "takes another way" : row.state), width: "10rem" },
            { head: "from", value: (row) => row.from, width: "1fr" },
            { head: "source", value: (row) => row.source, width: "1fr", mono: true },
            { head: "to", value: (row) => row.device, width: "1fr" },
            { head: "address", value: (row) => row.to, width: "1fr", mono: true },
          ]}
          empty={<>No pair heals, breaks or takes another way.</>}
        />
      </div>
    </div>
  );
}

/** The documents are made, and held against their modules, when somebody looks at them. */
function Documents({ survey, change, onOrder }: { survey: number; change: Change; onOrder: () => void }) {
  const asked = useRehearsal(survey, change, true);
  const may = useMay("engineer");
  if (!may) return <p>What is handed over to devices takes the role engineer; an administrator can give it to you.</p>;
  if (asked.error) return <Failed error={asked.error} />;
  if (!asked.data) return <Working what="Writing the change for each device and checking it" />;
  if (asked.data.not_understood.length && !change.accept_unknown_lines) {
    return <p className="stop font-semibold">Nothing is handed over while lines of the change are not understood: correct them, or take them on above.</p>;
  }
  return <HandOver survey={survey} parts={asked.data.handover} onOrder={onOrder} />;
}

function Relations({ title, items }: { title: string; items: Shapes["RelationRefShape"][] }) {
  if (!items.length) return null;
  const name = (side: Record<string, unknown>) => [side.device, side.interface ?? side.address].filter(Boolean).join(" ");
  return (
    <section aria-label={title}>
      <h2><b>{title}</b></h2>
      <ul>{items.map((item, index) => <li key={index}>{item.protocol.toUpperCase()}: {name(item.left)} and {name(item.right)}</li>)}</ul>
    </section>
  );
}

function Summary({ data, survey }: { data: Rehearsal; survey: number }) {
  const tiles: [number, string, string][] = [
    [data.heals.count, "pairs heal", data.heals.count ? "good" : ""],
    [data.breaks.count, "break", data.breaks.count ? "stop" : ""],
    [data.moves.count, "take another way", ""],
    ...(data.gone.count ? [[data.gone.count, "go with their own address", "stop"] as [number, string, string]] : []),
    ...(data.unsure ? [[data.unsure, "are not certain any more", "stop"] as [number, string, string]] : []),
    [data.routes_changed, "table entries change", ""],
    [data.neighbours.gained.length, "neighbours gained", ""],
    [data.neighbours.lost.length, "lost", data.neighbours.lost.length ? "stop" : ""],
  ];
  return (
    <section aria-label="What the change does" className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-base-300 px-4 py-2">
      {tiles.map(([count, word, colour]) => (
        <span key={word} className={colour}><b className="text-xl leading-none">{count}</b> {word}</span>
      ))}
      {data.after ? <Works state={data.after.works} text={`the complaint ${data.after.works !== "yes" ? WORKS_WORDS[data.after.works] : data.before?.works === "yes" ? "works as before" : "is healed"}`} /> : null}
      {data.cases.length ? (
        <span>
          {data.cases.map((item, index) => (
            <span key={item.id}>{index ? ", " : ""}<Link className="underline" title={item.complaint} to={`/s/${survey}/cases/${item.id}`}>case {item.id}</Link> {item.after === "yes" ? "is healed" : `then ${WORKS_WORDS[item.after as keyof typeof WORKS_WORDS]}`}</span>
          ))}
        </span>
      ) : null}
    </section>
  );
}

function Journeys({ data }: { data: Rehearsal }) {
  if (!data.before) return <p className="soft">This change is not for one complaint, so there is no journey to compare.</p>;
  return (
    <div className="space-y-4">
      <One title="Now" path={data.before as Path} />
      {data.after ? <One title="With the change" path={data.after as Path} /> : <p className="soft">With the change, one of the two ends is gone.</p>}
    </div>
  );
}

function One({ title, path }: { title: string; path: Path }) {
  const names = useNames(Number(useParams().survey));
  const roles = useMemo(() => new Map((names.data?.names ?? []).map((item) => [item.device, item.role])), [names.data]);
  const [selected, setSelected] = useState(() => firstSelection(path));
  return (
    <section aria-label={title} className="rounded-box border border-base-300 bg-base-100 p-3">
      <h2><b>{title}:</b> <span className={path.works === "yes" ? "good" : "stop"}>{path.sentence}</span></h2>
      <Journey path={path} roles={roles} selected={selected} onSelect={setSelected} />
    </section>
  );
}

function KeepOwn({ survey, edits, question, onKept }: { survey: number; edits: Shapes["EditShape"][]; question: Change["question"]; onKept: () => void }) {
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const may = useMay("engineer");
  const keep = useKeep(survey, (place) => {
    onKept();
    void navigate(place);
  });
  if (!may) return null;
  return (
    <form className="flex items-center gap-2" onSubmit={(event) => { event.preventDefault(); keep.mutate({ title, edits, question }); }}>
      {keep.error ? <span role="alert" className="stop">{keep.error.message}</span> : null}
      <input className="input input-sm w-64" required maxLength={300} aria-label="What the change is called" placeholder="What the change does" value={title} onChange={(event) => setTitle(event.target.value)} />
      <button type="submit" className="btn btn-sm btn-primary" disabled={keep.isPending}>Keep as proposal</button>
    </form>
  );
}

/** Attaches a proposal to a case of the survey: to the one it is for, or to another. */
function Attach({ survey, proposal, question }: { survey: number; proposal: number; question: Change["question"] }) {
  const cases = useCases(survey);
  const navigate = useNavigate();
  const open = (cases.data?.cases ?? []).filter((item) => !["verified", "closed-unverified"].includes(item.state));
  const same = open.find((item) => item.sender === question.from && item.receiver === question.to);
  const [chosen, setChosen] = useState<number | null>(null);
  const target = chosen ?? same?.id ?? null;
  const step = useStep(survey, () => void navigate(`/s/${survey}/cases/${target ?? ""}`));
  if (!open.length) return null;
  return (
    <span className="flex items-center gap-2">
      {step.error ? <span role="alert" className="stop">{step.error.message}</span> : null}
      <select className="select select-sm w-64" aria-label="Case" value={target ?? ""} onChange={(event) => setChosen(Number(event.target.value) || null)}>
        <option value="">Choose a case</option>
        {open.map((item) => <option key={item.id} value={item.id}>{item.id}: {item.complaint}</option>)}
      </select>
      <button type="button" className="btn btn-sm btn-primary" disabled={!target || step.isPending} onClick={() => target && step.mutate({ case: target, body: { step: "propose", proposal } })}>
        Propose for the case
      </button>
    </span>
  );
}
