import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";

import { ask, client, type Shapes } from "../api/client";
import { useNetworks, useReading, useSurveys } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { Failed, Working } from "../ui/States";
import { many, when } from "../ui/words";

type Report = Shapes["FileReportShape"];

type Node = Shapes["UndescribedShape"];
const ROLES = { lan: "a LAN", router: "a router", switch: "a switch", host: "a host" } as const;

/** Nodes that no folder describes: what they are taken for, and what a person says they are. */
function Nodes({ survey, nodes, expected }: { survey: number; nodes: Node[]; expected: string }) {
  const queries = useQueryClient();
  const [whole, setWhole] = useState(false);
  const say = useMutation({
    mutationFn: (body: Shapes["PatchedCorrectionRequestRequest"]) => ask(client.PATCH("/api/surveys/{survey}", { params: { path: { survey } }, body })),
    // Everything that was computed of the survey rests on what its nodes are.
    onSuccess: () => queries.invalidateQueries(),
  });
  const unread = nodes.filter((node) => node.role === "unread");
  if (!nodes.length) return null;
  // What is not known asks first; a LAN that is clearly one stands behind a button.
  const first = unread.length ? unread : nodes;
  const shown = whole ? [...unread, ...nodes.filter((node) => node.role === "lan")] : first.slice(0, 6);
  const rest = nodes.length - shown.length;
  return (
    <section aria-label="Device or LAN" className={`shrink-0 rounded-box border-l-4 bg-base-100 p-3 ${unread.length ? "border-warning" : "border-base-300"}`}>
      <h2 className="font-semibold">
        {unread.length ? `${many(unread.length, "device")} could not be read: what hangs on ${unread.length === 1 ? "it" : "them"} is not certain` : "Nodes of the wiring without a folder are taken for LANs"}
      </h2>
      <ul className="max-h-48 overflow-auto pt-1">
        {shown.map((node) => (
          <li key={node.name} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-0.5">
            <b>{node.name}</b>
            <span>{node.role === "unread" ? "a device that was not read" : "a LAN"}</span>
            <span className="soft min-w-0 flex-1">{node.why} {node.ends.length ? `It meets ${node.ends.slice(0, 4).map((end) => `${end.device} ${end.interface}`).join(", ")}${node.ends.length > 4 ? ` and ${node.ends.length - 4} more` : ""}.` : ""}</span>
            <label className="flex items-center gap-1">it is
              <select className="select select-sm w-44" aria-label={`What ${node.name} is`} disabled={say.isPending} value={node.said ?? ""} onChange={(event) => say.mutate({ roles: { [node.name]: event.target.value as keyof typeof ROLES | "" } })}>
                <option value="">as recognised</option>
                {Object.entries(ROLES).map(([role, words]) => <option key={role} value={role}>{words}</option>)}
              </select>
            </label>
          </li>
        ))}
      </ul>
      {rest ? <button type="button" className="btn btn-ghost btn-xs" onClick={() => setWhole(true)}>{many(rest, "more node", "more nodes")} without a folder{unread.length && first.length <= 6 ? ", taken for LANs" : ""}</button> : null}
      {say.error ? <p role="alert" className="stop font-semibold">{say.error.message}</p> : null}
      {expected ? <p className="soft pt-1">What you say is kept with the network {expected}, for its next surveys too.</p> : null}
    </section>
  );
}

/** Title, network and time of a survey, to be corrected where they are wrong. */
function Correct({ survey, here, onDone }: { survey: number; here: Shapes["SurveyShape"]; onDone: () => void }) {
  const queries = useQueryClient();
  const networks = useNetworks();
  const [title, setTitle] = useState(here.title);
  const [network, setNetwork] = useState(here.network);
  const [taken, setTaken] = useState(here.taken_at ? here.taken_at.slice(0, 16) : "");
  const save = useMutation({
    mutationFn: () =>
      ask(client.PATCH("/api/surveys/{survey}", { params: { path: { survey } }, body: { title, network, taken_at: taken ? `${taken}:00Z` : null } })),
    onSuccess: () => { void queries.invalidateQueries(); onDone(); },
  });
  return (
    <form className="flex flex-wrap items-center gap-3" aria-label="Correct the survey" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      <label className="flex items-center gap-2">title <input required maxLength={200} className="input input-sm w-64" value={title} onChange={(event) => setTitle(event.target.value)} /></label>
      <label className="flex items-center gap-2">network <input required maxLength={200} list="networks" className="input input-sm w-56" value={network} onChange={(event) => setNetwork(event.target.value)} />
        <datalist id="networks">{(networks.data?.networks ?? []).map((item) => <option key={item.name} value={item.name} />)}</datalist>
      </label>
      <label className="flex items-center gap-2">taken (UTC) <input type="datetime-local" className="input input-sm w-52" value={taken} onChange={(event) => setTaken(event.target.value)} /></label>
      <button type="submit" className="btn btn-sm btn-primary" disabled={save.isPending}>Save</button>
      <button type="button" className="btn btn-sm" onClick={onDone}>Leave as it is</button>
      {save.error ? <p role="alert" className="stop font-semibold">{save.error.message}</p> : null}
    </form>
  );
}

