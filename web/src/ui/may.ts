import { useSession } from "../api/queries";

export type Role = "reader" | "engineer" | "operator" | "administrator";

export const ROLES: [Role, string][] = [
  ["reader", "looks and asks"],
  ["engineer", "also cases, changes, uploads"],
  ["operator", "also gathers, tests, probes, plans"],
  ["administrator", "also accounts, inventory, credentials, deletion"],
];

/** Whether one's role takes in another; the server decides, this only hides what it would refuse. */
export function useMay(role: Role): boolean {
  return useSession().data?.user?.may.includes(role) ?? false;
}
