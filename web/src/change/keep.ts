import { useMutation, useQueryClient } from "@tanstack/react-query";

import { ask, client } from "../api/client";
import type { Edit, Question } from "../api/queries";

export interface Kept {
  title: string;
  edits: Edit[];
  question: Partial<Question>;
}

/** Keeps a change on a survey, so that it has a place of its own. */
export function useKeep(survey: number, then: (proposal: number) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (kept: Kept) =>
      ask(client.POST("/api/surveys/{survey}/proposals", { params: { path: { survey } }, body: kept })),
    onSuccess: (made) => {
      queries.setQueryData(["proposal", made.id], made);
      then(made.id);
    },
  });
}
