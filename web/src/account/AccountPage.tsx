import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../api/client";
import { useSession } from "../api/queries";

/** One's own password, and for the owner the accounts of others. */
export function AccountPage() {
  const session = useSession();
  const user = session.data?.user;
  const queries = useQueryClient();
  const [password, setPassword] = useState("");
  const save = useMutation({
    mutationFn: () => ask(client.POST("/api/accounts/me/password", { body: { password } })),
    onSuccess: () => setPassword(""),
  });
  const leave = useMutation({
    mutationFn: () => ask(client.DELETE("/api/session")),
    onSuccess: () => {
      queries.clear();
      window.location.assign("/sign-in");
    },
  });
  return (
    <div className="max-w-2xl space-y-6 p-4">
      <h1 className="text-lg font-semibold">{user?.name}</h1>
      <form className="flex flex-wrap items-end gap-3" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
        <label>New password<input className="input block" type="password" autoComplete="new-password" minLength={10} required value={password} onChange={(event) => setPassword(event.target.value)} /></label>
        <button className="btn btn-primary" disabled={save.isPending}>Set password</button>
        <button type="button" className="btn" onClick={() => leave.mutate()}>Sign out</button>
        {save.isSuccess ? <p role="status" className="good w-full">The password is set.</p> : null}
        {save.error ? <p role="alert" className="stop w-full font-semibold">{save.error.message}</p> : null}
      </form>
      {user?.is_owner ? <Others /> : null}
    </div>
  );
}

function Others() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const accounts = useQuery({ queryKey: ["accounts"], queryFn: () => ask(client.GET("/api/accounts")) });
  const add = useMutation({
    mutationFn: () => ask(client.POST("/api/accounts", { body: { name } })),
    onSuccess: () => {
      setName("");
      void queries.invalidateQueries({ queryKey: ["accounts"] });
    },
  });
  return (
    <section aria-label="Accounts" className="space-y-3">
      <h2 className="font-semibold">Accounts</h2>
      <ul>{accounts.data?.accounts.map((item) => <li key={item.name}>{item.name}{item.is_owner ? <span className="soft"> owner</span> : null}</li>)}</ul>
      <form className="flex items-end gap-3" onSubmit={(event) => { event.preventDefault(); add.mutate(); }}>
        <label>Name of a colleague<input className="input block" required value={name} onChange={(event) => setName(event.target.value)} /></label>
        <button className="btn" disabled={add.isPending}>Add account</button>
      </form>
      {add.error ? <p role="alert" className="stop font-semibold">{add.error.message}</p> : null}
      {add.data?.link ? <p role="status">Hand this link to {add.data.name}; it signs in once, within a day:<br /><span className="mono break-all">{add.data.link}</span></p> : null}
    </section>
  );
}
