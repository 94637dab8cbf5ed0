import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { ask, client } from "../api/client";
import { useSession } from "../api/queries";
import { ROLES, useMay } from "../ui/may";
import { Tokens } from "./Tokens";

/** One's own account: what one may do, the password, tokens for automation. */
export function AccountPage() {
  const user = useSession().data?.user;
  const administers = useMay("administrator");
  const queries = useQueryClient();
  const leave = useMutation({
    mutationFn: () => ask(client.DELETE("/api/session")),
    onSuccess: () => {
      queries.clear();
      window.location.assign("/sign-in");
    },
  });
  if (!user) return null;
  return (
    <div className="h-full overflow-auto">
      <div className="max-w-3xl space-y-7 p-4">
        <header className="flex flex-wrap items-center gap-3">
          <h1 className="text-lg font-semibold">{user.name}</h1>
          <span className="ml-auto flex gap-2">
            {administers ? <Link className="btn btn-sm" to="/administration">Administration</Link> : null}
            <button type="button" className="btn btn-sm" onClick={() => leave.mutate()}>Sign out</button>
          </span>
          <p className="w-full"><b>{user.role}</b> <span className="soft">{ROLES.filter(([role]) => user.may.includes(role)).map(([, words]) => words).join("; ")}</span></p>
        </header>
        <Password had={user.has_password} />
        <Tokens />
      </div>
    </div>
  );
}

function Password({ had }: { had: boolean }) {
  const queries = useQueryClient();
  const [old, setOld] = useState("");
  const [password, setPassword] = useState("");
  const save = useMutation({
    mutationFn: () => ask(client.POST("/api/accounts/me/password", { body: had ? { password, old } : { password } })),
    onSuccess: () => {
      setPassword("");
      setOld("");
      void queries.invalidateQueries({ queryKey: ["session"] });
    },
  });
  return (
    <section aria-label="Password" className="space-y-2">
      <h2 className="font-semibold">Password</h2>
      <p className="soft">{had ? "Everybody who is signed in as you elsewhere is signed out by a new one." : "You came in by a link. With a password you can come back without one."}</p>
      <form className="flex flex-wrap items-end gap-3" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
        {had ? <label>Until now<input className="input block" type="password" autoComplete="current-password" required value={old} onChange={(event) => setOld(event.target.value)} /></label> : null}
        <label>New password<input className="input block" type="password" autoComplete="new-password" minLength={10} required value={password} onChange={(event) => setPassword(event.target.value)} /></label>
        <button className="btn btn-primary" disabled={save.isPending}>Set password</button>
        {save.isSuccess ? <p role="status" className="good w-full">The password is set.</p> : null}
        {save.error ? <p role="alert" className="stop w-full font-semibold">{save.error.message}</p> : null}
      </form>
    </section>
  );
}
