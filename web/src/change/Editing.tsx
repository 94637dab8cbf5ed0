import { useState } from "react";

import type { Shapes } from "../api/client";
import { useDevice, useDevices, useMap, useSource, type Change, type Edit } from "../api/queries";
import { Working } from "../ui/States";
import { EditLines } from "./EditLines";

type Text = Shapes["EditedTextShape"];

/** Editing: a device's own text, and what is taken down to see what happens. */
export function Editing({ survey, change, texts, onChange }: {
  survey: number; change: Change; texts: Text[]; onChange: (change: Change) => void;
}) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(16rem,24rem)] gap-6">
      <Source survey={survey} change={change} texts={texts} onChange={onChange} />
      <div className="space-y-5">
        <section aria-label="Edits so far">
          <h2 className="pb-1"><b>Edits so far</b></h2>
          {change.edits.length + change.texts.length === 0 ? <p className="soft">None.</p> : null}
          <ul className="space-y-2">
            {change.edits.map((edit, index) => (
              <li key={index}>
                <EditLines edits={[edit as Shapes["EditShape"]]} />
                <button type="button" className="btn btn-ghost btn-xs" onClick={() => onChange({ ...change, edits: change.edits.filter((_, n) => n !== index) })}>Take it out</button>
              </li>
            ))}
            {change.texts.map((text) => (
              <li key={`${text.device} ${text.file}`}>
                <p>{text.device} {text.file}, edited here</p>
                <button type="button" className="btn btn-ghost btn-xs" onClick={() => onChange({ ...change, texts: change.texts.filter((item) => item !== text) })}>Take it out</button>
              </li>
            ))}
          </ul>
        </section>
        <Failures survey={survey} onDown={(edit) => onChange({ ...change, edits: [...change.edits, edit] })} />
      </div>
    </div>
  );
}

function Source({ survey, change, texts, onChange }: {
  survey: number; change: Change; texts: Text[]; onChange: (change: Change) => void;
}) {
  const devices = useDevices(survey);
  const first = change.edits.find((edit) => edit.device)?.device ?? change.texts[0]?.device ?? "";
  const [chosen, setDevice] = useState<string | null>(null);
  const device = chosen ?? first;
  const page = useDevice(survey, device);
  const [picked, setPicked] = useState<string | null>(null);
  const file = picked ?? (device ? page.data?.main_file ?? null : null);
  const source = useSource(survey, device, device ? file : null);
  const changed = texts.find((item) => item.device === device && item.file === file)?.text;
  const base = changed ?? (source.data ? `${source.data.lines.join("\n")}\n` : "");
  const key = `${device} ${file ?? ""} ${base.length}`;
  return (
    <section aria-label="Source">
      <div className="flex flex-wrap items-end gap-2 pb-2">
        <label>Device
          <select aria-label="Device" className="select select-sm ml-2 w-44" value={device} onChange={(event) => { setDevice(event.target.value); setPicked(null); }}>
            <option value="">Choose one</option>
            {(devices.data?.devices ?? []).filter((item) => item.role !== "unread").map((item) => <option key={item.name}>{item.name}</option>)}
          </select>
        </label>
        {page.data && device ? (
          <label>File
            <select aria-label="File" className="select select-sm ml-2 w-48" value={file ?? ""} onChange={(event) => setPicked(event.target.value)}>
              {page.data.files.map((item) => <option key={item.file}>{item.file}</option>)}
            </select>
          </label>
        ) : null}
      </div>
      {device && file && source.isPending ? <Working what="Opening the text" /> : null}
      {source.data && file ? (
        <Box
          key={key} text={base} label={`Source of ${device}, ${file}`}
          onTake={(text) =>
            onChange({
              ...change,
              // What is edited as text replaces the edits that were listed for this file.
              edits: change.edits.filter((edit) => edit.device !== device || edit.file !== file),
              texts: [...change.texts.filter((item) => item.device !== device || item.file !== file), { device, file, text }],
            })
          }
        />
      ) : !device ? <p className="soft">Choose a device to edit its text. The text itself is never changed: a change is tried on a copy.</p> : null}
    </section>
  );
}

function Box({ text, label, onTake }: { text: string; label: string; onTake: (text: string) => void }) {
  const [draft, setDraft] = useState(text);
  return (
    <>
      <textarea
        className="mono h-[26rem] w-full rounded-box border border-base-300 bg-base-100 p-2" spellCheck={false}
        aria-label={label} value={draft} onChange={(event) => setDraft(event.target.value)}
      />
      <p className="flex gap-2 pt-1">
        <button type="button" className="btn btn-sm btn-neutral" disabled={draft === text} onClick={() => onTake(draft)}>Rehearse this text</button>
        <button type="button" className="btn btn-sm btn-ghost" disabled={draft === text} onClick={() => setDraft(text)}>Undo</button>
      </p>
    </>
  );
}

function Failures({ survey, onDown }: { survey: number; onDown: (edit: Edit) => void }) {
  const map = useMap(survey);
  const [device, setDevice] = useState("");
  const [link, setLink] = useState("");
  const links = (map.data?.links ?? []).filter((item) => item.ends.length === 2);
  return (
    <section aria-label="Take down" className="space-y-2">
      <h2><b>Take down</b> <span className="soft">to see what else moves or dies</span></h2>
      <p className="flex gap-2">
        <select className="select select-sm min-w-0 flex-1" aria-label="Link" value={link} onChange={(event) => setLink(event.target.value)}>
          <option value="">a link</option>
          {links.map((item, index) => (
            <option key={index} value={String(index)}>{item.ends.map((end) => `${end.device} ${end.interface}`).join(" – ")}</option>
          ))}
        </select>
        <button
          type="button" className="btn btn-sm" disabled={!link}
          onClick={() => {
            const ends = links[Number(link)]?.ends ?? [];
            onDown({ down: { link: ends.map((end) => ({ device: end.device, interface: end.interface })) } });
          }}
        >
          Down
        </button>
      </p>
      <p className="flex gap-2">
        <select className="select select-sm min-w-0 flex-1" aria-label="Device to take down" value={device} onChange={(event) => setDevice(event.target.value)}>
          <option value="">a device</option>
          {(map.data?.nodes ?? []).filter((item) => item.role !== "unread").map((item) => <option key={item.name}>{item.name}</option>)}
        </select>
        <button type="button" className="btn btn-sm" disabled={!device} onClick={() => onDown({ down: { device, interface: null } })}>Down</button>
      </p>
    </section>
  );
}
