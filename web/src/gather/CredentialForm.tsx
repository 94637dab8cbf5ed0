import { useState } from "react";

import { removeCredential, saveCredential, useChange, type Credential } from "../api/gathering";
import { Dialog } from "../ui/Dialog";

type Kind = "password" | "key" | "certificate" | "community" | "user";
const KINDS: [Kind, string][] = [
  ["password", "user and password"],
  ["key", "user and private key (SSH)"],
  ["certificate", "client certificate (gNMI)"],
  ["community", "community (SNMP v2c)"],
  ["user", "user with keys (SNMP v3)"],
];

function kindOf(held: Credential | null): Kind {
  if (held?.parts.includes("certificate")) return "certificate";
  if (held?.parts.includes("private_key")) return "key";
  if (held?.parts.includes("community")) return "community";
  return held?.parts.includes("auth_key") ? "user" : "password";
}

/** Enters a credential. What is stored can be replaced, and never shown again. */
export function CredentialForm({ credential, onClose }: { credential: Credential | null; onClose: () => void }) {
  const [kind, setKind] = useState<Kind>(kindOf(credential));
  const [name, setName] = useState(credential?.name ?? "");
  const [username, setUsername] = useState(credential?.username ?? "");
  const [secret, setSecret] = useState("");
  const [second, setSecond] = useState("");
  const save = useChange(saveCredential);
  const remove = useChange(removeCredential);
  const kept = credential ? "stays as it is" : "";
  const parts =
    kind === "password" ? { username, password: secret }
    : kind === "key" ? { username, private_key: secret }
    : kind === "certificate" ? { username, private_key: secret, certificate: second }
    : kind === "community" ? { community: secret }
    : { username, auth_key: secret, priv_key: second };
  return (
    <Dialog
      title={credential ? `Change ${credential.name}` : "Enter a credential"} open onClose={onClose} submit={credential ? "Save" : "Enter"}
      busy={save.isPending} error={save.error ?? remove.error}
      onSubmit={() => save.mutate({ id: credential?.id ?? null, body: { name, ...parts } }, { onSuccess: onClose })}
      extra={credential ? (
        <button type="button" className="btn btn-ghost stop" onClick={() => remove.mutate(credential.id, { onSuccess: onClose })}>Remove</button>
      ) : null}
    >
      <div className="grid grid-cols-2 gap-3">
        <label>Name<input className="input w-full" required maxLength={100} value={name} onChange={(e) => setName(e.target.value)} /></label>
        <label>What it is
          <select className="select w-full" value={kind} onChange={(e) => setKind(e.target.value as Kind)}>
            {KINDS.map(([key, word]) => <option key={key} value={key}>{word}</option>)}
          </select>
        </label>
        {kind !== "community" ? <label>User<input className="input w-full" autoComplete="off" maxLength={200} value={username} onChange={(e) => setUsername(e.target.value)} placeholder={kind === "certificate" ? "if it asks for one, too" : undefined} /></label> : null}
        {kind === "certificate" ? <label className="col-span-2">Certificate<textarea className="textarea mono w-full" rows={5} autoComplete="off" spellCheck={false} required={!credential} value={second} onChange={(e) => setSecond(e.target.value)} placeholder={kept || "-----BEGIN CERTIFICATE-----"} /></label> : null}
        {kind === "key" || kind === "certificate" ? (
          <label className="col-span-2">Private key<textarea className="textarea mono w-full" rows={6} autoComplete="off" spellCheck={false} value={secret} onChange={(e) => setSecret(e.target.value)} placeholder={kept} /></label>
        ) : (
          <label>{kind === "community" ? "Community" : kind === "user" ? "Authentication key" : "Password"}
            <input className="input w-full" type="password" autoComplete="new-password" value={secret} onChange={(e) => setSecret(e.target.value)} placeholder={kept} />
          </label>
        )}
        {kind === "user" ? <label>Privacy key<input className="input w-full" type="password" autoComplete="new-password" value={second} onChange={(e) => setSecond(e.target.value)} placeholder={credential ? kept : "none"} /></label> : null}
      </div>
      <p className="soft">It is encrypted under a key that is not in the database, and never shown again.</p>
    </Dialog>
  );
}
