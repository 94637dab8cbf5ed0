import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";

import { ask, client, done, uploadSurvey, type Shapes, type Upload } from "../api/client";
import { useNetworks, useSurveys } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { useMay } from "../ui/may";
import { Removal } from "../ui/Removal";
import { Failed, Working } from "../ui/States";
import { many, when } from "../ui/words";
import { fromDrop, fromInput } from "./files";

type Survey = Shapes["SurveyShape"];

/** All surveys, and the place where a new one comes in. */
export function SurveysPage() {
  const surveys = useSurveys();
  const navigate = useNavigate();
  const mayStore = useMay("engineer");
  const mayDelete = useMay("administrator");
  const [going, setGoing] = useState<Survey | null>(null);
  const queries = useQueryClient();
  const pin = useMutation({
    mutationFn: (row: Survey) => ask(client.PATCH("/api/surveys/{survey}", { params: { path: { survey: row.id } }, body: { pinned: !row.pinned } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["surveys"] }),
  });
  const columns = useMemo<Column<Survey>[]>(
    () => [
      {
        head: "survey", value: (row) => row.title, width: "2fr",
        show: (row) => <><Link className="font-semibold hover:underline" to={`/s/${row.id}/cases`}>{row.title}</Link><span className="soft block">number {row.id}, of {row.network}{row.stored_by ? `, stored by ${row.stored_by}` : ""}</span></>,
      },
      { head: "taken", value: (row) => row.taken_at ?? "", width: "1.5fr", show: (row) => when(row.taken_at) },
      { head: "devices", value: (row) => row.devices, width: "7.5rem", show: (row) => <>{row.devices}{row.unread ? <span className="soft">, {row.unread} not read</span> : null}</> },
      {
        head: "reading", value: (row) => row.open_lines, width: "1.2fr",
        show: (row) => <Link className="underline decoration-dotted" to={`/s/${row.id}/reading`}>{many(row.files, "file")}, {row.open_lines ? <b className="stop">{many(row.open_lines, "line")} open</b> : "nothing open"}</Link>,
      },
      {
        head: "findings", value: (row) => row.findings.breaks, width: "1.2fr",
        show: (row) => <Link className="underline decoration-dotted" to={`/s/${row.id}/findings`}>{!row.counted ? "being computed" : row.findings.breaks ? <b className="stop">{row.findings.breaks} break something</b> : "nothing breaks"}</Link>,
      },
      { head: "cases", value: (row) => row.cases, width: "4.5rem", right: true },
      {
        head: "kept", value: (row) => (row.pinned ? "pinned" : ""), width: "6rem",
        show: (row) => <button type="button" className={`btn btn-xs ${row.pinned ? "btn-primary" : "btn-ghost"}`} aria-pressed={row.pinned} aria-label={`Pin ${row.title}`}
          title={row.pinned ? "It stays, whatever the plan says" : row.gathered ? "It goes when newer ones come, unless it is pinned" : "It was stored by hand and stays"}
          disabled={!mayStore} onClick={() => pin.mutate(row)}>{row.pinned ? "pinned" : "pin"}</button>,
      },
      ...(mayDelete ? [{
        head: "away", value: () => "", width: "5.2rem",
        show: (row: Survey) => <button type="button" className="btn btn-ghost btn-xs" aria-label={`Delete ${row.title}`} onClick={() => setGoing(row)}>delete</button>,
      }] : []),
    ],
    [pin, mayStore, mayDelete],
  );
  return (
    <div className="flex h-full min-h-0 flex-col gap-4 p-4">
      <div className="flex items-center gap-3">
        <h1 className="text-lg font-semibold">Surveys</h1>
        <Link className="btn btn-sm ml-auto" to="/gather">Gather from live devices</Link>
        {(surveys.data?.surveys.length ?? 0) > 1 ? <Link className="btn btn-sm" to="/surveys/compare">Compare two</Link> : null}
      </div>
      {mayStore ? <Drop onStored={(made) => void navigate(`/s/${made.id}/${made.open_lines || made.unread ? "reading" : "desk"}`)} /> : null}
      {going ? (
        <Removal title={`Delete ${going.title}`} onClose={() => setGoing(null)}
          look={() => ask(client.GET("/api/surveys/{survey}/deletion", { params: { path: { survey: going.id } } }))}
          remove={() => done(client.DELETE("/api/surveys/{survey}", { params: { path: { survey: going.id } } }))}
          onGone={() => { setGoing(null); queries.clear(); void queries.invalidateQueries(); }}
          says={wentWith} />
      ) : null}
      {surveys.isPending ? <Working what="Opening the list" /> : null}
      {surveys.error ? <Failed error={surveys.error} /> : null}
      {surveys.data ? (
        <div className="min-h-0 flex-1">
          <DataTable label="surveys" file="surveys" rows={surveys.data.surveys} columns={columns} rowKey={(row) => String(row.id)}
            empty="There is no survey yet. Drop the files of a network above." />
        </div>
      ) : null}
    </div>
  );
}

/** What goes with a survey, in sentences. */
export function wentWith(found: Shapes["SurveyDeletionShape"]): string[] {
  const out: string[] = [];
  const evidence = found.evidence ? `, with ${many(found.evidence, "pasted text")}` : "";
  if (found.cases) out.push(`${many(found.cases, "case")} about it ${found.cases === 1 ? "goes" : "go"} with it${evidence}.`);
  if (found.changes) out.push(`${many(found.changes, "kept change")} of it ${found.changes === 1 ? "goes" : "go"}, too.`);
  if (found.verified_elsewhere) out.push(`${many(found.verified_elsewhere, "case")} of other surveys ${found.verified_elsewhere === 1 ? "was" : "were"} verified on it, and will not show on which any more.`);
  if (found.changes_of_others) out.push(`${many(found.changes_of_others, "case")} of other surveys lose their change.`);
  if (found.network) out.push(`It is the last survey of ${found.network}: what was decided about that network goes${found.expectations ? ", and its expectations" : ""}.`);
  return out.length ? out : ["Nothing else hangs on it."];
}

/** When the newest of the files was written: the best guess at when they were taken. */
function newest(files: Upload[]): string {
  const latest = Math.max(0, ...files.map(({ file }) => file.lastModified));
  return latest ? new Date(latest).toISOString() : "";
}

function Drop({ onStored }: { onStored: (made: Survey) => void }) {
  const queries = useQueryClient();
  const [over, setOver] = useState(false);
  const [title, setTitle] = useState("");
  const [network, setNetwork] = useState("");
  const [taken, setTaken] = useState("");
  const networks = useNetworks();
  const [share, setShare] = useState<number | null>(null);
  const [reading, setReading] = useState<Shapes["IncomingShape"] | null>(null);
  const stop = useMutation({
    mutationFn: (incoming: number) => done(client.DELETE("/api/surveys/incoming/{incoming}", { params: { path: { incoming } } })),
  });
  const [sending, setSending] = useState("");
  const [problem, setProblem] = useState("");
  const fileInput = useRef<HTMLInputElement>(null);
  const folderInput = useRef<HTMLInputElement>(null);

  const send = async (files: Upload[]) => {
    setProblem("");
    if (files.length === 0) {
      setProblem("There was no file in what you dropped.");
      return;
    }
    setSending(many(files.length, "file"));
    setShare(0);
    try {
      const said = { title: title.trim(), network: network.trim(), taken_at: taken ? new Date(taken).toISOString() : newest(files) };
      const made = await uploadSurvey(files, said, setShare, setReading);
      await queries.invalidateQueries({ queryKey: ["surveys"] });
      await queries.invalidateQueries({ queryKey: ["networks"] });
      onStored(made);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : "The upload failed.");
    } finally {
      setShare(null);
      setReading(null);
    }
  };

  return (
    <section
      aria-label="A new survey"
      className={`rounded-box border-2 border-dashed p-4 ${over ? "border-primary bg-base-100" : "border-base-300"}`}
      onDragOver={(event) => { event.preventDefault(); setOver(true); }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        void fromDrop(event.dataTransfer).then(send);
      }}
    >
      <div className="flex flex-wrap items-center gap-3">
        <p><b>Drop a folder, files or a .zip here</b> <span className="soft">configurations, YANG data, captures, the wiring</span></p>
        <label className="flex items-center gap-2">as <input className="input input-sm w-56" aria-label="Title" placeholder="title of the survey" maxLength={200} value={title} onChange={(event) => setTitle(event.target.value)} /></label>
        <label className="flex items-center gap-2">of the network
          <input className="input input-sm w-48" aria-label="Network" list="known-networks" placeholder="recognised by its devices" maxLength={200} value={network} onChange={(event) => setNetwork(event.target.value)} />
          <datalist id="known-networks">{(networks.data?.networks ?? []).map((item) => <option key={item.name} value={item.name} />)}</datalist>
        </label>
        <label className="flex items-center gap-2">taken <input type="datetime-local" className="input input-sm w-52" aria-label="When it was taken" value={taken} onChange={(event) => setTaken(event.target.value)} /></label>
        <button type="button" className="btn btn-sm" disabled={share !== null} onClick={() => fileInput.current?.click()}>Choose files</button>
        <button type="button" className="btn btn-sm" disabled={share !== null} onClick={() => folderInput.current?.click()}>Choose a folder</button>
        <input ref={fileInput} type="file" multiple hidden aria-label="Files of the survey" onChange={(event) => { void send(fromInput(event.target.files)); event.target.value = ""; }} />
        <input
          ref={(element) => { folderInput.current = element; element?.setAttribute("webkitdirectory", ""); }}
          type="file" multiple hidden aria-label="Folder of the survey"
          onChange={(event) => { void send(fromInput(event.target.files)); event.target.value = ""; }}
        />
      </div>
      {share !== null ? (
        <div className="flex items-center gap-3 pt-3" role="status">
          <span className="shrink-0">{reading?.of ? `Reading: ${reading.read} of ${many(reading.of, "file")}` : reading || share === 1 ? `Reading ${sending}` : `Sending ${sending}: ${Math.round(share * 100)} %`}</span>
          <progress className="progress progress-primary grow" value={reading?.of ? reading.read / reading.of : reading || share === 1 ? undefined : share} max={1} aria-label="Upload" />
          {reading ? <button type="button" className="btn btn-sm" disabled={stop.isPending} onClick={() => stop.mutate(reading.id)}>Stop reading</button> : null}
        </div>
      ) : null}
      {stop.error ? <p role="alert" className="stop pt-2 font-semibold">{stop.error.message}</p> : null}
      {problem ? <p role="alert" className="stop pt-2 font-semibold">{problem}</p> : null}
    </section>
  );
}
