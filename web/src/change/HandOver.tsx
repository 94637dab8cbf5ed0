import { useState } from "react";

import { client, type Shapes } from "../api/client";
import { downloadText } from "../ui/download";

type Part = Shapes["HandOverShape"];

/** The change for each device, in order, to copy, to keep, and to take back. */
export function HandOver({ survey, parts, onOrder }: { survey: number; parts: Part[]; onOrder: () => void }) {
  // For the audit trail: who took which change out. What is copied does not wait for it.
  const told = (devices: string[], how: "copied" | "downloaded") =>
    void client.POST("/api/surveys/{survey}/hand-overs", { params: { path: { survey } }, body: { devices: [...new Set(devices)], how } });

  if (!parts.length) return <p className="soft">Nothing is configured by this change, so there is nothing to hand over.</p>;
  const all = parts
    .map((part, index) => `# ${index + 1}. ${part.device}, ${part.language}\n${part.unknown.map((line) => `# not understood, taken on by a person: ${line}\n`).join("")}${part.apply}\n\n# the way back on ${part.device}\n${part.back}\n`)
    .join("\n");
  return (
    <div className="space-y-4">
      <p className="flex items-center gap-2">
        <span>{new Set(parts.map((part) => part.device)).size > 1 ? <>Per device, as the edits were written. <button type="button" className="underline decoration-dotted" onClick={onOrder}>In which order nothing is cut</button></> : "On one device:"}{parts.some((part) => part.language === "gNMI Set") ? " Of NETCONF edit and gNMI Set one is enough, they say the same." : ""}</span>
        <button type="button" className="btn btn-sm" onClick={() => { downloadText(all, "change.txt"); told(parts.map((part) => part.device), "downloaded"); }}>Download all</button>
      </p>
      {parts.map((part, index) => (
        <section key={index} aria-label={`${part.device}, ${part.language}`}>
          <h3 className="pb-1"><b>{index + 1}. {part.device}</b> <span className="soft">{part.language}, {part.files.join(", ")}</span></h3>
          {part.unknown.length ? <p className="stop pb-1 font-semibold">Not understood here, and taken on by a person: <span className="mono font-normal">{part.unknown.join("; ")}</span></p> : null}
          {part.problem ? <p role="alert" className="stop pb-1 font-semibold">{part.problem}</p> : null}
          <div className={part.problem ? "hidden" : "grid grid-cols-2 gap-3"}>
            <Text title="the change" text={part.apply} name={`${part.device}-change`} onTaken={(how) => told([part.device], how)} />
            <Text title="the way back" text={part.back} name={`${part.device}-back`} onTaken={(how) => told([part.device], how)} />
          </div>
        </section>
      ))}
    </div>
  );
}

function Text({ title, text, name, onTaken }: { title: string; text: string; name: string; onTaken: (how: "copied" | "downloaded") => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <div className="min-w-0">
      <p className="soft flex items-center gap-1">
        {title}
        <button
          type="button" className="btn btn-ghost btn-xs ml-auto"
          onClick={() => void navigator.clipboard.writeText(text).then(() => { setCopied(true); onTaken("copied"); })}
        >
          {copied ? "Copied" : "Copy"}
        </button>
        <button type="button" className="btn btn-ghost btn-xs" onClick={() => { downloadText(text, `${name}.txt`); onTaken("downloaded"); }}>Download</button>
      </p>
      <pre tabIndex={0} className="mono max-h-72 overflow-auto rounded-box border border-base-300 bg-base-100 p-2">{text}</pre>
    </div>
  );
}