/** What was read and what was not, file by file and line by line. */
export function ReadingPage() {
  const survey = Number(useParams().survey);
  const reading = useReading(survey);
  const surveys = useSurveys();
  const [correcting, setCorrecting] = useState(false);
  const here = surveys.data?.surveys.find((item) => item.id === survey);
  const reports = reading.data?.reading;
  const open = useMemo(
    () => (reports ?? []).flatMap((report) => report.unknown.filter((line) => line.matters).map((line) => ({ report, line }))),
    [reports],
  );
  const short = useMemo(() => (reports ?? []).flatMap((report) => (report.abbreviated ?? []).map((line) => ({ report, line }))), [reports]);
  const columns = useMemo<Column<Report>[]>(
    () => [
      {
        head: "device", value: (row) => row.device ?? "", width: "1fr",
        show: (row) => row.device ? <Link className="font-semibold hover:underline" to={`/s/${survey}/devices/${row.device}?file=${encodeURIComponent(row.file)}`}>{row.device}</Link> : <span className="soft">the survey</span>,
      },
      { head: "file", value: (row) => row.file, width: "1.2fr", mono: true },
      { head: "taken for", value: (row) => row.kind, width: "1.8fr", show: (row) => <>{row.kind}{row.note ? <span className="stop block">{row.note}</span> : null}</> },
      { head: "lines", value: (row) => row.lines, width: "6rem", right: true },
      { head: "understood", value: (row) => row.understood, width: "8rem", right: true },
      { head: "irrelevant", value: (row) => row.irrelevant, width: "7.5rem", right: true },
      { head: "not understood", value: (row) => row.unknown.length, width: "10rem", right: true, show: (row) => row.unknown.length ? <b className={row.unknown.some((l) => l.matters) ? "stop" : ""}>{row.unknown.length}</b> : "0" },
    ],
    [survey],
  );
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <header className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-lg font-semibold">What was read</h1>
        {here ? <span className="soft">{here.title}, of {here.network}, {when(here.taken_at)}, {many(here.devices, "device")}{here.unread ? `, ${here.unread} not read` : ""}</span> : null}
        {here && !correcting ? <button type="button" className="btn btn-ghost btn-xs" onClick={() => setCorrecting(true)}>Correct</button> : null}
        <span className="ml-auto flex gap-2">
          <Link className="btn btn-sm" to={`/s/${survey}/desk`}>Desk</Link>
          <Link className="btn btn-sm" to={`/s/${survey}/cases`}>Cases</Link>
          <Link className="btn btn-sm" to={`/s/${survey}/map`}>Map</Link>
        </span>
      </header>
      {here && correcting ? <Correct survey={survey} here={here} onDone={() => setCorrecting(false)} /> : null}
      {reading.isPending ? <Working what="Opening the reading report" /> : null}
      {reading.error ? <Failed error={reading.error} /> : null}
      {reports ? (
        <>
          <Nodes survey={survey} nodes={reading.data?.nodes ?? []} expected={here ? here.network : ""} />
          {open.length ? (
            <section aria-label="Lines that matter" className="max-h-56 shrink-0 overflow-auto rounded-box border-l-4 border-error bg-base-100 p-3">
              <h2 className="font-semibold">{many(open.length, "line was", "lines were")} not understood and could change an answer</h2>
              <ul className="pt-1">
                {open.slice(0, 200).map(({ report, line }) => (
                  <li key={`${report.device} ${report.file} ${line.line}`} className="py-0.5">
                    <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${report.device ?? ""}?file=${encodeURIComponent(report.file)}&line=${line.line}`}>{report.device} {report.file} line {line.line}</Link>{" "}
                    <span className="mono">{line.text}</span> {line.why ? <span className="soft">– {line.why}</span> : null}
                  </li>
                ))}
              </ul>
            </section>
          ) : (
            <p className="good font-semibold">Every line that could change an answer was understood.</p>
          )}
          {short.length ? (
            <details className="max-h-56 shrink-0 overflow-auto rounded-box border border-base-300 bg-base-100 p-3">
              <summary className="cursor-pointer font-semibold">{many(short.length, "line has", "lines have")} abbreviated keywords, and {short.length === 1 ? "was" : "were"} read in full</summary>
              <ul className="pt-1">
                {short.slice(0, 200).map(({ report, line }) => (
                  <li key={`${report.device} ${report.file} ${line.line}`} className="py-0.5">
                    <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${report.device ?? ""}?file=${encodeURIComponent(report.file)}&line=${line.line}`}>{report.device} {report.file} line {line.line}</Link>{" "}
                    <span className="mono">{line.text}</span> <span className="soft">read as</span> <span className="mono">{line.read_as}</span>
                  </li>
                ))}
              </ul>
            </details>
          ) : null}
          <div className="min-h-0 flex-1">
            <DataTable label="files" file={`survey-${survey}-reading`} rows={reports} columns={columns} rowKey={(row) => `${row.device} ${row.file}`} empty="The survey holds no files." />
          </div>
        </>
      ) : null}
    </div>
  );
}
