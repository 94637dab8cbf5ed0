import { useState } from "react";

import { importInventory, useChange } from "../api/gathering";
import { Dialog } from "../ui/Dialog";

const EXAMPLE = `- name: heron
  address: 10.64.255.1
  method: netconf
  credential: routers`;

/** Takes in an inventory file, the same that the command line takes. */
export function ImportForm({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const take = useChange(importInventory);
  return (
    <Dialog title="Take in an inventory" open onClose={onClose} submit="Take in" busy={take.isPending} error={take.error} wide
      onSubmit={() => take.mutate(text, { onSuccess: onClose })}>
      <label className="block">A list of devices as YAML. Devices of the same name are changed, others are added.
        <textarea className="textarea mono w-full" rows={12} required spellCheck={false} value={text} onChange={(e) => setText(e.target.value)} placeholder={EXAMPLE} />
      </label>
      <label className="btn btn-sm">Choose a file
        <input type="file" hidden accept=".yaml,.yml,.txt" onChange={(e) => { const file = e.target.files?.[0]; if (file) void file.text().then(setText); e.target.value = ""; }} />
      </label>
    </Dialog>
  );
}
