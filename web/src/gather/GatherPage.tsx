import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import {
  cancelRun, gatherNow, isOpen, useChange, useInventory, useRun, useRuns, type Credential, type LiveDevice, type Part, type Run, type RunSummary,
} from "../api/gathering";
import { Failed, Working } from "../ui/States";
import { many, when } from "../ui/words";
import { AllowedForm } from "./AllowedForm";
import { CredentialForm } from "./CredentialForm";
import { DeviceForm } from "./DeviceForm";
import { DeviceTable } from "./DeviceTable";
import { ImportForm } from "./ImportForm";
import { PlanForm } from "./PlanForm";

type Open = { form: "device"; device: LiveDevice | null } | { form: "credential"; credential: Credential | null } | { form: "import" } | { form: "plan" } | { form: "allowed" } | null;

/** Live devices: which there are, whether they can be asked, and gathering from them. */
export function GatherPage() {
  const params = useParams();
  const navigate = useNavigate();
  const runs = useRuns();
  const newest = runs.data?.gatherings[0];
  const chosen = params.run ? Number(params.run) : isOpen(newest) ? (newest?.id ?? null) : null;
  const run = useRun(chosen);
  const open = isOpen(run.data);
  const inventory = useInventory(open);
  const queries = useQueryClient();
  const [form, setForm] = useState<Open>(null);
  const [group, setGroup] = useState("");
  const start = useChange(gatherNow);
  const parts = useMemo(() => new Map<string, Part>((open ? (run.data?.parts ?? []) : []).map((part) => [part.device, part])), [open, run.data]);
  const survey = run.data?.survey ?? null;
  useEffect(() => {
    // A run that ends brings a survey, and news of every device.
    if (run.data && !isOpen(run.data)) {
      for (const key of ["surveys", "inventory", "gatherings"]) void queries.invalidateQueries({ queryKey: [key] });
    }
  }, [run.data?.state, survey, queries, run.data]);

  if (inventory.isPending) return <Working heading="Live devices" what="Opening the inventory" />;
  if (inventory.error) return <Failed heading="Live devices" error={inventory.error} />;
  const { devices, credentials, plan, allowed, may_change: mayChange, may_work: mayWork } = inventory.data;
  const groups = [...new Set(devices.map((device) => device.group ?? "").filter(Boolean))].sort();
  const ready = devices.filter((device) => device.key || device.method === "snmp").length;

  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_17rem] gap-4 p-4">
      <div className="flex min-h-0 flex-col gap-3">
        <div className="flex flex-wrap items-center gap-2">
          <h1 className="mr-2 text-lg font-semibold">Live devices</h1>
          <button type="button" className="btn btn-primary btn-sm" disabled={!mayWork || start.isPending || devices.length === 0 || open} title={mayWork ? undefined : "This takes the role operator"}
            onClick={() => start.mutate(group ? { group } : {}, { onSuccess: (made) => void navigate(`/gather/${made.id}`) })}>
            Gather {group ? group : "all"} now
          </button>
          {groups.length ? (
            <select className="select select-sm w-36" aria-label="Group" value={group} onChange={(event) => setGroup(event.target.value)}>
              <option value="">all devices</option>
              {groups.map((item) => <option key={item}>{item}</option>)}
            </select>
          ) : null}
          <span className="soft">{ready < devices.length ? `${many(devices.length - ready, "device")} of ${devices.length} must show a key first: test, compare, trust` : ""}</span>
          {mayChange ? (
            <span className="ml-auto flex gap-2">
              <button type="button" className="btn btn-sm" onClick={() => setForm({ form: "device", device: null })}>Add a device</button>
              <button type="button" className="btn btn-sm" onClick={() => setForm({ form: "import" })}>Take in a file</button>
            </span>
          ) : null}
        </div>
        {start.error ? <p role="alert" className="stop font-semibold">{start.error.message}</p> : null}
        {run.data ? <RunPanel run={run.data} mayWork={mayWork} /> : null}
        <div className="min-h-0 flex-1">
          <DeviceTable devices={devices} parts={parts} mayChange={mayChange} mayWork={mayWork} onEdit={(device) => setForm({ form: "device", device })} />
        </div>
      </div>
      <aside className="flex min-h-0 flex-col gap-5 overflow-auto" aria-label="Plan, credentials and gatherings">
        <section aria-label="Plan">
          <h2 className="font-semibold">Plan</h2>
          <p>{plan.every_hours ? <>every {many(plan.every_hours, "hour")}, next {when(plan.next_at)}</> : "only by hand"}</p>
          <p className="soft">keeps {many(plan.keep, "survey")}; wiring {plan.has_drawing ? "as drawn" : "inferred"}</p>
          {mayWork ? <button type="button" className="btn btn-xs mt-1" onClick={() => setForm({ form: "plan" })}>Change the plan</button> : null}
        </section>
        <section aria-label="Credentials">
          <h2 className="font-semibold">Credentials</h2>
          <ul className="space-y-1">
            {credentials.map((item) => (
              <li key={item.id}>
                {mayChange ? <button type="button" className="underline decoration-dotted underline-offset-2" onClick={() => setForm({ form: "credential", credential: item })}>{item.name}</button> : item.name}
                <span className="soft">{item.username ? ` ${item.username},` : ""} {many(item.devices, "device")}</span>
              </li>
            ))}
            {credentials.length === 0 ? <li className="soft">none yet</li> : null}
          </ul>
          {mayChange ? <button type="button" className="btn btn-xs mt-1" onClick={() => setForm({ form: "credential", credential: null })}>Enter a credential</button> : null}
        </section>
        <section aria-label="Allowed networks">
          <h2 className="font-semibold">Where Trochos may go</h2>
          <ul className="space-y-0.5">
            {allowed.map((item) => <li key={item.id} className="mono" title={item.note}>{item.network}</li>)}
            {allowed.length === 0 ? <li className="stop">nowhere yet: enter the networks of your devices</li> : null}
          </ul>
          {mayChange ? <button type="button" className="btn btn-xs mt-1" onClick={() => setForm({ form: "allowed" })}>Change the networks</button> : null}
        </section>
        <section aria-label="Gatherings">
          <h2 className="font-semibold">Gatherings</h2>
          <ul className="space-y-1.5">
            {(runs.data?.gatherings ?? []).map((item) => <li key={item.id}><RunLine run={item} here={item.id === chosen} /></li>)}
            {runs.data?.gatherings.length === 0 ? <li className="soft">none yet</li> : null}
          </ul>
        </section>
      </aside>
      {form?.form === "device" ? <DeviceForm device={form.device} credentials={credentials} onClose={() => setForm(null)} /> : null}
      {form?.form === "credential" ? <CredentialForm credential={form.credential} onClose={() => setForm(null)} /> : null}
      {form?.form === "import" ? <ImportForm onClose={() => setForm(null)} /> : null}
      {form?.form === "allowed" ? <AllowedForm allowed={allowed} onClose={() => setForm(null)} /> : null}
      {form?.form === "plan" ? <PlanForm plan={plan} onClose={() => setForm(null)} /> : null}
    </div>
  );
}

