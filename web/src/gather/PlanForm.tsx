import { useState } from "react";

import { savePlan, useChange, type Plan } from "../api/gathering";
import { useSurveys } from "../api/queries";
import { Dialog } from "../ui/Dialog";

/** When devices are gathered by themselves, how many surveys stay, and whose wiring goes along. */
export function PlanForm({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const surveys = useSurveys();
  const [hours, setHours] = useState(plan.every_hours ? String(plan.every_hours) : "");
  const [keep, setKeep] = useState(String(plan.keep));
  const [drawing, setDrawing] = useState("same");
  const save = useChange(savePlan);
  return (
    <Dialog title="Plan" open onClose={onClose} submit="Save" busy={save.isPending} error={save.error}
      onSubmit={() =>
        save.mutate(
          {
            every_hours: hours ? Number(hours) : null,
            keep: Number(keep),
            ...(drawing === "same" ? {} : { drawing_of: drawing === "none" ? null : Number(drawing) }),
          },
          { onSuccess: onClose },
        )
      }>
      <label className="block">Gather every<span className="flex items-center gap-2"><input className="input w-28" type="number" min={1} max={744} value={hours} onChange={(e) => setHours(e.target.value)} placeholder="never" />hours</span></label>
      <label className="block">Keep the newest<span className="flex items-center gap-2"><input className="input w-28" type="number" required min={1} max={10000} value={keep} onChange={(e) => setKeep(e.target.value)} />gathered surveys; pinned ones and those with cases always stay</span></label>
      <label className="block">Wiring
        <select className="select w-full" value={drawing} onChange={(e) => setDrawing(e.target.value)}>
          <option value="same">{plan.has_drawing ? "as it is" : "none: inferred from LLDP and shared subnets"}</option>
          {plan.has_drawing ? <option value="none">none: inferred from LLDP and shared subnets</option> : null}
          {(surveys.data?.surveys ?? []).map((item) => <option key={item.id} value={item.id}>as drawn in {item.title}</option>)}
        </select>
      </label>
    </Dialog>
  );
}
