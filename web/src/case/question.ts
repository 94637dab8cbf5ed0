import { ask, client } from "../api/client";
import type { Question } from "../api/queries";

/** What the URL asks: the one place where a question is read from one. */
export function questionOf(query: URLSearchParams): Question | null {
  const from = query.get("from");
  const to = query.get("to");
  if (!from || !to) return null;
  return packetOf({
    from,
    to,
    source: query.get("source"),
    protocol: query.get("protocol"),
    port: Number(query.get("port")),
    size: Number(query.get("size")),
    dont_fragment: query.get("dont_fragment") === "true",
  });
}

interface Said {
  from: string;
  to: string;
  source?: string | null;
  protocol?: string | null;
  port?: number | null;
  size?: number | null;
  dont_fragment?: boolean | null;
}

/** The same packet, whoever says it: a URL, a stored case, a kept change. */
export function packetOf(said: Said): Question {
  const question: Question = { from: said.from, to: said.to };
  if (said.source) question.source = said.source;
  if (said.protocol === "tcp" || said.protocol === "udp") {
    question.protocol = said.protocol;
    if (said.port) question.port = said.port;
  }
  if (said.size) question.size = said.size;
  if (said.dont_fragment) question.dont_fragment = true;
  return question;
}

export function queryOf(question: Question): URLSearchParams {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(question)) {
    if (value !== undefined && value !== "") query.set(name, String(value));
  }
  return query;
}

/** The service as it is written in the sentence; empty for a ping. */
export function serviceText(question: Question | null): string {
  if (!question?.protocol || question.protocol === "icmp") return "";
  return question.port ? `${question.protocol}/${question.port}` : question.protocol;
}

/** What a service is that somebody wrote; the server knows the names and says what is wrong. */
export async function readService(text: string): Promise<Pick<Question, "protocol" | "port">> {
  if (!text.trim()) return {};
  const read = await ask(client.GET("/api/service", { params: { query: { text } } }));
  if (read.protocol === "icmp") return {};
  return { protocol: read.protocol as "tcp" | "udp", ...(read.port ? { port: read.port } : {}) };
}
