import { Command } from "cmdk";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { useCases, useNames, useSurveys } from "../api/queries";
import { useMay } from "./may";

interface Props {
  open: boolean;
  onClose: () => void;
  survey: string;
  onHelp: () => void;
  onTheme: () => void;
}

/** Goes to anything: a device, a case, a survey, a view; or asks, as in "gull > office". */
export function Palette({ open, onClose, survey, onHelp, onTheme }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    if (open) {
      dialog.current?.showModal();
      dialog.current?.querySelector("input")?.focus();
    } else dialog.current?.close();
  }, [open]);
  return (
    <dialog ref={dialog} className="modal modal-top" aria-label="Go to anything" onClose={onClose}>
      <div className="modal-box mx-auto mt-24 max-w-xl rounded-box p-0">
        {open ? <Body survey={survey} onClose={onClose} onHelp={onHelp} onTheme={onTheme} /> : null}
      </div>
    </dialog>
  );
}

const PAIR = /^\s*(\S+?)\s*(?:>|→|\sto\s|\s)\s*(\S+)\s*$/;
const ROW = "flex cursor-pointer items-center gap-3 rounded-field px-3 py-1.5 data-[selected=true]:bg-base-300";

function Body({ survey, onClose, onHelp, onTheme }: Omit<Props, "open">) {
  const number = Number(survey);
  const navigate = useNavigate();
  const names = useNames(number);
  const cases = useCases(number);
  const surveys = useSurveys();
  const may = useMay("administrator");
  const [text, setText] = useState("");
  const chosen = useRef(false);
  const go = (url: string) => {
    onClose();
    void navigate(url);
  };
  const pair = PAIR.exec(text);
  const askPair = () => go(`/s/${survey}/case?from=${encodeURIComponent(pair?.[1] ?? "")}&to=${encodeURIComponent(pair?.[2] ?? "")}`);
  return (
    <Command label="Go to anything" className="max-h-[60vh]"
      onKeyDownCapture={(event) => {
        if (event.key.startsWith("Arrow")) chosen.current = true;
        // A pair that was typed is a question, unless another row was chosen since.
        else if (event.key === "Enter" && pair && !chosen.current) {
          event.preventDefault();
          event.stopPropagation();
          askPair();
        }
      }}
    >
      <Command.Input autoFocus value={text} onValueChange={(next) => { setText(next); chosen.current = false; }}
        placeholder="A device, an address, a case, or: who > what" className="w-full border-b border-base-300 bg-transparent px-4 py-3 outline-none" />
      <Command.List className="max-h-[50vh] overflow-auto p-2">
        <Command.Empty className="soft p-4">Nothing is called like that.</Command.Empty>
        {pair?.[1] && pair[2] ? (
          <Command.Item forceMount value="ask" className={ROW} onSelect={askPair}>
            <b>Ask</b> why {pair[1]} cannot reach {pair[2]}
          </Command.Item>
        ) : null}
        <Command.Group heading="Views" className="[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:opacity-70">
          {[["Cases", `/s/${survey}/cases`], ["Map", `/s/${survey}/map`], ["Neighbours", `/s/${survey}/neighbours`], ["Devices", `/s/${survey}/devices`], ["Findings", `/s/${survey}/findings`], ["Single failures", `/s/${survey}/failures`], ["Expectations", `/s/${survey}/expectations`], ["What was read", `/s/${survey}/reading`], ["Surveys", "/surveys"], ["Gather from live devices", "/gather"], ["Compare two surveys", "/surveys/compare"], ["Manual", "/manual"], ["Account", "/account"], ...(may ? [["Administration", "/administration"]] : [])].map(([name, url]) => (
            <Command.Item key={url} value={name} className={ROW} onSelect={() => go(url ?? "/")}>{name}</Command.Item>
          ))}
          <Command.Item value="Theme light dark" className={ROW} onSelect={() => { onTheme(); onClose(); }}>Change the theme</Command.Item>
          <Command.Item value="Shortcuts help" className={ROW} onSelect={() => { onClose(); onHelp(); }}>Shortcuts</Command.Item>
        </Command.Group>
        <Command.Group heading="Cases" className="[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:opacity-70">
          {(cases.data?.cases ?? []).map((item) => (
            <Command.Item key={item.id} value={`case ${item.id} ${item.complaint} ${item.sender} ${item.receiver}`} className={ROW} onSelect={() => go(`/s/${survey}/cases/${item.id}`)}>{item.complaint}</Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Devices" className="[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:opacity-70">
          {(names.data?.names ?? []).map((item) => (
            <Command.Item key={item.device} value={`device ${item.device} ${item.addresses.join(" ")}`} className={ROW} onSelect={() => go(`/s/${survey}/devices/${item.device}`)}>
              {item.device} <span className="mono soft ml-auto">{item.addresses[0]}</span>
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Surveys" className="[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:opacity-70">
          {(surveys.data?.surveys ?? []).map((item) => (
            <Command.Item key={item.id} value={`survey ${item.id} ${item.title}`} className={ROW} onSelect={() => go(`/s/${item.id}/cases`)}>{item.title}</Command.Item>
          ))}
        </Command.Group>
      </Command.List>
    </Command>
  );
}
