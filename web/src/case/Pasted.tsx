import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type DragEvent } from "react";
import { Link } from "react-router";

import { ask, client, done, type Shapes } from "../api/client";
import { useEvidence } from "../api/queries";
import { many, when } from "../ui/words";
import { useMay } from "../ui/may";
import { What } from "./Probe";

type Text = Shapes["PastedShape"];
type Seen = Shapes["SeenShape"];

/** What somebody saw and mailed: pasted as it is, kept with the case, beside the journey. */
export function Pasted({ survey, number }: { survey: number; number: number }) {
  const held = useEvidence(number);
  const queries = useQueryClient();
  const may = useMay("engineer");
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [over, setOver] = useState(false);
  const keep = useMutation({
    mutationFn: (sent: { text: string; name: string }) =>
      ask(client.POST("/api/cases/{case}/evidence", { params: { path: { case: number } }, body: sent })),
    onSuccess: () => {
      setText("");
      setOpen(false);
      void queries.invalidateQueries({ queryKey: ["evidence", number] });
    },
  });
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) void file.text().then((read) => keep.mutate({ text: read, name: file.name }));
    else {
      const dropped = event.dataTransfer.getData("text");
      if (dropped) keep.mutate({ text: dropped, name: "" });
    }
  };
  const texts = held.data?.evidence ?? [];
  return (
    <section
      aria-label="What somebody saw" onDragOver={(event) => { event.preventDefault(); setOver(true); }} onDragLeave={() => setOver(false)} onDrop={drop}
      className={over ? "rounded-box outline-2 outline-primary outline-dashed" : ""}
    >
      <h2 className="flex items-center gap-2 pb-1">
        <b>What somebody saw</b>
        {open || !may ? null : <button type="button" className="btn btn-xs ml-auto" onClick={() => setOpen(true)}>Paste an output</button>}
      </h2>
      {!texts.length && !open ? <p className="soft">The output of ping, traceroute, tracepath or mtr, from a mail or a terminal: paste it, or drop the file here.</p> : null}
      {open ? (
        <form className="space-y-1.5" onSubmit={(event) => { event.preventDefault(); keep.mutate({ text, name: "" }); }}>
          <textarea autoFocus aria-label="The output, as it was printed" className="textarea mono w-full" rows={6} spellCheck={false} value={text} onChange={(event) => setText(event.target.value)} />
          <p className="flex gap-2">
            <button type="submit" className="btn btn-sm btn-primary" disabled={!text.trim() || keep.isPending}>Lay beside the journey</button>
            <button type="button" className="btn btn-sm btn-ghost" onClick={() => setOpen(false)}>Cancel</button>
          </p>
        </form>
      ) : null}
      {keep.error ? <p role="alert" className="stop font-semibold">{keep.error.message}</p> : null}
      {texts.map((item) => <One key={item.id} survey={survey} number={number} item={item} />)}
    </section>
  );
}

function One({ survey, number, item }: { survey: number; number: number; item: Text }) {
  const queries = useQueryClient();
  const [raw, setRaw] = useState(false);
  const drop = useMutation({
    mutationFn: () => done(client.DELETE("/api/cases/{case}/evidence/{evidence}", { params: { path: { case: number, evidence: item.id ?? 0 } } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["evidence", number] }),
  });
  return (
    <div className="border-t border-base-300 pt-1.5 pb-1" data-testid="pasted">
      {item.outputs.map((seen, index) => <Output key={index} survey={survey} seen={seen} />)}
      {item.unread.length ? <p className="soft">{many(item.unread.length, "line")} not understood: <span className="mono">{item.unread.slice(0, 3).map((line) => line.text).join(" · ")}</span></p> : null}
      <p className="soft flex items-center gap-2">
        {item.name || "pasted"} {item.by ? `by ${item.by}, ` : ""}{when(item.at)}
        <button type="button" className="btn btn-ghost btn-xs ml-auto" aria-expanded={raw} onClick={() => setRaw(!raw)}>{raw ? "Hide the text" : "The text"}</button>
        <button type="button" className="btn btn-ghost btn-xs" disabled={drop.isPending} onClick={() => drop.mutate()}>Take out</button>
      </p>
      {raw ? <pre tabIndex={0} className="mono max-h-60 overflow-auto rounded-box border border-base-300 bg-base-100 p-2">{item.text}</pre> : null}
    </div>
  );
}

function Output({ survey, seen }: { survey: number; seen: Seen }) {
  const elsewhere = seen.sender && seen.sender !== seen.device ? ` The text names ${seen.sender}.` : "";
  return (
    <div>
      <p className="soft">{seen.tool} from {seen.device} to <span className="mono">{seen.target}</span>{seen.reverse ? ", the way back" : ""}{seen.mtu ? `, at most ${seen.mtu} bytes` : ""}.{elsewhere}</p>
      <What seen={seen} when="" plain={seen.tool === "ping"} />
      {seen.fits ? <p>It fits <Link className="underline decoration-dotted" to={`/surveys/compare?old=${seen.fits.id}&new=${survey}`}>{seen.fits.title}</Link>: what turned between the two may be what differs.</p> : null}
    </div>
  );
}
