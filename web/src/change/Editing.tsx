import { Suspense, lazy, useMemo, useState } from "react";

import type { Shapes } from "../api/client";
import { useDevice, useDevices, useMap, useSource, type Change, type Edit } from "../api/queries";
import { Combobox } from "../ui/Combobox";
import { Working } from "../ui/States";
import { EditLines } from "./EditLines";

const TextEditor = lazy(() => import("./TextEditor"));

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
  const [typed, setTyped] = useState<string | null>(null);
  const [entered, setEntered] = useState<string | null>(null);
  const choices = useMemo(() => readable(devices.data?.devices ?? []), [devices.data]);
  const known = entered === null || choices.some((choice) => choice.value === entered);
  const device = entered === null ? first : known ? entered : "";
  const page = useDevice(survey, device);
  const [picked, setPicked] = useState<string | null>(null);
  const file = picked ?? (device ? page.data?.main_file ?? null : null);
  const source = useSource(survey, device, device ? file : null);
  const changed = texts.find((item) => item.device === device && item.file === file)?.text;
  const was = source.data ? `${source.data.lines.join("\n")}\n` : "";
  const base = changed ?? was;
  const key = `${device} ${file ?? ""} ${base.length}`;
  return (
    <section aria-label="Source">
      <div className="flex flex-wrap items-end gap-2 pb-2">
        <span className="inline-flex items-center gap-2">Device
          <Combobox
            label="Device" placeholder="name" choices={choices} value={typed ?? entered ?? first} width="12rem" onChange={setTyped}
            onCommit={(name) => {
              setTyped(null);
              if (name !== (entered ?? first)) { setEntered(name); setPicked(null); }
            }}
          />
        </span>
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
          key={key} was={was} text={base} label={`Source of ${device}, ${file}`}
          onTake={(text) =>
            onChange({
              ...change,
              // What is edited as text replaces the edits that were listed for this file.
              edits: change.edits.filter((edit) => edit.device !== device || edit.file !== file),
              texts: [...change.texts.filter((item) => item.device !== device || item.file !== file), { device, file, text }],
            })
          }
        />
      ) : !known && entered && devices.data ? (
        <p role="status">No device that was read is called {entered}. Choose one of the list.</p>
      ) : !device ? <p className="soft">Choose a device to edit its text. The text itself is never changed: a change is tried on a copy.</p> : null}
    </section>
  );
}

/** The devices that have a text, or can be taken down. */
function readable(all: { name: string; role: string }[]): { value: string; hint: string }[] {
  return all.filter((item) => item.role !== "unread").map((item) => ({ value: item.name, hint: item.role }));
}

function Box({ was, text, label, onTake }: { was: string; text: string; label: string; onTake: (text: string) => void }) {
  const [draft, setDraft] = useState(text);
  const [round, setRound] = useState(0);
  return (
    <>
      <div className="h-[calc(100vh-13rem)] min-h-[18rem]">
        <Suspense fallback={<Working what="Opening the editor" />}>
          <TextEditor key={round} was={was} text={text} label={label} onText={setDraft} />
        </Suspense>
      </div>
      <p className="flex gap-2 pt-1">
        <button type="button" className="btn btn-sm btn-neutral" disabled={draft === text} onClick={() => onTake(draft)}>Rehearse this text</button>
        <button type="button" className="btn btn-sm btn-ghost" disabled={draft === text} onClick={() => { setDraft(text); setRound(round + 1); }}>Undo</button>
      </p>
    </>
  );
}

function Failures({ survey, onDown }: { survey: number; onDown: (edit: Edit) => void }) {
  const map = useMap(survey);
  const [device, setDevice] = useState("");
  const [link, setLink] = useState("");
  const links = useMemo(
    () => new Map((map.data?.links ?? []).filter((item) => item.ends.length === 2).map((item) => [item.ends.map((end) => `${end.device} ${end.interface}`).join(" – "), item.ends])),
    [map.data],
  );
  const linkChoices = useMemo(() => [...links.keys()].map((value) => ({ value, hint: "" })), [links]);
  const devices = useMemo(() => readable(map.data?.nodes ?? []), [map.data]);
  const ends = links.get(link);
  return (
    <section aria-label="Take down" className="space-y-2">
      <h2><b>Take down</b> <span className="soft">to see what else moves or dies</span></h2>
      <p className="flex gap-2">
        <Combobox label="Link to take down" placeholder="a link" choices={linkChoices} value={link} width="100%" onChange={setLink} onCommit={setLink} />
        <button
          type="button" className="btn btn-sm" disabled={!ends}
          onClick={() => onDown({ down: { link: (ends ?? []).map((end) => ({ device: end.device, interface: end.interface })) } })}
        >
          Down
        </button>
      </p>
      <p className="flex gap-2">
        <Combobox label="Device to take down" placeholder="a device" choices={devices} value={device} width="100%" onChange={setDevice} onCommit={setDevice} />
        <button type="button" className="btn btn-sm" disabled={!devices.some((item) => item.value === device)} onClick={() => onDown({ down: { device, interface: null } })}>Down</button>
      </p>
    </section>
  );
}