function stateWords(run: RunSummary): string {
  if (run.state === "running") return `${run.over} of ${many(run.devices, "device")}`;
  if (run.state === "storing") return "reading what came";
  if (run.state === "cancelled") return "stopped";
  if (run.state === "failed") return "no survey";
  return run.failed ? `${run.devices - run.failed} of ${many(run.devices, "device")}` : many(run.devices, "device");
}

function RunLine({ run, here }: { run: RunSummary; here: boolean }) {
  return (
    <Link to={`/gather/${run.id}`} aria-current={here ? "page" : undefined} className={`block rounded-field px-2 py-0.5 hover:bg-base-100 ${here ? "bg-base-100" : ""}`}>
      {when(run.started_at)}
      <span className={`block ${run.failed || run.state === "failed" ? "stop" : "soft"}`}>{stateWords(run)}{run.started_by ? <span className="soft">, {run.started_by}</span> : <span className="soft">, by plan</span>}</span>
    </Link>
  );
}

function RunPanel({ run, mayWork }: { run: Run; mayWork: boolean }) {
  const cancel = useChange(cancelRun);
  const failed = run.parts.filter((part) => !["done", "partly", "waiting", "running", "cancelled"].includes(part.state));
  if (isOpen(run)) {
    return (
      <section aria-label="The gathering under way" className="rounded-box border border-base-300 bg-base-100 p-3">
        <div className="flex items-center gap-3" role="status">
          <b>{run.state === "storing" ? "Reading what came" : `Gathering: ${run.over} of ${run.devices}`}</b>
          <progress className="progress progress-primary flex-1" value={run.state === "storing" ? undefined : run.over} max={run.devices} aria-label="Devices gathered" />
          <button type="button" className="btn btn-xs" disabled={cancel.isPending || !mayWork} onClick={() => cancel.mutate(run.id)}>Stop</button>
        </div>
        {failed.length ? <p className="stop pt-1">{many(failed.length, "device")} gave nothing so far: {failed.map((part) => part.device).slice(0, 8).join(", ")}{failed.length > 8 ? " and others" : ""}</p> : null}
      </section>
    );
  }
  const tone = run.state === "done" && !failed.length ? "border-success" : run.state === "cancelled" ? "border-base-300" : "border-error";
  return (
    <section aria-label="The gathering" className={`rounded-box border-l-4 bg-base-100 p-3 ${tone}`}>
      <p className="flex flex-wrap items-center gap-3">
        <b>{run.title}</b>
        <span>{run.state === "done" ? `${run.devices - run.failed} of ${many(run.devices, "device")} gathered` : stateWords(run)}. {run.state === "done" ? "" : run.says}</span>
        {run.survey ? <Link className="btn btn-primary btn-xs" to={`/s/${run.survey}/cases`}>Open the survey</Link> : null}
      </p>
      {failed.length ? (
        <ul className="max-h-28 overflow-auto pt-1">
          {failed.map((part) => <li key={part.device}><b className="stop">{part.device}</b> {part.says}</li>)}
        </ul>
      ) : null}
    </section>
  );
}
