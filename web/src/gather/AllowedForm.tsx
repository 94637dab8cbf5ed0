import { useState } from "react";

import { allowNetwork, disallowNetwork, useChange, type AllowedNetwork } from "../api/gathering";
import { Dialog } from "../ui/Dialog";

/** Where live work may go: gathering, tests and probes reach no address outside these networks. */
export function AllowedForm({ allowed, onClose }: { allowed: AllowedNetwork[]; onClose: () => void }) {
  const [network, setNetwork] = useState("");
  const [note, setNote] = useState("");
  const add = useChange(allowNetwork);
  const drop = useChange(disallowNetwork);
  return (
    <Dialog title="Where Trochos may go" open onClose={onClose} submit="Allow it" busy={add.isPending} error={add.error ?? drop.error}
      onSubmit={() => add.mutate({ network, note }, { onSuccess: () => { setNetwork(""); setNote(""); } })}>
      <p className="soft">Devices are gathered, tested and probed within these networks only. Loopback and link-local addresses count only where an entry names them alone.</p>
      <ul className="space-y-1">
        {allowed.map((item) => (
          <li key={item.id} className="flex items-baseline gap-3">
            <span className="mono font-semibold">{item.network}</span>
            <span className="soft min-w-0 flex-1">{item.note}{item.entered_by ? `${item.note ? ", " : ""}${item.entered_by}` : ""}</span>
            <button type="button" className="btn btn-ghost btn-xs" aria-label={`Take ${item.network} out`} disabled={drop.isPending} onClick={() => drop.mutate(item.id)}>take out</button>
          </li>
        ))}
      </ul>
      <div className="grid grid-cols-[14rem_1fr] gap-3">
        <label>Network<input className="input mono w-full" required placeholder="192.0.2.0/24" value={network} onChange={(event) => setNetwork(event.target.value)} /></label>
        <label>What it is<input className="input w-full" maxLength={200} value={note} onChange={(event) => setNote(event.target.value)} /></label>
      </div>
    </Dialog>
  );
}
