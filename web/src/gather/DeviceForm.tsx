import { useState } from "react";

import { removeDevice, saveDevice, useChange, type Credential, type LiveDevice } from "../api/gathering";
import { Dialog } from "../ui/Dialog";
import { METHODS } from "./outcomes";

interface Props {
  device: LiveDevice | null;
  credentials: Credential[];
  onClose: () => void;
}

/** Adds a device, or changes one. */
export function DeviceForm({ device, credentials, onClose }: Props) {
  const [name, setName] = useState(device?.name ?? "");
  const [address, setAddress] = useState(device?.address ?? "");
  const [method, setMethod] = useState<LiveDevice["method"]>(device?.method ?? "netconf");
  const [port, setPort] = useState(device ? String(device.port) : "");
  const [credential, setCredential] = useState(device?.credential ?? credentials[0]?.name ?? "");
  const [group, setGroup] = useState(device?.group ?? "");
  const save = useChange(saveDevice);
  const remove = useChange(removeDevice);
  const standard = METHODS.find(([key]) => key === method)?.[2];
  return (
    <Dialog
      title={device ? `Change ${device.name}` : "Add a device"} open onClose={onClose} submit={device ? "Save" : "Add"}
      busy={save.isPending} error={save.error ?? remove.error}
      onSubmit={() =>
        save.mutate(
          { id: device?.id ?? null, body: { name, address, method, port: port ? Number(port) : null, credential, group } },
          { onSuccess: onClose },
        )
      }
      extra={device ? (
        <button type="button" className="btn btn-ghost stop" onClick={() => remove.mutate(device.id, { onSuccess: onClose })}>Remove {device.name}</button>
      ) : null}
    >
      {credentials.length === 0 ? <p role="alert" className="stop font-semibold">Enter a credential first: a device needs one.</p> : null}
      <div className="grid grid-cols-2 gap-3">
        <label>Name, as in the survey<input className="input w-full" required maxLength={100} value={name} onChange={(e) => setName(e.target.value)} /></label>
        <label>Group<input className="input w-full" maxLength={100} value={group} onChange={(e) => setGroup(e.target.value)} placeholder="none" /></label>
        <label>Address<input className="input mono w-full" required maxLength={253} value={address} onChange={(e) => setAddress(e.target.value)} /></label>
        <label>Method
          <select className="select w-full" value={method} onChange={(e) => setMethod(e.target.value as LiveDevice["method"])}>
            {METHODS.map(([key, word]) => <option key={key} value={key}>{word}</option>)}
          </select>
        </label>
        <label>Port<input className="input mono w-full" type="number" min={1} max={65535} value={port} onChange={(e) => setPort(e.target.value)} placeholder={String(standard)} /></label>
        <label>Credential
          <select className="select w-full" required value={credential} onChange={(e) => setCredential(e.target.value)}>
            {credentials.map((item) => <option key={item.id}>{item.name}</option>)}
          </select>
        </label>
      </div>
      <p className="soft">{HINTS[method]}</p>
    </Dialog>
  );
}

const HINTS: Record<LiveDevice["method"], string> = {
  netconf: "Reads the running configuration, the interfaces' state and the routing tables. Nothing is written.",
  restconf: "Reads the same data over HTTPS. The device's certificate is trusted by you, like a host key.",
  gnmi: "Reads OpenConfig data over gRPC with TLS. The device's certificate is trusted by you, like a host key. Nothing is written.",
  ssh: "Runs a fixed list of commands that only read, on a Linux system or an open-source router.",
  snmp: "Walks the standard tables. They show what a device is, not its configuration, so some answers stay unknown.",
};
