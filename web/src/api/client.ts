import createClient from "openapi-fetch";

import type { components, paths } from "./schema";

export type Shapes = components["schemas"];

/** A refusal of the server, already a sentence for people. */
export class Problem extends Error {
  readonly status: number;

  constructor(message: string, status: number) {
    super(message);
    this.status = status;
  }
}

function csrf(): string {
  const match = /(?:^|; )trochos_csrf=([^;]+)/.exec(document.cookie);
  return match?.[1] ?? "";
}

/** Told on the window when something of what was written looked like a secret and is not kept. */
export const HIDDEN = "trochos:hidden";

function tellHidden(count: string | null): void {
  if (count) window.dispatchEvent(new CustomEvent(HIDDEN, { detail: Number(count) }));
}

export const client = createClient<paths>({ baseUrl: window.location.origin });

client.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrf());
    return request;
  },
  /** A large survey that is computed just now is asked for again, as the server says. */
  async onResponse({ request, response }) {
    let answer = response;
    for (let again = 0; again < 120 && request.method === "GET" && answer.status === 503; again += 1) {
      const seconds = Number(answer.headers.get("Retry-After"));
      if (!seconds) break;
      await new Promise((go) => setTimeout(go, 1000 * seconds));
      answer = await fetch(request.clone());
    }
    tellHidden(answer.headers.get("Trochos-Hidden"));
    return answer;
  },
});

export function sentenceOf(error: unknown, status: number): string {
  if (error && typeof error === "object" && "detail" in error) return String(error.detail);
  if (status === 0) return "The server does not answer. Is ./trochos up still running?";
  if (status === 403) return "You are signed out. Sign in again.";
  return `The server could not answer (status ${status}). Try again, and look at its log if it stays.`;
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Unwraps an answer of the client: the data, or a Problem with a sentence. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    throw new Problem(sentenceOf(null, 0), 0);
  }
  if (answer.data === undefined) {
    throw new Problem(sentenceOf(answer.error, answer.response.status), answer.response.status);
  }
  return answer.data;
}

/** Waits for a call that answers with nothing. */
export async function done(call: Promise<Answer<unknown>>): Promise<void> {
  let answer: Answer<unknown>;
  try {
    answer = await call;
  } catch {
    throw new Problem(sentenceOf(null, 0), 0);
  }
  if (!answer.response.ok) {
    throw new Problem(sentenceOf(answer.error, answer.response.status), answer.response.status);
  }
}

export interface Upload {
  file: File;
  path: string;
}

/**
 * Sends a survey. The request object is used because only it reports how much has been sent.
 */
export function uploadSurvey(
  files: Upload[],
  said: { title: string; network: string; taken_at: string },
  onProgress: (share: number) => void,
  onReading: (upload: Shapes["IncomingShape"]) => void,
): Promise<Shapes["SurveyShape"]> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const { file, path } of files) {
      form.append("files", file, file.name);
      form.append("paths", path);
    }
    for (const [name, value] of Object.entries(said)) if (value) form.append(name, value);
    const request = new XMLHttpRequest();
    request.open("POST", "/api/surveys");
    request.setRequestHeader("X-CSRFToken", csrf());
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onProgress(event.loaded / event.total);
    };
    request.onload = () => {
      tellHidden(request.getResponseHeader("Trochos-Hidden"));
      let body: unknown = null;
      try {
        body = JSON.parse(request.responseText);
      } catch {
        // Not JSON: the status alone says what happened.
      }
      if (request.status === 201) resolve(body as Shapes["SurveyShape"]);
      else if (request.status === 202) onceRead((body as Shapes["IncomingShape"]).id, onReading).then(resolve, reject);
      else reject(new Problem(sentenceOf(body, request.status), request.status));
    };
    request.onerror = () => reject(new Problem(sentenceOf(null, 0), 0));
    request.send(form);
  });
}

/** The survey of an upload that a worker is still reading, once it is there. */
async function onceRead(incoming: number, onReading: (upload: Shapes["IncomingShape"]) => void): Promise<Shapes["SurveyShape"]> {
  for (;;) {
    await new Promise((after) => setTimeout(after, 500));
    const now = await ask(client.GET("/api/surveys/incoming/{incoming}", { params: { path: { incoming } } }));
    if (now.survey) return now.survey;
    onReading(now);
  }
}
