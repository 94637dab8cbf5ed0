import { useSearchParams } from "react-router";

import { useMay } from "../ui/may";
import { Empty } from "../ui/States";
import { alongTabs, tabStop } from "../ui/tabs";
import { Accounts } from "./Accounts";
import { AuditTrail } from "./AuditTrail";

const TABS = [["accounts", "Accounts"], ["trail", "Audit trail"]] as const;

/** What administrators look after: who may do what, and who did what. */
export function AdministrationPage() {
  const may = useMay("administrator");
  const [params, setParams] = useSearchParams();
  const tab = params.get("tab") === "trail" ? "trail" : "accounts";
  if (!may) return <Empty title="This is for administrators. One of them can change your role." />;
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <div className="flex items-center gap-4">
        <h1 className="text-lg font-semibold">Administration</h1>
        <div role="tablist" onKeyDown={alongTabs} aria-label="Administration" className="flex gap-1">
          {TABS.map(([name, words]) => (
            <button key={name} type="button" role="tab" aria-selected={tab === name} tabIndex={tabStop(tab === name)} className={`btn btn-sm ${tab === name ? "btn-primary" : "btn-ghost"}`}
              onClick={() => setParams(name === "accounts" ? {} : { tab: name })}>{words}</button>
          ))}
        </div>
      </div>
      {tab === "accounts" ? <Accounts /> : <AuditTrail />}
    </div>
  );
}
