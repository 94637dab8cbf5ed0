import { queryOptions, useQuery } from "@tanstack/react-query";

import { ask, client, type Shapes } from "./client";

// A stored survey never changes, so what is computed of it does not go stale.
const FOREVER = { staleTime: Infinity, gcTime: 30 * 60_000 };

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: () => ask(client.GET("/api/session")) });
}

export function useSurveys() {
  return useQuery({ queryKey: ["surveys"], queryFn: () => ask(client.GET("/api/surveys")) });
}

export function useNetworks() {
  return useQuery({ queryKey: ["networks"], queryFn: () => ask(client.GET("/api/networks")) });
}

const at = (survey: number) => ({ params: { path: { survey } } });

export function useReading(survey: number) {
  return useQuery({
    queryKey: ["reading", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/reading", at(survey))),
    ...FOREVER,
  });
}

export const findingsOf = (survey: number) =>
  queryOptions({
    queryKey: ["findings", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/findings", at(survey))),
    ...FOREVER,
  });

export function useFindings(survey: number) {
  return useQuery(findingsOf(survey));
}

export const neighboursOf = (survey: number) =>
  queryOptions({
    queryKey: ["neighbours", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/neighbours", at(survey))),
    ...FOREVER,
  });

export function useNeighbours(survey: number) {
  return useQuery(neighboursOf(survey));
}

export function useNames(survey: number) {
  return useQuery({
    queryKey: ["names", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/names", at(survey))),
    ...FOREVER,
  });
}

export const devicesOf = (survey: number) =>
  queryOptions({
    queryKey: ["devices", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/devices", at(survey))),
    ...FOREVER,
  });

export function useDevices(survey: number) {
  return useQuery(devicesOf(survey));
}

export const deviceOf = (survey: number, device: string) =>
  queryOptions({
    queryKey: ["device", survey, device],
    enabled: device !== "",
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/devices/{device}", {
          params: { path: { survey, device } },
        }),
      ),
    ...FOREVER,
  });

export function useDevice(survey: number, device: string) {
  return useQuery(deviceOf(survey, device));
}

export function useSource(survey: number, device: string, file: string | null) {
  return useQuery({
    queryKey: ["source", survey, device, file],
    enabled: Boolean(file),
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/source", {
          params: { path: { survey }, query: { device, file: file ?? "" } },
        }),
      ),
    ...FOREVER,
  });
}

export const mapOf = (survey: number) =>
  queryOptions({
    queryKey: ["map", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/map", at(survey))),
    ...FOREVER,
  });

export function useMap(survey: number) {
  return useQuery(mapOf(survey));
}

export const casesOf = (survey: number) =>
  queryOptions({
    queryKey: ["cases", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/cases", at(survey))),
  });

export function useCases(survey: number) {
  return useQuery(casesOf(survey));
}

/** What is asked: the complaint in its parts, as they stand in the URL. */
export interface Question {
  from: string;
  to: string;
  source?: string;
  protocol?: "icmp" | "tcp" | "udp";
  port?: number;
  size?: number;
  dont_fragment?: boolean;
}

export const pathOf = (survey: number, question: Question | null) =>
  queryOptions({
    queryKey: ["path", survey, question],
    enabled: question !== null,
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/path", {
          params: { path: { survey }, query: question as Question },
        }),
      ),
    ...FOREVER,
    retry: false,
  });

export function usePath(survey: number, question: Question | null) {
  return useQuery(pathOf(survey, question));
}

export function useDecision(survey: number, device: string | null, target: string | null) {
  return useQuery({
    queryKey: ["decision", survey, device, target],
    enabled: Boolean(device && target),
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/decision", {
          params: { path: { survey }, query: { device: device ?? "", target: target ?? "" } },
        }),
      ),
    ...FOREVER,
  });
}

export interface EndsQuestion {
  device: string;
  interface: string;
  next_hop?: string;
  toward?: string;
}

export function useEnds(survey: number, question: EndsQuestion | null) {
  return useQuery({
    queryKey: ["ends", survey, question],
    enabled: question !== null,
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/ends", {
          params: { path: { survey }, query: question as EndsQuestion },
        }),
      ),
    ...FOREVER,
  });
}

export function useSourceAddresses(survey: number, device: string | null, target: string | null, question: Question) {
  const { protocol, port, size, dont_fragment } = question;
  const packet = { protocol, port, size, dont_fragment };
  return useQuery({
    queryKey: ["sources", survey, device, target, packet],
    enabled: Boolean(device && target),
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/sources", {
          params: { path: { survey }, query: { device: device ?? "", target: target ?? "", ...packet } },
        }),
      ),
    ...FOREVER,
  });
}

/** The causes of a complaint; asked again while they are being searched. */
export function useDiagnosis(survey: number, question: Question | null) {
  return useQuery({
    queryKey: ["diagnosis", survey, question],
    enabled: question !== null,
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/diagnosis", {
          params: { path: { survey }, query: question as Question },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 300 : false),
    ...FOREVER,
    retry: false,
  });
}

/** What fails in a survey, by cause; asked again while it is being worked out. */
export const deskOf = (survey: number) =>
  queryOptions({
    queryKey: ["desk", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/desk", at(survey))),
    staleTime: Infinity,
  });

export function useDesk(survey: number) {
  return useQuery({
    ...deskOf(survey),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 400 : false),
  });
}

/** Which differences to an older survey broke a complaint. */
export function useSince(survey: number, question: Question, worked: number | null) {
  return useQuery({
    queryKey: ["since", survey, question, worked],
    enabled: worked !== null,
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/since", {
          params: { path: { survey }, query: { ...question, worked: worked ?? 0 } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 400 : false),
    ...FOREVER,
    retry: false,
  });
}

