import { useMutation, useQueryClient } from "@tanstack/react-query";

import { ask, client, type Shapes } from "../api/client";

export type Step = Shapes["StepRequestRequest"];

/** Takes a step in a case: confirm, name the cause, propose, verify, close, note. */
export function useStep(survey: number, then?: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (taken: { case: number; body: Step }) =>
      ask(client.POST("/api/cases/{case}/steps", { params: { path: { case: taken.case } }, body: taken.body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["cases", survey] });
      void queries.invalidateQueries({ queryKey: ["report"] });
      then?.();
    },
  });
}

export const STATE_WORDS: Record<Shapes["CaseShape"]["state"], string> = {
  reported: "reported",
  confirmed: "confirmed",
  "not-reproduced": "not reproduced",
  "cause-found": "cause found",
  "remedy-proposed": "remedy proposed",
  verified: "verified",
  "closed-unverified": "closed unverified",
};
