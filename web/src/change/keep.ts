import { useMutation, useQueryClient } from "@tanstack/react-query";

import { ask, client } from "../api/client";
import type { Edit, Question } from "../api/queries";
import { useMay } from "../ui/may";

export interface Kept {
  title: string;
  edits: Edit[];
  question: Partial<Question>;
}

/** Where a change that is not kept lies in the browser, by the page that shows it. */
export const draftPlace = (survey: number, proposal = "", downs: string[] = []) => `trochos-change ${survey} ${proposal}${downs.join(" ")}`;

/**
 * Keeps a change on a survey, so that it has a place of its own; `then` gets the place. Who may
 * only look has it in the browser alone, and can rehearse it all the same.
 */
export function useKeep(survey: number, then: (place: string) => void) {
  const queries = useQueryClient();
  const may = useMay("engineer");
  return useMutation({
    mutationFn: async (kept: Kept) => {
      if (may) return ask(client.POST("/api/surveys/{survey}/proposals", { params: { path: { survey } }, body: kept }));
      window.sessionStorage.setItem(draftPlace(survey), JSON.stringify({ edits: kept.edits, texts: [], question: kept.question }));
      return null;
    },
    onSuccess: (made) => {
      if (made) queries.setQueryData(["proposal", made.id], made);
      then(made ? `/s/${survey}/change/${made.id}` : `/s/${survey}/change`);
    },
  });
}