/** What was not read, by what hangs on it. */
export function useUnknowns(survey: number, wanted: boolean) {
  return useQuery({
    queryKey: ["unknowns", survey],
    enabled: wanted,
    queryFn: () => ask(client.GET("/api/surveys/{survey}/unknowns", at(survey))),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 600 : false),
    staleTime: Infinity,
  });
}

export function useProposal(proposal: number | null) {
  return useQuery({
    queryKey: ["proposal", proposal],
    enabled: proposal !== null,
    queryFn: () =>
      ask(client.GET("/api/proposals/{proposal}", { params: { path: { proposal: proposal ?? 0 } } })),
    ...FOREVER,
  });
}

export type Edit = Shapes["EditShapeRequest"];

export interface Change {
  edits: Edit[];
  texts: { device: string; file: string; text: string }[];
  question: Partial<Question>;
  accept_unknown_lines?: boolean;
}

/** What a change would do; a survey never changes, so neither does the answer. */
export function useRehearsal(survey: number, change: Change | null, handOver = false) {
  const query = useQuery({
    queryKey: ["rehearsal", survey, change, handOver],
    enabled: change !== null && (change.edits.length > 0 || change.texts.length > 0),
    queryFn: () =>
      ask(
        client.POST("/api/surveys/{survey}/rehearsals", {
          params: { path: { survey } },
          body: { ...change, accept_unknown_lines: change?.accept_unknown_lines ?? false, hand_over: handOver } as Shapes["RehearsalRequestRequest"],
        }),
      ),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 300 : false),
    ...FOREVER,
    retry: false,
  });
  return inTheEnd(query);
}

/** A long answer once it is there: until then it is on its way. */
function inTheEnd<T>(query: { data: { answer: T | null } | undefined; error: Error | null }) {
  return { data: query.data?.answer ?? undefined, error: query.error, isPending: !query.data?.answer && !query.error };
}

export function useCaseReport(number: number) {
  return useQuery({
    queryKey: ["report", number],
    queryFn: () => ask(client.GET("/api/cases/{case}/report", { params: { path: { case: number } } })),
  });
}

/** The manual, which is the same for everybody. */
export function useManual() {
  return useQuery({ queryKey: ["manual"], queryFn: () => ask(client.GET("/api/manual")), ...FOREVER });
}

export function useComparison(older: number | null, newer: number | null) {
  const query = useQuery({
    queryKey: ["compare", older, newer],
    enabled: older !== null && newer !== null && older !== newer,
    queryFn: () =>
      ask(client.GET("/api/compare", { params: { query: { old: older ?? 0, new: newer ?? 0 } } })),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 400 : false),
    ...FOREVER,
    retry: false,
  });
  return inTheEnd(query);
}

export function useLadder(survey: number, question: Question | null) {
  return useQuery({
    queryKey: ["ladder", survey, question],
    enabled: question !== null,
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/ladder", {
          params: { path: { survey }, query: question as Question },
        }),
      ),
    ...FOREVER,
    retry: false,
  });
}

/** The probes of this complaint that the survey holds. */
export function useStoredProbes(survey: number, question: Question) {
  return useQuery({
    queryKey: ["probes", survey, question.from, question.to, question.source ?? ""],
    queryFn: () =>
      ask(
        client.GET("/api/surveys/{survey}/probes", {
          params: { path: { survey }, query: { from: question.from, to: question.to, source: question.source } },
        }),
      ),
    staleTime: Infinity,
  });
}

/** The order of a change's steps in which nothing is cut, or the one that cuts least. */
export function useOrder(survey: number, change: Change, host: string, wanted: boolean) {
  return useQuery({
    queryKey: ["order", survey, change.edits, change.texts, host],
    enabled: wanted,
    queryFn: () =>
      ask(
        client.POST("/api/surveys/{survey}/order", {
          params: { path: { survey } },
          body: { edits: change.edits as unknown as Record<string, unknown>[], texts: change.texts, host },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 500 : false),
    ...FOREVER,
    retry: false,
  });
}

export type Failing = "links" | "devices" | "both";

/** Every single failure, as far as it was tried. */
export function useSweep(survey: number, what: Failing, wanted: boolean) {
  return useQuery({
    queryKey: ["sweep", survey, what],
    enabled: wanted,
    queryFn: () => ask(client.GET("/api/surveys/{survey}/sweep", { params: { path: { survey }, query: { what } } })),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 700 : false),
    ...FOREVER,
    retry: false,
  });
}

/** What must hold in the survey's network, and whether it does here. */
export function useExpectations(survey: number) {
  return useQuery({
    queryKey: ["expectations", survey],
    queryFn: () => ask(client.GET("/api/surveys/{survey}/expectations", at(survey))),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 500 : false),
  });
}

/** Expectations made from what works now. */
export function useSuggested(survey: number, wanted: boolean) {
  return useQuery({
    queryKey: ["suggested", survey],
    enabled: wanted,
    queryFn: () => ask(client.GET("/api/surveys/{survey}/expectations/suggested", at(survey))),
    refetchInterval: (query) => (query.state.data?.state === "working" ? 400 : false),
    ...FOREVER,
  });
}

/** What somebody saw and pasted into a case. */
export function useEvidence(number: number | null) {
  return useQuery({
    queryKey: ["evidence", number],
    enabled: number !== null,
    queryFn: () => ask(client.GET("/api/cases/{case}/evidence", { params: { path: { case: number ?? 0 } } })),
  });
}
