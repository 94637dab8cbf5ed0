/** How a device's gathering ended, in words; the tone decides shape and colour. */
export type Tone = "good" | "stop" | "ask" | "soft";

const OUTCOMES: Record<string, [string, Tone]> = {
  done: ["gathered", "good"],
  partly: ["gathered with gaps", "ask"],
  waiting: ["waiting", "soft"],
  running: ["gathering", "soft"],
  cancelled: ["stopped", "soft"],
  unreachable: ["nobody answers", "stop"],
  timeout: ["too slow", "stop"],
  closed: ["closed in the middle", "stop"],
  garbled: ["not understood", "stop"],
  "too-much": ["sent too much", "stop"],
  "login-refused": ["login refused", "stop"],
  "not-offered": ["not offered", "stop"],
  "credential-missing": ["no credential", "stop"],
  "not-allowed": ["not allowed there", "stop"],
  "key-unknown": ["key not trusted yet", "ask"],
  "key-changed": ["key changed", "stop"],
};

export function outcomeWords(kind: string | null): [string, Tone] {
  if (!kind) return ["not asked yet", "soft"];
  return OUTCOMES[kind] ?? ["failed", "stop"];
}

export const METHODS = [
  ["netconf", "NETCONF", 830],
  ["restconf", "RESTCONF", 443],
  ["gnmi", "gNMI", 9339],
  ["ssh", "SSH", 22],
  ["snmp", "SNMP", 161],
] as const;

export function methodWords(method: string): string {
  return METHODS.find(([key]) => key === method)?.[1] ?? method;
}
